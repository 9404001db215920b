import * as v from "valibot";
import { changesNothing, gradeColour, gradeEntries, grader, newGrade } from "../grade.ts";
import type { Layers } from "../layers.ts";
import type { Stage, StageBase } from "../stage.ts";
import { newStage, stageEntries } from "../stage.ts";

/** Colour of the props, brought to the plate's black, white and cast. */
export const entries = { ...stageEntries, ...gradeEntries };
export const schema = v.object(entries);
export type Settings = v.InferOutput<typeof schema> & StageBase;
export const fresh = (): Settings => ({ ...newStage(), ...newGrade() });

export const stage: Stage<Settings> = {
  label: "Props",
  changes: ["prop"],
  halo: () => 0,
  idle: changesNothing,
  apply: ({ prop }: Layers, settings: Settings) => {
    const grade = grader(settings);
    const colour = new Float64Array(3);
    for (let i = 0; i < prop.length; i += 4) {
      const a = prop[i + 3];
      if (a <= 0) continue;
      for (let k = 0; k < 3; k++) colour[k] = prop[i + k] / a;
      gradeColour(grade, colour);
      for (let k = 0; k < 3; k++) prop[i + k] = colour[k] * a;
    }
  },
};
