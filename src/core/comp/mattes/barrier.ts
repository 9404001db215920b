/** Levels of steepness that are told apart: code values of 8 bits. */
const LEVELS = 256;

/** A window of a picture: `at(x, y)` of its pixels are the picture's own. */
export interface Window {
  x0: number;
  y0: number;
  width: number;
  height: number;
}

/**
 * Steepness of a picture in a window: the largest of the channels' gradients by Sobel's operator, as the step in code
 * values of 8 bits between the pixels to either side. `code` gives a pixel's codes, repeated beyond the border.
 */
export function steepness(
  { x0, y0, width, height }: Window,
  code: (x: number, y: number) => [number, number, number],
): Float32Array {
  const row = width + 2;
  const codes = new Float32Array(row * (height + 2) * 3);
  for (let y = -1; y <= height; y++)
    for (let x = -1; x <= width; x++) codes.set(code(x0 + x, y0 + y), ((y + 1) * row + x + 1) * 3);
  const out = new Float32Array(width * height);
  const down = row * 3;
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      let most = 0;
      for (let k = 0; k < 3; k++) {
        const i = ((y + 1) * row + x + 1) * 3 + k;
        const [a, b, c] = [codes[i - down - 3], codes[i - down], codes[i - down + 3]];
        const [d, f] = [codes[i - 3], codes[i + 3]];
        const [g, h, j] = [codes[i + down - 3], codes[i + down], codes[i + down + 3]];
        const gx = (c + 2 * f + j - a - 2 * d - g) / 4;
        const gy = (g + 2 * h + j - a - 2 * b - c) / 4;
        most = Math.max(most, Math.hypot(gx, gy));
      }
      out[y * width + x] = most * 255;
    }
  return out;
}

/**
 * Steepest place that must be crossed to come to each pixel from a seed, by the way with the least steep one: a minimax
 * path, found with one bucket a level (Dijkstra's algorithm with the larger for the sum). Pixels that are not `open` are
 * closed and stay at infinity.
 */
export function crossed(
  steep: Float32Array,
  width: number,
  open: (i: number) => boolean,
  seeds: readonly number[],
): Float32Array {
  const out = new Float32Array(steep.length).fill(Infinity);
  const buckets: number[][] = Array.from({ length: LEVELS }, () => []);
  const levelOf = (value: number) => Math.min(LEVELS - 1, Math.floor(value));
  for (const i of seeds) {
    if (!open(i)) continue;
    out[i] = 0;
    buckets[0].push(i);
  }
  const done = new Uint8Array(steep.length);
  for (const bucket of buckets) {
    // A bucket grows while it is emptied: ways on from a level come back to it.
    for (let n = 0; n < bucket.length; n++) {
      const i = bucket[n];
      if (done[i]) continue;
      done[i] = 1;
      const x = i % width;
      for (const next of [x > 0 ? i - 1 : -1, x < width - 1 ? i + 1 : -1, i - width, i + width]) {
        if (next < 0 || next >= steep.length || done[next] || !open(next)) continue;
        const value = Math.max(out[i], steep[next]);
        if (value >= out[next]) continue;
        out[next] = value;
        buckets[levelOf(value)].push(next);
      }
    }
  }
  return out;
}
