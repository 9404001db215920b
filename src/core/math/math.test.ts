import { describe, expect, test } from "@jest/globals";
import { seeded } from "../../testing/random.ts";
import { boxOf, emptyBox, placedBox, widen } from "./box.ts";
import { backSolve, eigenSymmetric3, factor, invertSymmetric, leastEigenvector } from "./linear.ts";
import { nonNegativeLeastSquares, solveSymmetric } from "./nnls.ts";
import { insidePolygon } from "./polygon.ts";
import type { Vec2 } from "./vec3.ts";

/** Hilbert's matrix of order 4 and its inverse in whole numbers (M.-D. Choi, Tricks or Treats with the Hilbert Matrix, 1983). */
const HILBERT = Float64Array.from({ length: 16 }, (_, i) => 1 / (Math.floor(i / 4) + (i % 4) + 1));
const INVERSE = [16, -120, 240, -140, -120, 1200, -2700, 1680, 240, -2700, 6480, -4200, -140, 1680, -4200, 2800];

/** Second differences: eigenvalues 2 - 2 cos(k pi / (n + 1)), vectors sin(j k pi / (n + 1)) (G. Strang, The Discrete Cosine Transform, 1999). */
const differences = (n: number) =>
  Float64Array.from({ length: n * n }, (_, i) => {
    const apart = Math.abs(Math.floor(i / n) - (i % n));
    return apart === 0 ? 2 : apart === 1 ? -1 : 0;
  });

describe("symmetric systems", () => {
  test("Hilbert's matrix is inverted to its whole numbers, and solved for what it was multiplied with", () => {
    const inverse = invertSymmetric(HILBERT, 4)!;
    INVERSE.forEach((whole, i) => expect(inverse[i] / whole).toBeCloseTo(1, 8));
    const l = HILBERT.slice();
    expect(factor(l, 4)).toBe(true);
    const right = Float64Array.from({ length: 4 }, (_, i) => 1 / (i + 1) + 2 / (i + 3));
    backSolve(l, 4, right);
    [1, 0, 2, 0].forEach((x, i) => expect(right[i]).toBeCloseTo(x, 9));
  });

  test("what has no inverse is told, however its units are", () => {
    expect(factor(Float64Array.of(1, 2, 2, 1), 2)).toBe(false);
    expect(invertSymmetric(Float64Array.of(1, 1e6, 1e6, 1e12), 2)).toBeNull();
    expect(invertSymmetric(Float64Array.of(0, 0, 0, 1), 2)).toBeNull();
    const far = invertSymmetric(Float64Array.of(1e-8, 0, 0, 1e12), 2)!;
    expect([far[0], far[3]].map((v) => Number(v.toPrecision(12)))).toEqual([1e8, 1e-12]);
  });

  test("eigenvectors of second differences", () => {
    const m = differences(3);
    const { values, vectors } = eigenSymmetric3([0, 1, 2].map((r) => [...m.subarray(r * 3, r * 3 + 3)]));
    [2 - Math.SQRT2, 2, 2 + Math.SQRT2].forEach((value, i) => expect(values[i]).toBeCloseTo(value, 12));
    vectors.forEach((v, i) =>
      [0, 1, 2].forEach((r) => {
        const product = [0, 1, 2].reduce((sum, c) => sum + m[r * 3 + c] * v[c], 0);
        expect(product).toBeCloseTo(values[i] * v[r], 12);
      }),
    );
    const least = leastEigenvector(differences(6), 6)!;
    const sign = Math.sign(least[0]);
    const norm = Math.sqrt(7 / 2);
    least.forEach((v, j) => expect(sign * v).toBeCloseTo(Math.sin(((j + 1) * Math.PI) / 7) / norm, 9));
    expect(leastEigenvector(new Float64Array(4), 2)).toBeNull();
  });

  test("an unknown that nothing depends on comes out as 0", () => {
    expect(
      solveSymmetric(
        [
          [4, 0, 2],
          [0, 0, 0],
          [2, 0, 3],
        ],
        [10, 0, 9],
      ),
    ).toEqual([1.5, 0, 2]);
  });
});

