import * as v from "valibot";
import { Finite, Id, NotNegative, Share, inPixels, whole } from "../../schema/fields.ts";

/** The plate's grain, laid on what is rendered. */
const Correlation = v.pipe(Finite, v.minValue(-1), v.maxValue(1));

/** Frequencies that JPEG keeps of a square, across and down. */
export const FREQUENCIES = 8;

/** What JPEG left of the grain: squares that know nothing of each other. */
export const GrainBlocksSchema = v.object({
  on: v.boolean(),
  /** Pixels a side, and a corner of one of them. */
  side: v.pipe(Finite, v.minValue(0.1), v.maxValue(64)),
  x: Finite,
  y: Finite,
  /** Share of the variance in each frequency of a square, those across first to change. */
  spectrum: v.pipe(v.array(Share), v.length(FREQUENCIES * FREQUENCIES)),
});
export type GrainBlocks = v.InferOutput<typeof GrainBlocksSchema>;

/** Grain as it was measured: linear light, by channel. */
export const GrainModelSchema = v.object({
  /** Standard deviation in the dark. */
  read: v.tuple([NotNegative, NotNegative, NotNegative]),
  /** Variance that light adds, over that light. */
  shot: v.tuple([NotNegative, NotNegative, NotNegative]),
  /** Least light that it was measured at. */
  from: v.optional(v.tuple([NotNegative, NotNegative, NotNegative]), [0, 0, 0]),
  /** Standard deviation of the Gaussian that it is as coarse as, pixels. */
  size: v.pipe(NotNegative, v.maxValue(3)),
  /** Correlation of red with green, red with blue, green with blue. */
  joined: v.tuple([Correlation, Correlation, Correlation]),
  /** Absent where the plate shows none. */
  blocks: v.optional(GrainBlocksSchema),
});
export type GrainModel = v.InferOutput<typeof GrainModelSchema>;

/** A part of the plate, pixels: left, top, right, bottom. */
export const AreaSchema = v.tuple([
  inPixels(Finite, "across"),
  inPixels(Finite, "down"),
  inPixels(Finite, "across"),
  inPixels(Finite, "down"),
]);
export type Area = v.InferOutput<typeof AreaSchema>;

export const schema = v.object({
  on: v.boolean(),
  /** More than 1 is more than the plate has. */
  strength: v.pipe(NotNegative, v.maxValue(4, "must be 4 or less")),
  matte: v.optional(v.nullable(Id), null),
  seed: whole(0, 0xffffffff),
  model: v.nullable(GrainModelSchema),
  /** Flat parts of the plate that it is measured on; none for those that are found all over it. */
  areas: v.optional(v.pipe(v.array(AreaSchema), v.maxLength(32, "must be 32 or fewer")), []),
});
export type Settings = v.InferOutput<typeof schema>;
export const fresh = (): Settings => ({ on: true, strength: 1, matte: null, seed: 1, model: null, areas: [] });
