import * as v from "valibot";
import { ColourSchema, Finite, HashSchema, Id, Positive, Share, Text, Vec3Schema, byId } from "../schema/fields.ts";

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

export const PropSchema = v.object({
  id: Id,
  name: Text,
  source: v.variant("kind", [
    v.object({ kind: v.literal("model"), asset: HashSchema, fileName: Text }),
    v.object({
      kind: v.picklist(["box", "sphere", "cylinder"]),
      colour: ColourSchema,
      roughness: Share,
      metallic: Share,
    }),
  ]),
  placement: PlacementSchema,
  /** What to keep when the camera is solved again. */
  keeps: v.picklist(["metres", "picture"]),
  hidden: v.boolean(),
  visibility: VisibilitySchema,
  /** How far it goes and turns while the shutter is open; null for one that stands still. */
  motion: v.nullable(v.object({ offset: Vec3Schema, turnDeg: Finite })),
});

export const propsEntries = { props: byId(PropSchema) };
export type PropsPart = v.InferOutput<v.ObjectSchema<typeof propsEntries, undefined>>;
export type Prop = v.InferOutput<typeof PropSchema>;

/** What a new prop shows itself to: everything. It stands still. */
export const plainProp = (): Pick<Prop, "hidden" | "visibility" | "motion"> => ({
  hidden: false,
  visibility: { camera: true, shadow: true, reflection: true, bounce: true },
  motion: null,
});
