import * as v from "valibot";
import {
  Id,
  MOST,
  NotNegative,
  PixelSchema,
  Positive,
  Text,
  Vec3Schema,
  byId,
  pointsFrom,
  whole,
} from "../schema/fields.ts";

/** The set step's part of the document. */

const VertexSchema = v.object({
  world: Vec3Schema,
  /** Where it was placed; null once its metres were typed. */
  pixel: v.nullable(PixelSchema),
});

const SurfaceBase = {
  id: Id,
  name: Text,
  role: v.picklist(["catcher", "blocker"]),
};

export const SurfaceSchema = v.variant("kind", [
  /** A polygon on the ground; raised above 0 it is a block with sides and a lid. */
  v.object({
    ...SurfaceBase,
    kind: v.literal("ground"),
    vertices: pointsFrom(VertexSchema, 3),
    height: NotNegative,
  }),
  /** A wall on edge number `edge` of a ground polygon. */
  v.object({
    ...SurfaceBase,
    kind: v.literal("wall"),
    on: Id,
    edge: whole(0, MOST.points),
    height: Positive,
  }),
  /** A round post: a bollard, a tree trunk, a lamp. */
  v.object({ ...SurfaceBase, kind: v.literal("post"), foot: VertexSchema, radius: Positive, height: Positive }),
]);

export const setEntries = { set: byId(SurfaceSchema) };
export type SetPart = v.InferOutput<v.ObjectSchema<typeof setEntries, undefined>>;
export type SetSurfaces = SetPart["set"];
export type Surface = v.InferOutput<typeof SurfaceSchema>;
export type GroundSurface = Extract<Surface, { kind: "ground" }>;
export type SetVertex = v.InferOutput<typeof VertexSchema>;
