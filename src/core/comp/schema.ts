import * as v from "valibot";
import { byId } from "../schema/fields.ts";
import { MatteSchema } from "./mattes/index.ts";
import { LAYER_STAGES, PICTURE_STAGES } from "./stages/index.ts";

export type { GrainModel } from "./stages/grain.ts";

/** The comp step's part of the document: the settings of its stages, and the mattes that they are held to. */
const { shadow, reflection, props, foreground, sharpness, lens, glow } = LAYER_STAGES;
const { grain, look } = PICTURE_STAGES;

export const CompSchema = v.object({
  shadow: v.optional(shadow.schema, shadow.fresh),
  reflection: v.optional(reflection.schema, reflection.fresh),
  props: v.optional(props.schema, props.fresh),
  foreground: v.optional(foreground.schema, foreground.fresh),
  sharpness: v.optional(sharpness.schema, sharpness.fresh),
  lens: v.optional(lens.schema, lens.fresh),
  glow: v.optional(glow.schema, glow.fresh),
  grain: v.optional(grain.schema, grain.fresh),
  look: v.optional(look.schema, look.fresh),
  mattes: v.optional(byId(MatteSchema), () => ({})),
});
export type Comp = v.InferOutput<typeof CompSchema>;
export interface CompPart {
  comp: Comp;
}

export const newComp = (): Comp => ({
  shadow: shadow.fresh(),
  reflection: reflection.fresh(),
  props: props.fresh(),
  foreground: foreground.fresh(),
  sharpness: sharpness.fresh(),
  lens: lens.fresh(),
  glow: glow.fresh(),
  grain: grain.fresh(),
  look: look.fresh(),
  mattes: {},
});

export const compEntries = { comp: v.optional(CompSchema, newComp) };
