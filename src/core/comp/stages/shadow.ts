import * as v from "valibot";
import { NotNegative, Share } from "../../schema/fields.ts";
import { reachOf } from "../blur.ts";
import type { Layers, Where } from "../layers.ts";
import type { Stage, StageBase } from "../stage.ts";
import { newStage, stageEntries } from "../stage.ts";
import { softenShadow } from "../soften.ts";
import { tabledBy, valueAt } from "../tabled.ts";

/** The props' shadow and bounce on the plate. */
export const entries = {
  ...stageEntries,
  /** 1 as rendered; less is a share of the shadow, more is its optical density (ISO 5-1), so that it never goes black. */
  density: v.pipe(NotNegative, v.maxValue(3, "must be 3 or less")),
  /** Share of the shadow that each channel gets: less of one leaves its colour in the shade. */
  colour: v.tuple([Share, Share, Share]),
  /** Standard deviation of a blur, metres on the surface that the shadow lies on. */
  softness: v.pipe(NotNegative, v.maxValue(2, "must be 2 m or less")),
  /** How much what is closed in darkens the shadow where something touches. */
  contact: Share,
};
export const schema = v.object(entries);
export type Settings = v.InferOutput<typeof schema> & StageBase;
export const fresh = (): Settings => ({ ...newStage(), density: 1, colour: [1, 1, 1], softness: 0, contact: 0 });

/** Most pixels that a shadow is softened by, standard deviation. */
export const MOST_SOFT = 32;
/** Shadow from which contact counts wholly. */
const FULL = 0.1;

const deepened = tabledBy((by) => (light) => Math.pow(Math.max(0, light), by));

export const stage: Stage<Settings> = {
  label: "Shadow and bounce",
  changes: ["ratio"],
  halo: ({ softness }, scale) => (softness > 0 ? reachOf(MOST_SOFT * Math.min(1, scale)) : 0),
  idle: ({ density, colour, softness, contact }) =>
    density === 1 && colour.every((c) => c === 1) && softness === 0 && contact === 0,
  apply: (layers: Layers, { density, colour, softness, contact }: Settings, where: Where) => {
    const { ratio, occlusion, width, height } = layers;
    const weights = colour.map((c) => density * c);
    const deeper = weights.map((by) => (by > 1 ? deepened(by) : null));
    if (softness > 0) softenShadow(layers, softness, MOST_SOFT * Math.min(1, where.scale), where);
    for (let pixel = 0, i = 0; pixel < width * height; pixel++, i += 3) {
      if (ratio[i] === 1 && ratio[i + 1] === 1 && ratio[i + 2] === 1) continue;
      let dark = 1;
      if (contact > 0 && occlusion) {
        const shade = 1 - (ratio[i] + ratio[i + 1] + ratio[i + 2]) / 3;
        dark = 1 - contact * (1 - occlusion[pixel]) * Math.min(1, Math.max(0, shade / FULL));
      }
      for (let k = 0; k < 3; k++) {
        const light = ratio[i + k];
        const power = deeper[k];
        let weighed: number;
        if (light >= 1) weighed = 1 - density * (1 - light);
        else weighed = power ? valueAt(power, light) : 1 - weights[k] * (1 - light);
        ratio[i + k] = Math.max(0, weighed * dark);
      }
    }
  },
};
