import * as v from "valibot";
import { linearToSrgb, srgbToLinear } from "../../colour/srgb.ts";
import { CurveSchema, curveOf, isStraight, straight } from "../curve.ts";
import type { Grader } from "../grade.ts";
import { changesNothing, gradeColour, gradeEntries, grader, newGrade } from "../grade.ts";
import type { StageBase } from "../stage.ts";
import { newStage, stageEntries } from "../stage.ts";
import type { Table } from "../tabled.ts";
import { tabled, valueAt } from "../tabled.ts";
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

/** A look made ready for many colours. */
export interface Look {
  grade: Grader;
  /** Curves over code values, all channels and then each by itself; null where none is bent. */
  curves: { all: (x: number) => number; each: ((x: number) => number)[] } | null;
  lut: Lut | null;
  /** To code values and back, for curves and lut. */
  codes: { of: Table; light: Table } | null;
}

let codeTables: NonNullable<Look["codes"]> | null = null;

export function lookOf(s: Settings): Look {
  const bent = Object.values(s.curves).some((curve) => !isStraight(curve));
  const each = [s.curves.red, s.curves.green, s.curves.blue].map(curveOf);
  return {
    grade: grader(s),
    curves: bent ? { all: curveOf(s.curves.all), each } : null,
    lut: s.lut ? lutOf(s.lut) : null,
    codes: bent || s.lut ? (codeTables ??= { of: tabled(linearToSrgb), light: tabled(srgbToLinear) }) : null,
  };
}

/** The look of a colour of linear light, in place. */
export function lookColour({ grade, curves, lut, codes }: Look, c: Float64Array): void {
  gradeColour(grade, c);
  if (codes === null) return;
  for (let k = 0; k < 3; k++) {
    c[k] = valueAt(codes.of, c[k]);
    if (curves) c[k] = curves.each[k](curves.all(c[k]));
  }
  if (lut) lutColour(lut, c);
  for (let k = 0; k < 3; k++) c[k] = valueAt(codes.light, c[k]);
}
