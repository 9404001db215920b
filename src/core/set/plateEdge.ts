import type { Vec2 } from "../math/vec3.ts";

/** Laying a line of the set onto an edge that the plate itself shows. */

/** Linear Rec. 709, interleaved RGB, rows from the top. */
export interface LinearPicture {
  width: number;
  height: number;
  linear: ArrayLike<number>;
}

/** Square root of the luminance (Rec. 709) between pixels: differences are about as visible as they look. */
function tone({ width, height, linear }: LinearPicture, u: number, v: number): number {
  // Centres of pixels lie at halves.
  const x = Math.min(width - 1.001, Math.max(0, u - 0.5));
  const y = Math.min(height - 1.001, Math.max(0, v - 0.5));
  const [i, j] = [Math.floor(x), Math.floor(y)];
  const [a, b] = [x - i, y - j];
  const at = (column: number, row: number) => {
    const k = (row * width + column) * 3;
    return Math.sqrt(Math.max(0, 0.2126 * linear[k] + 0.7152 * linear[k + 1] + 0.0722 * linear[k + 2]));
  };
  return (1 - b) * ((1 - a) * at(i, j) + a * at(i + 1, j)) + b * ((1 - a) * at(i, j + 1) + a * at(i + 1, j + 1));
}

/** Points that are looked at along a line, at most. */
const POINTS = 48;

/** Mean step of tone across a line, from its left to its right; 0 where the plate does not show it. */
export function stepAcross(picture: LinearPicture, line: readonly Vec2[]): number {
  let sum = 0;
  let count = 0;
  for (let i = 1; i < line.length; i++) {
    const [p, q] = [line[i - 1], line[i]];
    const far = Math.hypot(q[0] - p[0], q[1] - p[1]);
    const points = Math.min(Math.ceil(far / 2), Math.ceil(POINTS / (line.length - 1)));
    if (points === 0) continue;
    const [nx, ny] = [-(q[1] - p[1]) / far, (q[0] - p[0]) / far];
    for (let k = 0; k < points; k++) {
      const t = (k + 0.5) / points;
      const [u, v] = [p[0] + t * (q[0] - p[0]), p[1] + t * (q[1] - p[1])];
      if (u < 2 || v < 2 || u > picture.width - 2 || v > picture.height - 2) continue;
      sum += tone(picture, u + nx, v + ny) - tone(picture, u - nx, v - ny);
      count++;
    }
  }
  return count > 0 ? sum / count : 0;
}

/** Steps of a search, in pixels. */
const FINE = 0.5;
/** A step of tone below this is no edge; nor is one that does not stand out of what is beside it so often. */
const LEAST_STEP = 0.015;
const STANDS_OUT = 2.5;

/**
 * The pixels by which a line has to go, between −reach and reach, to lie on the nearest clear edge of the plate; null
 * where none stands out. `lineAt` gives the line for a shift of so many pixels.
 */
export function nearestEdge(
  picture: LinearPicture,
  lineAt: (shift: number) => readonly Vec2[],
  reach: number,
): number | null {
  const steps = Math.round(reach / FINE);
  const found = Array.from({ length: 2 * steps + 1 }, (_, i) =>
    Math.abs(stepAcross(picture, lineAt((i - steps) * FINE))),
  );
  const usual = [...found].sort((a, b) => a - b)[Math.floor(found.length / 2)];
  let best = -1;
  for (let i = 1; i < found.length - 1; i++) {
    const peak = found[i] >= found[i - 1] && found[i] > found[i + 1];
    if (!peak || found[i] < LEAST_STEP || found[i] < STANDS_OUT * usual) continue;
    if (best < 0 || Math.abs(i - steps) < Math.abs(best - steps)) best = i;
  }
  if (best < 0) return null;
  // A parabola through the peak and its neighbours.
  const [a, b, c] = [found[best - 1], found[best], found[best + 1]];
  const bend = a - 2 * b + c;
  return (best - steps + (bend < 0 ? (0.5 * (a - c)) / bend : 0)) * FINE;
}
