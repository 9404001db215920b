/** Pixels to each side in which light that a filter has lost is looked for. */
export const LOST_REACH = 4;
/** Standard deviation of the neighbourhood, pixels. */
const SIGMA = 1.5;
const TAPS = Float64Array.from({ length: 2 * LOST_REACH + 1 }, (_, i) =>
  Math.exp(-((i - LOST_REACH) ** 2) / (2 * SIGMA * SIGMA)),
);
const SQUARED = TAPS.map((t) => t * t);

/** Memory that every part uses again. */
let scratch = new Float32Array(0);

/** A filtered picture and the two halves that it was made from, channels interleaved. */
export interface Filtered {
  /** Changed in place. */
  values: Float32Array;
  even: Float32Array;
  odd: Float32Array;
  /** Floats a pixel; the first three are looked at. */
  stride: number;
  /** How much a pixel counts for its neighbours; one of 0 stays as it is. */
  weight: Float32Array;
  /** What no value is below. */
  least: number;
}

/** Pixels from (x0, y0) up to but without (x1, y1). */
interface Box {
  x0: number;
  y0: number;
  x1: number;
  y1: number;
}

/**
 * Puts back, in a part, what a filter has taken from a place, or brought to it: the mean of the halves above what was
 * filtered, over a neighbourhood, times the share of it that is no noise, as the halves' difference tells it (Wiener's
 * gain). Where the filter was right there is no more than noise, and little comes of it. `filtered` holds the values as
 * they were before any part was changed.
 */
export function giveBack(of: Filtered, filtered: Float32Array, width: number, height: number, part: Box): void {
  const { values, even, odd, stride, weight, least } = of;
  const [x0, y0] = [Math.max(0, part.x0 - LOST_REACH), Math.max(0, part.y0 - LOST_REACH)];
  const [w, h] = [Math.min(width, part.x1 + LOST_REACH) - x0, Math.min(height, part.y1 + LOST_REACH) - y0];
  const n = w * h;
  if (scratch.length < 6 * n) scratch = new Float32Array(6 * n);
  const [across, counts, noise, ...lost] = [0, 1, 2, 3, 4, 5].map((i) => scratch.subarray(i * n, (i + 1) * n).fill(0));
  for (let y = 0, to = 0; y < h; y++)
    for (let i = (y + y0) * width + x0, end = i + w; i < end; i++, to++) {
      const own = weight[i];
      if (!(own > 0)) continue;
      counts[to] = own;
      for (let k = 0, at = i * stride; k < 3; k++, at++) {
        lost[k][to] = own * (0.5 * (even[at] + odd[at]) - filtered[at]);
        noise[to] += (0.5 * own * (even[at] - odd[at])) ** 2;
      }
    }
  for (const plane of [counts, ...lost]) blur(plane, across, w, h, TAPS);
  blur(noise, across, w, h, SQUARED);
  for (let y = part.y0; y < part.y1; y++)
    for (let x = part.x0; x < part.x1; x++) {
      const i = y * width + x;
      if (!(weight[i] > 0)) continue;
      const from = (y - y0) * w + x - x0;
      const [r, g, b] = [lost[0][from], lost[1][from], lost[2][from]];
      const all = r * r + g * g + b * b;
      const share = all > 0 ? (1 - noise[from] / all) / counts[from] : 0;
      if (!(share > 0)) continue;
      for (let k = 0, at = i * stride; k < 3; k++, at++)
        values[at] = Math.max(least, filtered[at] + share * lost[k][from]);
    }
}

/** Sums over a neighbourhood by its taps, in place; beyond the border there is nothing. */
function blur(plane: Float32Array, across: Float32Array, width: number, height: number, taps: Float64Array): void {
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      let sum = 0;
      for (let t = Math.max(-LOST_REACH, -x), end = Math.min(LOST_REACH, width - 1 - x); t <= end; t++)
        sum += taps[t + LOST_REACH] * plane[y * width + x + t];
      across[y * width + x] = sum;
    }
  plane.fill(0);
  for (let y = 0; y < height; y++)
    for (let t = Math.max(-LOST_REACH, -y), end = Math.min(LOST_REACH, height - 1 - y); t <= end; t++) {
      const tap = taps[t + LOST_REACH];
      for (let to = y * width, from = (y + t) * width, stop = to + width; to < stop; to++, from++)
        plane[to] += tap * across[from];
    }
}
