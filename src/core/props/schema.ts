import * as v from "valibot";
import { ColourSchema, Finite, HashSchema, Id, Positive, Share, Text, Vec3Schema, byId } from "../schema/fields.ts";
import { ArraySchema } from "./array.ts";
import { LooksSchema } from "./looks.ts";
import { ShapeSchema } from "./shapes/index.ts";
import { SkinSchema } from "./skin.ts";

/** The props step's part of the document. */

const PlacementSchema = v.object({
  position: Vec3Schema,
  turnDeg: Finite,
  leanDeg: v.tuple([Finite, Finite]),
  scale: v.tuple([Positive, Positive, Positive]),
});

/** Which rays meet a prop. */
const VisibilitySchema = v.object({
  camera: v.boolean(),
  shadow: v.boolean(),
  reflection: v.boolean(),
  bounce: v.boolean(),
});

/** How a file without units, or without a word on which way is up, is read. */
export const ReadingSchema = v.object({
  /** Metres of one of its units. */
  unit: Positive,
  /** Which of its axes, as it came in, is up here. */
  up: v.picklist(["x", "y", "z"]),
  /** What of it stands where the prop is placed: the file's origin, as where nothing is said, or the middle of its base. */
  foot: v.optional(v.picklist(["origin", "base"])),
});
export type Reading = v.InferOutput<typeof ReadingSchema>;
export const plainReading = (): Reading => ({ unit: 1, up: "z" });

/**
 * What a prop is in the picture: CG; a catcher that shows the plate and takes other props' light and shadow; or a
 * stand-in for a real thing of the plate that hides what is behind it.
 */
export const PROP_ROLES = ["cg", "catcher", "blocker"] as const;
export type PropRole = (typeof PROP_ROLES)[number];

/** What a prop rests on. */
const StandsOnSchema = v.nullable(
  v.variant("on", [
    v.object({ on: v.literal("face"), part: Id, face: Text }),
    v.object({ on: v.literal("prop"), prop: Id }),
  ]),
);
export type StandsOn = v.InferOutput<typeof StandsOnSchema>;

export const PropSchema = v.object({
  id: Id,
  name: Text,
  source: v.variant("kind", [
    v.object({
      kind: v.literal("model"),
      asset: HashSchema,
      fileName: Text,
      reading: ReadingSchema,
      /** The photographs that a box of this file was made of; null for any other model. */
      skin: v.nullable(SkinSchema),
    }),
    v.object({
      kind: v.literal("shape"),
      shape: ShapeSchema,
      colour: ColourSchema,
      roughness: Share,
      metallic: Share,
    }),
    /** A box that holds the place of a model to come. */
    v.object({ kind: v.literal("standIn"), size: v.tuple([Positive, Positive, Positive]) }),
  ]),
  /** How materials look, by their names, in place of how the file has them. */
  looks: LooksSchema,
  placement: PlacementSchema,
  /** Copies of it in a row, a ring or along a line; null for one alone. */
  array: v.nullable(ArraySchema),
  stands: StandsOnSchema,
  /** What to keep when the camera is solved again. */
  keeps: v.picklist(["metres", "picture"]),
  hidden: v.boolean(),
  /** Cannot be moved by the pointer. */
  locked: v.boolean(),
  role: v.picklist(PROP_ROLES),
  /** Props of the same group are moved together. */
  group: v.nullable(Id),
  visibility: VisibilitySchema,
  /** How far it goes and turns while the shutter is open; null for one that stands still. */
  motion: v.nullable(v.object({ offset: Vec3Schema, turnDeg: Finite })),
});

export const propsEntries = { props: byId(PropSchema) };
export type PropsPart = v.InferOutput<v.ObjectSchema<typeof propsEntries, undefined>>;
export type Prop = v.InferOutput<typeof PropSchema>;

/** What a new prop shows itself to: everything. It stands still, alone, free and as it came. */
export const plainProp = (): Pick<
  Prop,
  "looks" | "array" | "stands" | "hidden" | "locked" | "role" | "group" | "visibility" | "motion"
> => ({
  looks: {},
  array: null,
  stands: null,
  hidden: false,
  locked: false,
  role: "cg",
  group: null,
  visibility: { camera: true, shadow: true, reflection: true, bounce: true },
  motion: null,
});
