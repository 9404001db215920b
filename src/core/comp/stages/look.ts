import * as v from "valibot";
import { linearToSrgb, srgbToLinear } from "../../colour/srgb.ts";
import { CurveSchema, curveOf, isStraight, straight } from "../curve.ts";
import { changesNothing, gradeEntries, grader, newGrade } from "../grade.ts";
import type { StageBase } from "../stage.ts";
import { newStage, stageEntries } from "../stage.ts";
import { tabled } from "../tabled.ts";
import type { Lut } from "../lut.ts";
import { LutSchema, lutColour, lutOf } from "../lut.ts";

/** The last stage: the look of the picture, of what is rendered alone, of the plate alone, or of both. */
export const ON = ["cg", "plate", "both"] as const;
export const entries = {
  ...stageEntries,
  of: v.picklist(ON),
  ...gradeEntries,
  /** Over code values, all channels and each by itself. */
  curves: v.object({ all: CurveSchema, red: CurveSchema, green: CurveSchema, blue: CurveSchema }),
  lut: v.nullable(LutSchema),
};
export const schema = v.object(entries);
export type Settings = v.InferOutput<typeof schema> & StageBase;
export const fresh = (): Settings => ({
  ...newStage(),
  of: "both",
  ...newGrade(),
  curves: { all: straight(), red: straight(), green: straight(), blue: straight() },
  lut: null,
});

export const changesNoLook = (s: Settings): boolean =>
  changesNothing(s) && Object.values(s.curves).every(isStraight) && s.lut === null;

/** The look of one colour of linear light, written into `out`. */
export function lookOf(s: Settings): (r: number, g: number, b: number, out: Float64Array) => void {
  const grade = grader(s);
  const bent = Object.values(s.curves).some((curve) => !isStraight(curve));
  const all = curveOf(s.curves.all);
  const each = [s.curves.red, s.curves.green, s.curves.blue].map(curveOf);
  const lut: Lut | null = s.lut ? lutOf(s.lut) : null;
  const code = bent || lut ? tabled(linearToSrgb) : linearToSrgb;
  const light = bent || lut ? tabled(srgbToLinear) : srgbToLinear;
  return (r, g, b, out) => {
    grade(r, g, b, out);
    if (!bent && !lut) return;
    for (let k = 0; k < 3; k++) {
      out[k] = code(out[k]);
      if (bent) out[k] = each[k](all(out[k]));
    }
    if (lut) lutColour(lut, out);
    for (let k = 0; k < 3; k++) out[k] = light(out[k]);
  };
}
