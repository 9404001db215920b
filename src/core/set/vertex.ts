import * as v from "valibot";
import type { Vec2, Vec3 } from "../math/vec3.ts";
import { MAIN_PLATE } from "../plate/schema.ts";
import { Id, PixelSchema, Vec3Schema } from "../schema/fields.ts";

/** A point of the set: where it is, and where on which plate it was placed. */
export const VertexSchema = v.object({
  world: Vec3Schema,
  /** Where it was placed; null once its metres were typed. */
  pixel: v.nullable(PixelSchema),
  plate: Id,
});
export type SetVertex = v.InferOutput<typeof VertexSchema>;

export const placedVertex = (world: Vec3, pixel: Vec2 | null): SetVertex => ({ world, pixel, plate: MAIN_PLATE });

/** A point whose metres are typed. */
export const typedVertex = (world: Vec3): SetVertex => placedVertex(world, null);
