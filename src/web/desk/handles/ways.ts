import type { Vec3 } from "#core/math/vec3";
import { add, dot, scale, sub } from "#core/math/vec3";
import type { Plane } from "#core/optics/camera";
import { planeAxes } from "#core/set/face";

/** The ways in which something dragged goes, each a number of metres that can be typed. */
export interface Ways {
  names: string[];
  directions: Vec3[];
}

/** A line has one way, a plane two. */
export function waysAlong(along: { plane: Plane } | { direction: Vec3 }): Ways {
  if ("direction" in along) return { names: ["along"], directions: [along.direction] };
  const [u, w] = planeAxes(along.plane.normal);
  const level = Math.abs(along.plane.normal[2]) > 0.9999;
  return {
    names: level ? ["X", "Y"] : ["level", "up"],
    directions: [u, [...w].map((x) => (level ? Math.abs(x) : x)) as Vec3],
  };
}

/** Metres along each way from one point to another. */
export const metresAlong = ({ directions }: Ways, from: Vec3, to: Vec3): number[] =>
  directions.map((way) => dot(sub(to, from), way));

/** The point that lies so many metres along each way. */
export const goneAlong = ({ directions }: Ways, from: Vec3, metres: readonly number[]): Vec3 =>
  directions.reduce((p, way, i) => add(p, scale(way, metres[i])), from);
