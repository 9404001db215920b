import { luminance } from "../colour/srgb.ts";
import type { Picture } from "./scene.ts";

/** How an environment picture is drawn from. */
export interface EnvironmentTables {
  /** For each pixel the share of its cell that is its own, and the pixel that has the rest. */
  alias: { keep: Float32Array; other: Uint32Array };
  /** Probability of each pixel times the number of pixels. */
  weight: Float32Array;
}

/**
 * Tables to draw pixels of a latitude-longitude picture by their light (alias method: Walker 1977, ACM TOMS 3(3); built
 * as by Vose 1991). Each pixel counts with the light of its neighbours too, since the picture is read between pixels.
 */
export function environmentTables(picture: Picture): EnvironmentTables {
  const { width, height, pixels } = picture;
  const n = width * height;
  const light = new Float64Array(n);
  for (let i = 0; i < n; i++) light[i] = Math.max(0, luminance(pixels[i * 3], pixels[i * 3 + 1], pixels[i * 3 + 2]));
  const weight = new Float64Array(n);
  let total = 0;
  for (let y = 0; y < height; y++) {
    const sine = Math.sin(((y + 0.5) / height) * Math.PI);
    for (let x = 0; x < width; x++) {
      let sum = 0;
      for (let dy = -1; dy <= 1; dy++) {
        const row = Math.min(height - 1, Math.max(0, y + dy)) * width;
        for (let dx = -1; dx <= 1; dx++) {
          sum += light[row + ((x + dx + width) % width)] * (dx === 0 ? 2 : 1) * (dy === 0 ? 2 : 1);
        }
      }
      weight[y * width + x] = (sum / 16) * sine;
      total += weight[y * width + x];
    }
  }
  const scaled = new Float32Array(n);
  for (let i = 0; i < n; i++) scaled[i] = total > 0 ? (weight[i] * n) / total : 1;
  const keep = new Float32Array(n).fill(1);
  const other = Uint32Array.from({ length: n }, (_, i) => i);
  const rest = Float64Array.from(scaled);
  const small: number[] = [];
  const large: number[] = [];
  for (let i = 0; i < n; i++) (rest[i] < 1 ? small : large).push(i);
  while (small.length > 0 && large.length > 0) {
    const s = small.pop()!;
    const l = large.pop()!;
    keep[s] = rest[s];
    other[s] = l;
    rest[l] -= 1 - rest[s];
    (rest[l] < 1 ? small : large).push(l);
  }
  return { alias: { keep, other }, weight: scaled };
}
