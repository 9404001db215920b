import * as v from "valibot";
import { Finite, NotNegative, Positive, whole } from "../schema/fields.ts";

/** The comp step's part of the document. */

const Correlation = v.pipe(Finite, v.minValue(-1), v.maxValue(1));

/** The plate's grain as it was measured: linear light, by channel. */
export const GrainModelSchema = v.object({
  /** Standard deviation in the dark. */
  read: v.tuple([NotNegative, NotNegative, NotNegative]),
  /** Variance that light adds, over that light. */
  shot: v.tuple([NotNegative, NotNegative, NotNegative]),
  /** Standard deviation of the Gaussian that it is as coarse as, pixels. */
  size: v.pipe(NotNegative, v.maxValue(3)),
  /** Correlation of red with green, red with blue, green with blue. */
  joined: v.tuple([Correlation, Correlation, Correlation]),
});

const CompSchema = v.object({
  /** How soft the plate's edges are: what is rendered is as soft. Standard deviation, pixels; null before it is known. */
  sharpness: v.object({
    on: v.boolean(),
    sigmaPx: v.nullable(v.pipe(Positive, v.maxValue(8, "must be 8 or less"))),
  }),
  grain: v.object({
    on: v.boolean(),
    strength: v.pipe(NotNegative, v.maxValue(4, "must be 4 or less")),
    seed: whole(0, 0xffffffff),
    model: v.nullable(GrainModelSchema),
  }),
});

export type Comp = v.InferOutput<typeof CompSchema>;
export type GrainModel = v.InferOutput<typeof GrainModelSchema>;
export interface CompPart {
  comp: Comp;
}

export const newComp = (): Comp => ({
  sharpness: { on: true, sigmaPx: null },
  grain: { on: true, strength: 1, seed: 1, model: null },
});

export const compEntries = { comp: v.optional(CompSchema, newComp) };
