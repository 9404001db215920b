import type { Mat3, Vec3 } from "../math/vec3.ts";
import { apply, multiply } from "../math/vec3.ts";

/** Linear RGB of any primaries as linear Rec. 709. */

/** CIE x and y of red, green, blue and white of Rec. 709 (ITU-R BT.709-6, table 1). */
export const REC709_PRIMARIES = [0.64, 0.33, 0.3, 0.6, 0.15, 0.06, 0.3127, 0.329];

/** Cone responses of XYZ in the linear Bradford transform (ICC.1:2022, annex E). */
const BRADFORD: Mat3 = [
  [0.8951, 0.2664, -0.1614],
  [-0.7502, 1.7135, 0.0367],
  [0.0389, -0.0685, 1.0296],
];

export function inverse(m: Mat3): Mat3 {
  const minor = (i: number, j: number): number => {
    const [a, b] = [0, 1, 2].filter((k) => k !== i);
    const [c, d] = [0, 1, 2].filter((k) => k !== j);
    return (m[a][c] * m[b][d] - m[a][d] * m[b][c]) * ((i + j) % 2 === 0 ? 1 : -1);
  };
  const det = m[0][0] * minor(0, 0) + m[0][1] * minor(0, 1) + m[0][2] * minor(0, 2);
  return [0, 1, 2].map((i) => [0, 1, 2].map((j) => minor(j, i) / det)) as Mat3;
}

const xyzOf = (x: number, y: number): Vec3 => [x / y, 1, (1 - x - y) / y];

/** XYZ of linear RGB with the given primaries, white at Y = 1 (SMPTE RP 177-1993). */
export function rgbToXyz(p: readonly number[]): Mat3 {
  const columns = [0, 2, 4].map((i) => xyzOf(p[i], p[i + 1]));
  const primaries = [0, 1, 2].map((k) => columns.map((c) => c[k])) as Mat3;
  const weights = apply(inverse(primaries), xyzOf(p[6], p[7]));
  return primaries.map((row) => row.map((x, j) => x * weights[j])) as Mat3;
}

/** Matrix to linear Rec. 709, adapted to its white; the unit matrix for its own primaries. Null where there is none. */
export function toRec709(p: readonly number[]): Mat3 | null {
  if (p.every((x, i) => Math.abs(x - REC709_PRIMARIES[i]) < 1e-4))
    return [
      [1, 0, 0],
      [0, 1, 0],
      [0, 0, 1],
    ];
  const white = (of: readonly number[]) => apply(BRADFORD, xyzOf(of[6], of[7]));
  const [from, to] = [white(p), white(REC709_PRIMARIES)];
  const scaled = [0, 1, 2].map((i) => [0, 1, 2].map((j) => (i === j ? to[i] / from[i] : 0))) as Mat3;
  const adapt = multiply(inverse(BRADFORD), multiply(scaled, BRADFORD));
  const m = multiply(inverse(rgbToXyz(REC709_PRIMARIES)), multiply(adapt, rgbToXyz(p)));
  return m.flat().every((x) => Number.isFinite(x) && Math.abs(x) < 100) ? m : null;
}

/** CIE x and y of the primaries, adapted to the white of Rec. 709, whose matrix to it that is. */
export function primariesOf(matrix: Mat3): number[] {
  const xyz = multiply(rgbToXyz(REC709_PRIMARIES), matrix);
  const place = ([x, y, z]: Vec3): number[] => [x / (x + y + z), y / (x + y + z)];
  return [...[0, 1, 2].flatMap((j) => place([xyz[0][j], xyz[1][j], xyz[2][j]])), ...REC709_PRIMARIES.slice(6)];
}
