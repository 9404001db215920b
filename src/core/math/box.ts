import type { Vec3 } from "./vec3.ts";

/** Lowest and highest corner; of nothing, infinities that any point widens. */
export interface Box {
  low: Vec3;
  high: Vec3;
}

export const emptyBox = (): Box => ({ low: [Infinity, Infinity, Infinity], high: [-Infinity, -Infinity, -Infinity] });

/** Box around points, three numbers each. */
export function boxOf(positions: ArrayLike<number>): Box {
  const { low, high } = emptyBox();
  for (let i = 0; i < positions.length; i += 3)
    for (let k = 0; k < 3; k++) {
      const x = positions[i + k];
      if (x < low[k]) low[k] = x;
      if (x > high[k]) high[k] = x;
    }
  return { low, high };
}

/** Box around a box that rows of a 3 x 4 matrix place, from its eight corners. */
export function placedBox({ low, high }: Box, matrix: ArrayLike<number>): Box {
  const placed = emptyBox();
  for (let k = 0; k < 3; k++) {
    placed.low[k] = placed.high[k] = matrix[k * 4 + 3];
    for (let j = 0; j < 3; j++) {
      const [a, b] = [matrix[k * 4 + j] * low[j], matrix[k * 4 + j] * high[j]];
      placed.low[k] += Math.min(a, b);
      placed.high[k] += Math.max(a, b);
    }
  }
  return placed;
}

/** Widens a box by another. */
export function widen(box: Box, by: Box): void {
  for (let k = 0; k < 3; k++) {
    box.low[k] = Math.min(box.low[k], by.low[k]);
    box.high[k] = Math.max(box.high[k], by.high[k]);
  }
}
