import type { Vec3 } from "../math/vec3.ts";
import { scale, toRadians } from "../math/vec3.ts";
import type { Lamp, Sun } from "../trace/scene.ts";
import type { LightPart } from "./schema.ts";
import { directionFromAngles } from "./sun.ts";

/** The shot's lights as the tracer takes them. */

/** The shot's lamps that are switched on, as the tracer takes them. */
export function lampsOf({ light }: LightPart): Lamp[] {
  return Object.values(light.lamps).flatMap((lamp) => {
    if (!lamp.on || lamp.level === 0) return [];
    const [azimuth, tilt] = [toRadians(lamp.azimuthDeg), toRadians(lamp.tiltDeg)];
    const facing = directionFromAngles(azimuth, tilt);
    // The width lies level.
    const across: Vec3 = [Math.cos(azimuth), -Math.sin(azimuth), 0];
    return [
      {
        name: lamp.name,
        kind: lamp.kind,
        position: lamp.position,
        facing,
        across,
        size: lamp.size,
        radiance: scale(lamp.colour, lamp.level),
        cone: {
          inner: toRadians(Math.min(lamp.cone.innerDeg, lamp.cone.outerDeg)),
          outer: toRadians(lamp.cone.outerDeg),
        },
      },
    ];
  });
}

export const sunDirection = ({ light }: LightPart): Vec3 =>
  directionFromAngles(toRadians(light.sun.azimuthDeg), toRadians(light.sun.elevationDeg));

export const sunOf = (shot: LightPart): Sun | null =>
  shot.light.sun.on
    ? {
        direction: sunDirection(shot),
        irradiance: shot.light.sunIrradiance,
        angularRadius: toRadians(shot.light.sun.radiusDeg),
      }
    : null;
