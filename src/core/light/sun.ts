import type { Vec3 } from "../math/vec3.ts";
import { normalize } from "../math/vec3.ts";

/**
 * Unit vector towards a light at `azimuth` (clockwise from +Y, seen from above) and `elevation` above the horizon,
 * both in radians. `north` of the world, the azimuth of +Y, is added by the caller.
 */
export function directionFromAngles(azimuth: number, elevation: number): Vec3 {
  const flat = Math.cos(elevation);
  return [flat * Math.sin(azimuth), flat * Math.cos(azimuth), Math.sin(elevation)];
}

/** Azimuth clockwise from +Y in 0..2 pi, and elevation, of a direction, in radians. */
export function anglesFromDirection(direction: Vec3): { azimuth: number; elevation: number } {
  const d = normalize(direction);
  const azimuth = Math.atan2(d[0], d[1]);
  return {
    azimuth: azimuth < 0 ? azimuth + 2 * Math.PI : azimuth,
    elevation: Math.asin(Math.max(-1, Math.min(1, d[2]))),
  };
}
