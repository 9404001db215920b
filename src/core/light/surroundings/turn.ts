import type { Vec3 } from "../../math/vec3.ts";
import { toRadians } from "../../math/vec3.ts";

/** How a picture of all around is turned. Degrees. */
export interface Turn {
  /** Where its middle points: clockwise from +Y. */
  turnDeg: number;
  /** How far its middle is lifted. */
  tiltDeg: number;
  /** How far it is turned about its middle, clockwise as seen from within. */
  rollDeg: number;
  /** Left and right changed over. */
  flip: boolean;
}

/** 3 × 3, row-major: from the world's directions to those of the picture (+Y in its middle). Mirrors where it is flipped. */
export function turnMatrix({ turnDeg, tiltDeg, rollDeg, flip }: Turn): number[] {
  const [turn, tilt, roll] = [turnDeg, tiltDeg, rollDeg].map(toRadians);
  const [st, ct, si, ci, sr, cr] = [turn, tilt, roll].flatMap((a) => [Math.sin(a), Math.cos(a)]);
  // Axes of the picture in the world: its right, its middle and its top, tilted, turned, then rolled about the middle.
  const middle: Vec3 = [st * ci, ct * ci, si];
  const right: Vec3 = [ct, -st, 0];
  const top: Vec3 = [-st * si, -ct * si, ci];
  const rolled = (a: Vec3, b: Vec3, s: number): Vec3 => a.map((x, k) => cr * x + s * sr * b[k]) as Vec3;
  const x = rolled(right, top, -1);
  const z = rolled(top, right, 1);
  return [...(flip ? x.map((v) => -v) : x), ...middle, ...z];
}

/** A direction of the world as one of the picture. */
export const intoPicture = (m: readonly number[], d: Vec3): Vec3 =>
  [0, 3, 6].map((row) => m[row] * d[0] + m[row + 1] * d[1] + m[row + 2] * d[2]) as Vec3;

/** A direction of the picture as one of the world. */
export const outOfPicture = (m: readonly number[], d: Vec3): Vec3 =>
  [0, 1, 2].map((column) => m[column] * d[0] + m[3 + column] * d[1] + m[6 + column] * d[2]) as Vec3;
