import type { Vec3 } from "../../math/vec3.ts";
import { toRadians } from "../../math/vec3.ts";
import type { Slope } from "../level.ts";
import { worldDirection } from "../level.ts";

/** How a picture of all around is turned, against what is level. Degrees. */
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

/**
 * 3 × 3, row-major: from directions of a world whose ground has that slope to those of the picture (+Y in its middle).
 * Mirrors where it is flipped.
 */
export function turnMatrix({ turnDeg, tiltDeg, rollDeg, flip }: Turn, slope: Slope): number[] {
  const [turn, tilt, roll] = [turnDeg, tiltDeg, rollDeg].map(toRadians);
  const [st, ct, si, ci, sr, cr] = [turn, tilt, roll].flatMap((a) => [Math.sin(a), Math.cos(a)]);
  // Axes of the picture in the world: its right, its middle and its top, tilted, turned, then rolled about the middle.
  const middle: Vec3 = [st * ci, ct * ci, si];
  const right: Vec3 = [ct, -st, 0];
  const top: Vec3 = [-st * si, -ct * si, ci];
  const rolled = (a: Vec3, b: Vec3, s: number): Vec3 => a.map((x, k) => cr * x + s * sr * b[k]) as Vec3;
  const x = rolled(right, top, -1);
  const z = rolled(top, right, 1);
  const axes: Vec3[] = [flip ? (x.map((v) => -v) as Vec3) : x, middle, z];
  return axes.flatMap((axis) => worldDirection(slope, axis));
}

/** A direction of the world as one of the picture. */
export const intoPicture = (m: readonly number[], d: Vec3): Vec3 =>
  [0, 3, 6].map((row) => m[row] * d[0] + m[row + 1] * d[1] + m[row + 2] * d[2]) as Vec3;

/** A direction of the picture as one of the world. */
export const outOfPicture = (m: readonly number[], d: Vec3): Vec3 =>
  [0, 1, 2].map((column) => m[column] * d[0] + m[3 + column] * d[1] + m[6 + column] * d[2]) as Vec3;
