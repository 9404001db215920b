import type { Camera } from "../optics/camera.ts";
import { factor } from "../math/linear.ts";
import type { Inside } from "./solve.ts";
import { moved, unknownCount } from "./unknowns.ts";

/** Cameras one standard deviation to either side of the solved one, along independent directions of the unknowns. */
export type Spread = [Camera, Camera][];

/** The spread of a solution: columns of the Cholesky factor of its widened covariance. Empty where that is singular. */
export function spreadOf(inside: Inside): Spread {
  const { unknowns: u, state, covariance } = inside;
  const n = unknownCount(u);
  if (!covariance) return [];
  const sizes = Float64Array.from({ length: n }, (_, i) => Math.sqrt(covariance[i * n + i]));
  const l = Float64Array.from(covariance, (c, k) => c / (sizes[Math.floor(k / n)] * sizes[k % n]));
  for (let i = 0; i < n; i++) l[i * n + i] += 1e-12;
  if (!factor(l, n)) return [];
  return Array.from({ length: n }, (_, k) => {
    const step = Float64Array.from({ length: n }, (_unused, i) => (i >= k ? l[i * n + k] * sizes[i] : 0));
    return [
      moved(u, state, step).camera,
      moved(
        u,
        state,
        step.map((s) => -s),
      ).camera,
    ] as [Camera, Camera];
  });
}

/** Standard deviation of something read from the camera, to first order; null where it cannot be read nearby. */
export function deviation(spread: Spread, read: (camera: Camera) => number | null): number | null {
  let sum = 0;
  for (const [a, b] of spread) {
    const [x, y] = [read(a), read(b)];
    if (x === null || y === null) return null;
    sum += ((x - y) / 2) ** 2;
  }
  return Math.sqrt(sum);
}
