import * as v from "valibot";
import { NotNegative } from "../../schema/fields.ts";
import { blur, reachOf } from "../blur.ts";
import type { Layers, Where } from "../layers.ts";
import type { Stage, StageBase } from "../stage.ts";
import { newStage, stageEntries } from "../stage.ts";

/** The props' reflection in the set. */
export const entries = {
  ...stageEntries,
  level: v.pipe(NotNegative, v.maxValue(4, "must be 4 or less")),
  /** Standard deviation of a blur, pixels of the plate. */
  blurPx: v.pipe(NotNegative, v.maxValue(40, "must be 40 px or less")),
  /** Pixels of the plate below the prop over which it fades to a third; 0 for never. */
  fadePx: v.pipe(NotNegative, v.maxValue(4000, "must be 4000 px or less")),
};
export const schema = v.object(entries);
export type Settings = v.InferOutput<typeof schema> & StageBase;
export const fresh = (): Settings => ({ ...newStage(), level: 1, blurPx: 0, fadePx: 0 });

/** Rows above that are looked at for the prop that is mirrored. */
const LOOKS_UP = 400;

export const stage: Stage<Settings> = {
  label: "Reflection",
  changes: ["added"],
  halo: ({ blurPx, fadePx }, scale) =>
    Math.max(reachOf(blurPx * scale), fadePx > 0 ? Math.ceil(Math.min(LOOKS_UP, 5 * fadePx) * scale) : 0),
  idle: ({ level, blurPx, fadePx }) => level === 1 && blurPx === 0 && fadePx === 0,
  apply: (layers: Layers, { level, blurPx, fadePx }: Settings, { scale }: Where) => {
    const { added, prop, width, height } = layers;
    if (fadePx > 0) {
      const look = Math.ceil(Math.min(LOOKS_UP, 5 * fadePx) * scale);
      for (let x = 0; x < width; x++) {
        let last = -Infinity;
        for (let y = 0; y < height; y++) {
          const pixel = y * width + x;
          if (prop[pixel * 4 + 3] > 0.5) last = y;
          const below = y - last;
          const fade = below > look ? Math.exp(-look / (fadePx * scale)) : Math.exp(-below / (fadePx * scale));
          for (let k = 0; k < 3; k++) if (added[pixel * 3 + k] !== 0) added[pixel * 3 + k] *= fade;
        }
      }
    }
    if (level !== 1) for (let i = 0; i < added.length; i++) if (added[i] !== 0) added[i] *= level;
    blur(added, width, height, 3, blurPx * scale, 0);
  },
};
