import type { LightPart } from "../light/schema.ts";
import type { LightWeights } from "../trace/film.ts";

/** What comp changes without a new ray. */

/** Density and tint of the shadow, as weights of the catcher's lights. */
export function lightWeights(shot: LightPart): LightWeights {
  const { density, tint } = shot.light;
  return { sun: [density, density, density], sky: tint, bounce: tint };
}

/** Level of the props, applied to the developed prop pass. */
export const scaleProp = (prop: Float32Array, level: number): void => {
  if (level === 1) return;
  for (let i = 0; i < prop.length; i += 4) for (let k = 0; k < 3; k++) prop[i + k] *= level;
};
