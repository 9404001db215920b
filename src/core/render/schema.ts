import * as v from "valibot";
import { Finite, NotNegative, Positive, whole } from "../schema/fields.ts";

/** How the shot is looked at through its lens, and how finals are rendered. */

/** Thin-lens focus. The opening is the focal length divided by the f-number. */
export const FocusSchema = v.object({
  on: v.boolean(),
  openingMm: Positive,
  /** Metres along the view axis. */
  distance: Positive,
  /** Blades of the iris; 0 for a round one. */
  blades: whole(0, 16),
  turnDeg: Finite,
});

/** Layers besides picture, prop, ratio and added light that a final writes. */
export const PASS_GROUPS = ["lights", "surface", "occlusion", "emission", "mattes"] as const;

/** How finals are rendered. */
export const RenderSchema = v.object({
  /** Of the plate's side. */
  percent: v.pipe(
    v.number("must be a number"),
    v.integer("must be a whole number"),
    v.minValue(25, "must be 25 or more"),
    v.maxValue(200, "must be 200 or less"),
  ),
  /** Most samples of a pixel. */
  samples: whole(1, 65536),
  seed: whole(0, 2 ** 32 - 1),
  /** Noise at which a tile is done, in code values of 8 bits; 0 takes every sample. */
  noise: NotNegative,
  /** Most minutes; 0 for no end. */
  minutes: NotNegative,
  passes: v.pipe(v.array(v.picklist(PASS_GROUPS)), v.maxLength(PASS_GROUPS.length)),
  /** Metres that ambient occlusion looks. */
  occlusionMetres: Positive,
  denoise: v.boolean(),
  /** Most that light by way of a matt surface adds to a sample, in multiples of a white surface; 0 for no limit. */
  limit: NotNegative,
  /** Threads of the server that a final takes; 0 for all. */
  threads: whole(0, 64),
});

export const renderEntries = { focus: FocusSchema, render: RenderSchema };
export type RenderPart = v.InferOutput<v.ObjectSchema<typeof renderEntries, undefined>>;
export type PassGroup = (typeof PASS_GROUPS)[number];
export type RenderChoice = v.InferOutput<typeof RenderSchema>;

export const newRender = (): RenderChoice => ({
  percent: 100,
  samples: 128,
  seed: 1,
  noise: 0,
  minutes: 0,
  passes: [],
  occlusionMetres: 1,
  denoise: false,
  limit: 20,
  threads: 0,
});

export const newFocus = (): RenderPart["focus"] => ({ on: false, openingMm: 5, distance: 5, blades: 7, turnDeg: 0 });
