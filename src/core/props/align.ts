import type { Vec3 } from "../math/vec3.ts";
import { toDegrees, toRadians } from "../math/vec3.ts";

/** Turning props about points, along edges, and onto the steps of a grid. Angles in degrees, anticlockwise from above. */

/** A place and heading, as documents have them. */
export interface Standing {
  position: Vec3;
  turnDeg: number;
}

/** An angle between −180° and 180°. */
export const wrapped = (deg: number): number => ((((deg + 180) % 360) + 360) % 360) - 180;

/** What stands somewhere, turned about an upright line through a point. */
export function turnedAbout({ position: [x, y, z], turnDeg }: Standing, [px, py]: Vec3, deg: number): Standing {
  const [c, s] = [Math.cos(toRadians(deg)), Math.sin(toRadians(deg))];
  const [dx, dy] = [x - px, y - py];
  return { position: [px + c * dx - s * dy, py + s * dx + c * dy, z], turnDeg: wrapped(turnDeg + deg) };
}

/**
 * The least turn that brings a heading, or one at right angles to it, along a direction as seen from above. Null where
 * the direction is upright.
 */
export function turnAlong(turnDeg: number, direction: Vec3): number | null {
  if (Math.hypot(direction[0], direction[1]) < 1e-3 * Math.hypot(...direction)) return null;
  const off = toDegrees(Math.atan2(direction[1], direction[0])) - turnDeg;
  return off - 90 * Math.round(off / 90);
}

/** A place on the nearest line of a grid, across and deep; its height stays. A step of 0 is no grid. */
export const onGrid = ([x, y, z]: Vec3, step: number): Vec3 =>
  step > 0 ? [Math.round(x / step) * step, Math.round(y / step) * step, z] : [x, y, z];
