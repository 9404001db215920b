import type { FilmCounts } from "./film.ts";

/** Where a catcher ends although the props still change the light on it: a hard edge in the finished picture. */
export interface CatcherBorder {
  /** Pixels of catchers beside pixels that show no set surface. */
  border: number;
  /** Those of them whose ratio is off by more than `BORDER_TOLERANCE`. */
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

/** Looks along the borders of the catchers in a render with that ratio, or in some of its rows that begin at `y0`. */
export function catcherBorder(
  { catcher, samples, alpha, set }: FilmCounts,
  ratio: Float32Array,
  width: number,
  height: number,
  y0 = 0,
): CatcherBorder {
  // A pixel of a catcher with nothing else in it, and one with nothing in it at all.
  const kinds = new Uint8Array(width * height);
  for (let i = 0; i < kinds.length; i++) {
    const all = Math.max(1, samples[i]);
    if (catcher[i] > 0.99 * all) kinds[i] = 1;
    else if (set[i] < 0.01 * all && catcher[i] < 0.01 * all && alpha[i] < 0.01 * all) kinds[i] = 2;
  }
  const caught = (x: number, y: number) => kinds[y * width + x] === 1;
  const bare = (x: number, y: number) => x >= 0 && y >= 0 && x < width && y < height && kinds[y * width + x] === 2;
  const found: CatcherBorder = { border: 0, open: 0, worst: null };
  if (!kinds.includes(1) || !kinds.includes(2)) return found;
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      if (!caught(x, y)) continue;
      const open = bare(x + ACROSS, y) || bare(x - ACROSS, y) || bare(x, y + ACROSS) || bare(x, y - ACROSS);
      if (!open) continue;
      found.border++;
      let sum = 0;
      let squares = 0;
      let n = 0;
      for (let v = Math.max(0, y - AROUND); v <= Math.min(height - 1, y + AROUND); v++) {
        for (let u = Math.max(0, x - AROUND); u <= Math.min(width - 1, x + AROUND); u++) {
          if (!caught(u, v)) continue;
          const value = ratio[(v * width + u) * 3 + 1];
          sum += value;
          squares += value * value;
          n++;
        }
      }
      const mean = sum / n;
      const unsure = Math.sqrt(Math.max(0, squares / n - mean * mean) / n);
      if (Math.abs(mean - 1) <= BORDER_TOLERANCE + SURE * unsure) continue;
      found.open++;
      if (!found.worst || Math.abs(mean - 1) > Math.abs(found.worst.ratio - 1))
        found.worst = { x, y: y0 + y, ratio: mean };
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
