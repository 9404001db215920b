/**
 * Least squares with unknowns that may not be below 0: x ≥ 0 that makes |A x − b| least, by the active sets of Lawson and
 * Hanson, Solving Least Squares Problems (1974), chapter 23. `rows` are the rows of A, few columns; `free` tells which
 * columns of the answer are above 0.
 */
export function nonNegativeLeastSquares(
  rows: readonly (readonly number[])[],
  right: readonly number[],
): { x: number[]; free: boolean[] } {
  const n = rows[0]?.length ?? 0;
  const normal = Array.from({ length: n }, (_, i) =>
    Array.from({ length: n }, (_, j) => rows.reduce((sum, row) => sum + row[i] * row[j], 0)),
  );
  const wanted = Array.from({ length: n }, (_, i) => rows.reduce((sum, row, r) => sum + row[i] * right[r], 0));
  const x = new Array<number>(n).fill(0);
  const free = new Array<boolean>(n).fill(false);
  const slopeOf = (i: number) => wanted[i] - normal[i].reduce((sum, v, j) => sum + v * x[j], 0);
  for (let round = 0; round < 3 * n + 3; round++) {
    let best = -1;
    let steepest = 1e-10;
    for (let i = 0; i < n; i++) {
      const slope = slopeOf(i) / Math.sqrt(Math.max(1e-300, normal[i][i]));
      if (!free[i] && slope > steepest) [best, steepest] = [i, slope];
    }
    if (best < 0) break;
    free[best] = true;
    for (;;) {
      const at = free.flatMap((is, i) => (is ? [i] : []));
      const solved = solveSymmetric(
        at.map((i) => at.map((j) => normal[i][j])),
        at.map((i) => wanted[i]),
      );
      if (solved.every((v) => v > 0)) {
        at.forEach((i, k) => (x[i] = solved[k]));
        break;
      }
      let step = 1;
      at.forEach((i, k) => {
        if (solved[k] <= 0) step = Math.min(step, x[i] / (x[i] - solved[k] || 1e-300));
      });
      at.forEach((i, k) => (x[i] += step * (solved[k] - x[i])));
      at.forEach((i) => {
        if (x[i] <= 1e-14) [x[i], free[i]] = [0, false];
      });
      if (!free.some(Boolean)) break;
    }
  }
  return { x, free };
}

/** Solves a small symmetric system by Gauss with pivots; a column that nothing depends on comes out as 0. */
export function solveSymmetric(matrix: readonly (readonly number[])[], right: readonly number[]): number[] {
  const n = right.length;
  const m = matrix.map((row, i) => [...row, right[i]]);
  const scale = Math.max(1e-300, ...m.map((row, i) => Math.abs(row[i])));
  for (let c = 0; c < n; c++) {
    let p = c;
    for (let r = c + 1; r < n; r++) if (Math.abs(m[r][c]) > Math.abs(m[p][c])) p = r;
    [m[c], m[p]] = [m[p], m[c]];
    if (Math.abs(m[c][c]) < 1e-13 * scale) {
      m[c].fill(0);
      m[c][c] = 1;
      continue;
    }
    for (let r = 0; r < n; r++) {
      if (r === c) continue;
      const f = m[r][c] / m[c][c];
      for (let k = c; k <= n; k++) m[r][k] -= f * m[c][k];
    }
  }
  return m.map((row, i) => row[n] / row[i]);
}
