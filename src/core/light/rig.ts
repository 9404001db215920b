import type { Vec3 } from "../math/vec3.ts";
import { add, cross, scale, toRadians } from "../math/vec3.ts";
import type { Lamp, Picture, Sun, Surround } from "../trace/scene.ts";
import { LAMPS } from "./lamps.ts";
import type { LightPart, ShotLamp, Source } from "./schema.ts";
import { skyEnvironment } from "./skies/index.ts";
import { directionFromAngles } from "./sun.ts";

/** The shot's lights as the tracer takes them: at full strength, since strength and tint are weighed after it. */

/** The shot's lamps that are switched on, as the tracer takes them. */
export function lampsOf({ light }: LightPart): Lamp[] {
  return lampsLit({ light }).map((lamp) => {
    const [azimuth, tilt] = [toRadians(lamp.azimuthDeg), toRadians(lamp.tiltDeg)];
    const facing = directionFromAngles(azimuth, tilt);
    return {
      name: lamp.name,
      kind: LAMPS[lamp.kind].traced,
      position: lamp.position,
      facing,
      across: acrossOf(lamp, facing),
      size: lamp.size,
      radiance: scale(lamp.colour, lamp.level),
      cone: {
        inner: toRadians(Math.min(lamp.cone.innerDeg, lamp.cone.outerDeg)),
        outer: toRadians(lamp.cone.outerDeg),
      },
      profile: lamp.kind === "photometric" ? lamp.profile : null,
    };
  });
}

/** Along its width, which lies level unless it is turned about its axis. */
export function acrossOf({ azimuthDeg, spinDeg }: Pick<ShotLamp, "azimuthDeg" | "spinDeg">, facing: Vec3): Vec3 {
  const azimuth = toRadians(azimuthDeg);
  const level: Vec3 = [Math.cos(azimuth), -Math.sin(azimuth), 0];
  if (spinDeg === 0) return level;
  const spin = toRadians(spinDeg);
  return add(scale(level, Math.cos(spin)), scale(cross(facing, level), Math.sin(spin)));
}

/** A source's colour as it weighs on the props. */
export const weighed = (colour: Vec3, { strength, tint, lights }: Source): Vec3 =>
  lights === "set" ? [0, 0, 0] : ([0, 1, 2].map((k) => colour[k] * strength * tint[k]) as Vec3);

/** Lights that do not light a prop, as the tracer takes them; null where all do. */
export function unlitBy(shot: LightPart, prop: string): { sun: boolean; sky: boolean; lamps: number[] } | null {
  const { sun, sky } = shot.light;
  const spares = ({ except }: Pick<Source, "except">) => except.includes(prop);
  const lamps = lampsLit(shot).flatMap((lamp, i) => (spares(lamp) ? [i] : []));
  return spares(sun) || spares(sky) || lamps.length > 0 ? { sun: spares(sun), sky: spares(sky), lamps } : null;
}

/** Lamps that the tracer is given, in its order. */
export const lampsLit = ({ light }: LightPart) =>
  Object.values(light.lamps).filter((lamp) => lamp.on && lamp.level !== 0);

export const sunDirection = ({ light }: LightPart): Vec3 =>
  directionFromAngles(toRadians(light.sun.azimuthDeg), toRadians(light.sun.elevationDeg));

export const sunOf = (shot: LightPart): Sun | null =>
  shot.light.sun.on
    ? {
        direction: sunDirection(shot),
        irradiance: shot.light.sun.irradiance,
        angularRadius: toRadians(shot.light.sun.radiusDeg),
      }
    : null;

/** Radiance of an even sky, and the picture of one that is not, with how it stands. */
export function skyOf(shot: LightPart): { sky: Vec3; environment: Picture | null; surround: Surround | null } {
  const { on, radiance, spread } = shot.light.sky;
  if (!on) return { sky: [0, 0, 0], environment: null, surround: null };
  return { sky: radiance, ...skyEnvironment(spread, radiance, sunDirection(shot), shot.light.slope) };
}
