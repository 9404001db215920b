import * as v from "valibot";
import { Id, byId } from "../schema/fields.ts";
import { SetMaterialSchema, newMaterial } from "./materials.ts";
import { MeasureSchema } from "./measures.ts";
import { PartSchema } from "./parts/index.ts";

/** The set step's part of the document. */

export const setEntries = {
  set: byId(PartSchema),
  materials: byId(SetMaterialSchema),
  /** The material of the endless ground beyond the set. */
  ground: Id,
  measures: byId(MeasureSchema),
};
export type SetPart = v.InferOutput<v.ObjectSchema<typeof setEntries, undefined>>;

/** A set with nothing drawn yet, and ground of a usual kind beyond it. */
export const newSet = (): SetPart => ({
  set: {},
  materials: { "material-1": newMaterial("material-1", "Stone paving", [0.25, 0.25, 0.25], 0.07, "common practice") },
  ground: "material-1",
  measures: {},
});
