import { luminance } from "../colour/srgb.ts";
import type { FilmCounts } from "./film.ts";
import type { Picture } from "./scene.ts";

/** Where a catcher ends although the props still change the light on it: a hard edge in the finished picture. */
export interface CatcherBorder {
  /** Pixels of catchers beside pixels that show no set surface. */
  border: number;
  /** Those of them whose ratio is off by more than `BORDER_TOLERANCE`, with nothing in the plate that hides it. */
  open: number;
  /** The worst of them. */
  worst: { x: number; y: number; ratio: number } | null;
}

/** Share by which the ratio may differ from 1 where a catcher ends: about two code values of 8 bits in mid grey. */
export const BORDER_TOLERANCE = 0.02;
/** Pixels from the last whole pixel of a catcher to the first bare one: the pixel filter mixes what lies between. */
const ACROSS = 4;
/** Noise does not count: the mean of so many catcher pixels around is judged, less what their own spread leaves in it. */
const AROUND = 2;
/** Standard deviations of that mean; the pixel filter joins neighbours, so that it is known less well than it seems. */
const SURE = 4;

/** A step of the plate's own that is so many times as large hides that of a shadow: the wall ends there against the sky. */
const HIDES = 2;

/** The plate below a render of that height. */
export interface PlateBelow {
  plate: Picture;
  height: number;
}

/**
 * Looks along the borders of the catchers in a render with that ratio, or in some of its rows that begin at `y0`. Where a
 * plate is given, borders at which it has a much larger step itself do not count as open.
 */
export function catcherBorder(
  { catcher, samples, alpha, set }: FilmCounts,
  ratio: Float32Array,
  width: number,
  height: number,
  y0 = 0,
  below: PlateBelow | null = null,
): CatcherBorder {
  // A pixel of a catcher with nothing else in it, and one with nothing in it at all.
  const kinds = new Uint8Array(width * height);
  for (let i = 0; i < kinds.length; i++) {
    const all = Math.max(1, samples[i]);
    if (catcher[i] > 0.99 * all) kinds[i] = 1;
    else if (set[i] < 0.01 * all && catcher[i] < 0.01 * all && alpha[i] < 0.01 * all) kinds[i] = 2;
  }
  const kindAt = (x: number, y: number) => (x >= 0 && y >= 0 && x < width && y < height ? kinds[y * width + x] : 0);
  const bare = (x: number, y: number) => kindAt(x, y) === 2;
  /** Mean light of the plate below pixels of a kind around one. */
  const plateAround = (x: number, y: number, kind: number, { plate, height: whole }: PlateBelow) => {
    let sum = 0;
    let n = 0;
    for (let v = y - AROUND; v <= y + AROUND; v++)
      for (let u = x - AROUND; u <= x + AROUND; u++) {
        if (kindAt(u, v) !== kind) continue;
        const px = Math.min(plate.width - 1, Math.floor(((u + 0.5) * plate.width) / width));
        const py = Math.min(plate.height - 1, Math.floor(((y0 + v + 0.5) * plate.height) / whole));
        const i = (py * plate.width + px) * 3;
        sum += luminance(plate.pixels[i], plate.pixels[i + 1], plate.pixels[i + 2]);
        n++;
      }
    return sum / n;
  };
  const hidden = (x: number, y: number, off: number) => {
    if (!below) return false;
    const own = plateAround(x, y, 1, below);
    return [
      [x + ACROSS, y],
      [x - ACROSS, y],
      [x, y + ACROSS],
      [x, y - ACROSS],
    ].every(([u, v]) => !bare(u, v) || Math.abs(plateAround(u, v, 2, below) - own) > HIDES * off * own);
  };
  const found: CatcherBorder = { border: 0, open: 0, worst: null };
  if (!kinds.includes(1) || !kinds.includes(2)) return found;
  const besideBare = (x: number, y: number) => {
    const i = y * width + x;
    return (
      (x >= ACROSS && kinds[i - ACROSS] === 2) ||
      (x + ACROSS < width && kinds[i + ACROSS] === 2) ||
      (y >= ACROSS && kinds[i - ACROSS * width] === 2) ||
      (y + ACROSS < height && kinds[i + ACROSS * width] === 2)
    );
  };
  const bareRows = Array.from({ length: height }, (_, y) => kinds.subarray(y * width, (y + 1) * width).includes(2));
  for (let y = 0; y < height; y++) {
    if (!bareRows[y] && !bareRows[y - ACROSS] && !bareRows[y + ACROSS]) continue;
    for (let x = 0; x < width; x++) {
      if (kinds[y * width + x] !== 1 || !besideBare(x, y)) continue;
      found.border++;
      let sum = 0;
      let squares = 0;
      let n = 0;
      for (let v = y - AROUND; v <= y + AROUND; v++) {
        for (let u = x - AROUND; u <= x + AROUND; u++) {
          if (kindAt(u, v) !== 1) continue;
          const value = ratio[(v * width + u) * 3 + 1];
          sum += value;
          squares += value * value;
          n++;
        }
      }
      const mean = sum / n;
      const unsure = Math.sqrt(Math.max(0, squares / n - mean * mean) / n);
      const off = Math.abs(mean - 1);
      if (off <= BORDER_TOLERANCE + SURE * unsure || hidden(x, y, off)) continue;
      found.open++;
      if (!found.worst || off > Math.abs(found.worst.ratio - 1)) found.worst = { x, y: y0 + y, ratio: mean };
    }
  }
  return found;
}

/** What a border says to the user; null if there is nothing to mend. */
export function borderNotice({ open, worst }: CatcherBorder, scale = 1): string | null {
  if (!worst || open < 3) return null;
  const percent = Math.round(Math.abs(worst.ratio - 1) * 100);
  const x = Math.round(worst.x * scale);
  const y = Math.round(worst.y * scale);
  return `A catcher ends where the ${worst.ratio < 1 ? "shadow" : "bounce"} is still ${percent} % strong, worst at ${x}, ${y} of the plate (${open} pixels in all): draw the surface further out there, or an edge will show.`;
}
