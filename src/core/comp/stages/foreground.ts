import * as v from "valibot";
import type { Layers } from "../layers.ts";
import type { Stage, StageBase } from "../stage.ts";
import { newStage, stageEntries } from "../stage.ts";

/** What of the plate stands before everything rendered: the matte's share of it stays photograph. */
export const schema = v.object(stageEntries);
export type Settings = v.InferOutput<typeof schema> & StageBase;
export const fresh = (): Settings => newStage();

export const stage: Stage<Settings> = {
  label: "In front",
  changes: ["prop", "ratio", "added"],
  halo: () => 0,
  idle: ({ matte }) => matte === null,
  ownMatte: true,
  apply: ({ prop, ratio, added, width, height }: Layers, { strength }: Settings, _where, matte) => {
    if (!matte) return;
    for (let pixel = 0; pixel < width * height; pixel++) {
      const front = strength * matte[pixel];
      if (front <= 0) continue;
      const left = 1 - front;
      for (let k = 0; k < 4; k++) prop[pixel * 4 + k] *= left;
      for (let k = 0; k < 3; k++) {
        const i = pixel * 3 + k;
        // Exactly the plate where it is wholly in front.
        ratio[i] = left === 0 || ratio[i] === 1 ? 1 : 1 + left * (ratio[i] - 1);
        added[i] = left === 0 ? 0 : left * added[i];
      }
    }
  },
};
