/** Small dense linear algebra for the solver: symmetric systems of up to a few dozen unknowns, row-major. */

/** Cholesky factor of the n x n matrix `a`, in its lower triangle. False if it is not positive definite. */
export function factor(a: Float64Array, n: number): boolean {
  for (let i = 0; i < n; i++) {
    for (let j = 0; j <= i; j++) {
      let sum = a[i * n + j];
      for (let k = 0; k < j; k++) sum -= a[i * n + k] * a[j * n + k];
      if (i === j) {
        if (!(sum > 0)) return false;
        a[i * n + i] = Math.sqrt(sum);
      } else a[i * n + j] = sum / a[j * n + j];
    }
  }
  return true;
}

/** Solves with a factor from `factor`, in place. */
export function backSolve(l: Float64Array, n: number, b: Float64Array): void {
  for (let i = 0; i < n; i++) {
    let sum = b[i];
    for (let k = 0; k < i; k++) sum -= l[i * n + k] * b[k];
    b[i] = sum / l[i * n + i];
  }
  for (let i = n - 1; i >= 0; i--) {
    let sum = b[i];
    for (let k = i + 1; k < n; k++) sum -= l[k * n + i] * b[k];
    b[i] = sum / l[i * n + i];
  }
}

/** Inverse of a symmetric positive definite matrix, scaled first so that units do not matter; null if singular. */
export function invertSymmetric(a: Float64Array, n: number): Float64Array | null {
  const scale = new Float64Array(n);
  for (let i = 0; i < n; i++) {
    if (!(a[i * n + i] > 0)) return null;
    scale[i] = 1 / Math.sqrt(a[i * n + i]);
  }
  const l = new Float64Array(n * n);
  for (let i = 0; i < n; i++) for (let j = 0; j < n; j++) l[i * n + j] = a[i * n + j] * scale[i] * scale[j];
  if (!factor(l, n)) return null;
  for (let i = 0; i < n; i++) if (l[i * n + i] < 1e-7) return null;
  const out = new Float64Array(n * n);
  const column = new Float64Array(n);
  for (let j = 0; j < n; j++) {
    column.fill(0);
    column[j] = 1;
    backSolve(l, n, column);
    for (let i = 0; i < n; i++) out[i * n + j] = column[i] * scale[i] * scale[j];
  }
  return out;
}

/** Eigenvectors of a symmetric 3 x 3 matrix by Jacobi rotations, by ascending eigenvalue. */
export function eigenSymmetric3(m: number[][]): { values: number[]; vectors: [number, number, number][] } {
  const a = m.map((row) => [...row]);
  const q = [
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, 1],
  ];
  for (let sweep = 0; sweep < 30; sweep++) {
    const off = a[0][1] ** 2 + a[0][2] ** 2 + a[1][2] ** 2;
    if (off < 1e-30 * (a[0][0] ** 2 + a[1][1] ** 2 + a[2][2] ** 2)) break;
    for (const [p, r] of [
      [0, 1],
      [0, 2],
      [1, 2],
    ]) {
      if (a[p][r] === 0) continue;
      const theta = (a[r][r] - a[p][p]) / (2 * a[p][r]);
      const t = Math.sign(theta || 1) / (Math.abs(theta) + Math.sqrt(theta * theta + 1));
      const c = 1 / Math.sqrt(t * t + 1);
      const s = t * c;
      for (let k = 0; k < 3; k++) [a[k][p], a[k][r]] = [c * a[k][p] - s * a[k][r], s * a[k][p] + c * a[k][r]];
      for (let k = 0; k < 3; k++) [a[p][k], a[r][k]] = [c * a[p][k] - s * a[r][k], s * a[p][k] + c * a[r][k]];
      for (let k = 0; k < 3; k++) [q[k][p], q[k][r]] = [c * q[k][p] - s * q[k][r], s * q[k][p] + c * q[k][r]];
    }
  }
  const order = [0, 1, 2].sort((i, j) => a[i][i] - a[j][j]);
  return {
    values: order.map((i) => a[i][i]),
    vectors: order.map((i) => [q[0][i], q[1][i], q[2][i]] as [number, number, number]),
  };
}

/** Unit eigenvector of the least eigenvalue of a symmetric n x n matrix, by inverse iteration; null if it has none clear. */
export function leastEigenvector(m: Float64Array, n: number): Float64Array | null {
  let trace = 0;
  for (let i = 0; i < n; i++) trace += m[i * n + i];
  if (!(trace > 0)) return null;
  const l = m.slice();
  for (let i = 0; i < n; i++) l[i * n + i] += 1e-13 * trace;
  if (!factor(l, n)) {
    l.set(m);
    for (let i = 0; i < n; i++) l[i * n + i] += 1e-10 * trace;
    if (!factor(l, n)) return null;
  }
  const v = Float64Array.from({ length: n }, (_, i) => Math.sin(1 + i * 1.7));
  for (let round = 0; round < 60; round++) {
    backSolve(l, n, v);
    let norm = 0;
    for (const x of v) norm += x * x;
    norm = Math.sqrt(norm);
    if (!Number.isFinite(norm) || norm === 0) return null;
    for (let i = 0; i < n; i++) v[i] /= norm;
  }
  return v;
}