describe("least squares without negative unknowns", () => {
  /** Kuhn and Tucker's conditions (Lawson and Hanson, Solving Least Squares Problems, theorem 23.4). */
  function isLeast(rows: number[][], right: number[], x: readonly number[]): void {
    const left = right.map((b, r) => b - rows[r].reduce((sum, a, i) => sum + a * x[i], 0));
    x.forEach((value, i) => {
      const slope = rows.reduce((sum, row, r) => sum + row[i] * left[r], 0);
      expect(value).toBeGreaterThanOrEqual(0);
      if (value > 0) expect(Math.abs(slope)).toBeLessThan(1e-9);
      else expect(slope).toBeLessThan(1e-9);
    });
  }

  test("of mixed systems nothing better can be found on any side", () => {
    const random = seeded(31);
    let held = 0;
    for (let n = 1; n <= 6; n++)
      for (let round = 0; round < 8; round++) {
        const rows = Array.from({ length: n + 4 }, () => Array.from({ length: n }, () => random() - 0.4));
        const right = rows.map(() => random() - 0.4);
        const { x, free } = nonNegativeLeastSquares(rows, right);
        isLeast(rows, right, x);
        expect(free).toEqual(x.map((v) => v > 0));
        held += x.filter((v) => v === 0).length;
      }
    // Some unknowns were held at 0, or nothing was tried.
    expect(held).toBeGreaterThan(20);
  });

  test("lights that are there are found, one that only noise asks for is not", () => {
    const rows = [
      [1, 0.5, 0.2],
      [0.3, 1, 0.1],
      [0.2, 0.4, 1],
      [0.9, 0.9, 0.3],
    ];
    const { x } = nonNegativeLeastSquares(
      rows,
      rows.map(([a, b]) => 2 * a + 0.5 * b),
    );
    [2, 0.5, 0].forEach((light, i) => expect(x[i]).toBeCloseTo(light, 10));
    expect(nonNegativeLeastSquares([[1], [1]], [-1, -2])).toEqual({ x: [0], free: [false] });
  });
});

test("a notch of a polygon lies outside it", () => {
  const u: Vec2[] = [
    [0, 0],
    [3, 0],
    [3, 3],
    [2, 3],
    [2, 1],
    [1, 1],
    [1, 3],
    [0, 3],
  ];
  for (const [point, inside] of [
    [[1.5, 0.5], true],
    [[0.5, 2.9], true],
    [[2.5, 2], true],
    [[1.5, 2], false],
    [[3.1, 1], false],
    [[-0.1, 1], false],
  ] as [Vec2, boolean][]) {
    expect([point, insidePolygon(point, u)]).toEqual([point, inside]);
    expect(insidePolygon(point, [...u].reverse())).toBe(inside);
  }
});

test("the box around a turned box is that of its corners", () => {
  const [c, s] = [Math.cos(0.7), Math.sin(0.7)];
  const matrix = [c, -s, 0, 5, s, c, 0, -2, 0, 0, 2, 1];
  const box = boxOf([-1, 0, 3, 2, -4, 0.5, 0, 1, 1]);
  expect(box).toEqual({ low: [-1, -4, 0.5], high: [2, 1, 3] });
  const corners = Array.from({ length: 8 }, (_, i) => {
    const p = [0, 1, 2].map((k) => ((i >> k) & 1 ? box.high : box.low)[k]);
    return [0, 1, 2].map((r) => matrix[r * 4 + 3] + p.reduce((sum, v, k) => sum + matrix[r * 4 + k] * v, 0));
  });
  const placed = placedBox(box, matrix);
  for (const k of [0, 1, 2]) {
    expect(placed.low[k]).toBeCloseTo(Math.min(...corners.map((p) => p[k])), 12);
    expect(placed.high[k]).toBeCloseTo(Math.max(...corners.map((p) => p[k])), 12);
  }
  const all = emptyBox();
  widen(all, box);
  widen(all, { low: [-9, 0, 0], high: [0, 0, 9] });
  expect(all).toEqual({ low: [-9, -4, 0], high: [2, 1, 9] });
});
