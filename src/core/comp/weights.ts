import { lampsLit } from "../light/rig.ts";
import type { LightPart, Source } from "../light/schema.ts";
import type { Vec3 } from "../math/vec3.ts";
import { scale } from "../math/vec3.ts";
import type { GroupWeights, LightWeights } from "../trace/film.ts";

/** What light and comp change without a new ray. */

/** The only source that counts: `sun`, `sky`, or a lamp's id; null for all. */
export type Solo = string | null;

const ONE: Vec3 = [1, 1, 1];
const NONE: Vec3 = [0, 0, 0];

/** Weights of every source on the props or on the set. */
function sourceWeights({ light }: LightPart, of: "props" | "set", solo: Solo): GroupWeights & { lamps: Vec3[] } {
  const weight = (id: string, { strength, tint, lights }: Source): Vec3 =>
    (solo !== null && solo !== id) || (lights !== "all" && lights !== of) ? NONE : scale(tint, strength);
  return {
    sun: weight("sun", light.sun),
    sky: weight("sky", light.sky),
    bounce: solo === null ? ONE : NONE,
    lamps: lampsLit({ light }).map((lamp) => weight(lamp.id, lamp)),
  };
}

const isOne = ({ sun, sky, bounce, lamps = [] }: GroupWeights): boolean =>
  [sun, sky, bounce, ...lamps].every((w) => w.every((x) => x === 1));

/** True if the lights on the props are weighed again, for which the film must keep them apart. */
export const weighsProps = (shot: LightPart): boolean => !isOne(sourceWeights(shot, "props", null));

/**
 * Strength, tint and whom each source lights, with density and tint of the shadow: weights of the catcher's lights and
 * of the props'. Density and tint weigh sun and sky against each other on the catcher alone.
 */
export function lightWeights(shot: LightPart, solo: Solo = null): LightWeights {
  const { density, tint } = shot.light;
  const onSet = sourceWeights(shot, "set", solo);
  const onProps = sourceWeights(shot, "props", solo);
  const by = (a: Vec3, b: Vec3): Vec3 => [a[0] * b[0], a[1] * b[1], a[2] * b[2]];
  return {
    sun: scale(onSet.sun, density),
    sky: by(onSet.sky, tint),
    bounce: by(onSet.bounce, tint),
    ...(onSet.lamps.length > 0 && !isOne(onSet) ? { lamps: onSet.lamps } : {}),
    ...(isOne(onProps) ? {} : { props: onProps }),
  };
}

/** Level of the props, applied to the developed prop pass. */
export const scaleProp = (prop: Float32Array, level: number): void => {
  if (level === 1) return;
  for (let i = 0; i < prop.length; i += 4) for (let k = 0; k < 3; k++) prop[i + k] *= level;
};
