import * as v from "valibot";
import { Finite } from "../schema/fields.ts";
import type { Vec3 } from "../math/vec3.ts";
import { cross, dot, normalize, toDegrees, toRadians } from "../math/vec3.ts";
import { anglesFromDirection, directionFromAngles } from "./sun.ts";

/**
 * How the world's ground lies against what is level, as water stands: it falls by some degrees towards an azimuth of the
 * world. On a ramp or a hillside the sky and the almanac's sun stand by what is level, and not by the ground.
 */
export const SlopeSchema = v.object({
  deg: v.pipe(Finite, v.minValue(0, "must be 0 or more"), v.maxValue(60, "must be 60° or less")),
  /** Clockwise from +Y. */
  towardsDeg: Finite,
});
export type Slope = v.InferOutput<typeof SlopeSchema>;
export const newSlope = (): Slope => ({ deg: 0, towardsDeg: 0 });

/** A direction of the world against what is level: up along +Z, azimuths turned no further than the slope needs. */
export const levelDirection = (slope: Slope, d: Vec3): Vec3 => tilted(slope, d, 1);

/** A direction that is given against what is level, in the world. */
export const worldDirection = (slope: Slope, d: Vec3): Vec3 => tilted(slope, d, -1);

/** Turns about the level line of the ground: the way downhill goes below the horizon, or comes back from there. */
function tilted({ deg, towardsDeg }: Slope, d: Vec3, way: 1 | -1): Vec3 {
  if (deg === 0) return d;
  const [x, y] = [Math.sin(toRadians(towardsDeg)), Math.cos(toRadians(towardsDeg))];
  const [c, s] = [Math.cos(toRadians(deg)), way * Math.sin(toRadians(deg))];
  const down = d[0] * x + d[1] * y;
  const change = down * c + d[2] * s - down;
  return [d[0] + change * x, d[1] + change * y, d[2] * c - down * s];
}

/** Azimuth clockwise from +Y and height over the horizon, degrees. */
export interface Angles {
  azimuthDeg: number;
  elevationDeg: number;
}

const turned = (slope: Slope, angles: Angles, turn: (slope: Slope, d: Vec3) => Vec3): Angles => {
  if (slope.deg === 0) return { azimuthDeg: angles.azimuthDeg, elevationDeg: angles.elevationDeg };
  const d = turn(slope, directionFromAngles(toRadians(angles.azimuthDeg), toRadians(angles.elevationDeg)));
  const { azimuth, elevation } = anglesFromDirection(d);
  return { azimuthDeg: toDegrees(azimuth), elevationDeg: toDegrees(elevation) };
};
export const levelAngles = (slope: Slope, world: Angles): Angles => turned(slope, world, levelDirection);
export const worldAngles = (slope: Slope, level: Angles): Angles => turned(slope, level, worldDirection);

/** The slope by which two lines of sight, far apart on the horizon, are level; null where they are too near each other. */
export function slopeOfHorizon(a: Vec3, b: Vec3): Slope | null {
  const up = normalize(cross(a, b));
  if (Math.hypot(...cross(normalize(a), normalize(b))) < 0.02) return null;
  const u: Vec3 = up[2] < 0 ? [-up[0], -up[1], -up[2]] : up;
  const deg = toDegrees(Math.acos(Math.min(1, dot(u, [0, 0, 1]))));
  // What is up leans uphill: away from where the ground falls.
  return { deg, towardsDeg: (toDegrees(Math.atan2(-u[0], -u[1])) + 360) % 360 };
}
