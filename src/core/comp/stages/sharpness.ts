import * as v from "valibot";
import { Id, Positive, Share } from "../../schema/fields.ts";
import { blur, reachOf } from "../blur.ts";
import type { Layers, Where } from "../layers.ts";
import type { Stage, StageBase } from "../stage.ts";

/**
 * How soft the plate's edges are. A render has this softness from its pixel filter; what was rendered sharper is blurred by
 * what is missing.
 */
export const entries = {
  on: v.boolean(),
  strength: v.optional(Share, 1),
  matte: v.optional(v.nullable(Id), null),
  /** Standard deviation, pixels of the plate; null before it is known. */
  sigmaPx: v.nullable(v.pipe(Positive, v.maxValue(8, "must be 8 or less"))),
};
export const schema = v.object(entries);
export type Settings = v.InferOutput<typeof schema> & StageBase;
export const fresh = (): Settings => ({ on: true, strength: 1, matte: null, sigmaPx: null });

/** Less is not seen: what is missing up to here stays. */
const LEAST = 0.25;

/** Standard deviation of the blur that is missing, pixels of the picture. */
export function missingBlur({ sigmaPx }: Settings, { scale, renderedSigma }: Where): number {
  if (sigmaPx === null) return 0;
  const missing = Math.sqrt(Math.max(0, (sigmaPx * scale) ** 2 - renderedSigma ** 2));
  return missing > LEAST ? missing : 0;
}

export const stage: Stage<Settings> = {
  label: "Sharpness",
  changes: ["prop", "ratio", "added"],
  halo: ({ sigmaPx }, scale) => reachOf((sigmaPx ?? 0) * scale),
  idle: (settings, where) => missingBlur(settings, where) === 0,
  apply: ({ prop, ratio, added, width, height }: Layers, settings: Settings, where: Where) => {
    const sigma = missingBlur(settings, where);
    blur(prop, width, height, 4, sigma, 0);
    blur(ratio, width, height, 3, sigma, 1);
    blur(added, width, height, 3, sigma, 0);
  },
};
