import * as v from "valibot";
import { Id, MOST, NotNegative } from "../../schema/fields.ts";
import type { ShapeKind } from "./shape.ts";
import { smoothstep } from "./shape.ts";

/** What the camera sees of parts of the set. */
const partsSchema = v.object({ kind: v.literal("parts"), parts: v.pipe(v.array(Id), v.maxLength(MOST.points)) });
export type PartsShape = v.InferOutput<typeof partsSchema>;

export const parts: ShapeKind<PartsShape> = {
  schema: partsSchema,
  label: "Parts of the set",
  fresh: () => ({ kind: "parts", parts: [] }),
  cover: (shape, { width, height, place }) => {
    const out = new Float32Array(width * height);
    const seen = place();
    if (!seen) return out;
    const wanted = seen.parts.map((id) => (shape.parts.includes(id) ? 1 : 0));
    for (let i = 0; i < out.length; i++) out[i] = seen.part[i] > 0 ? wanted[seen.part[i] - 1] : 0;
    return out;
  },
};

/** What of the set lies so far away, along the view axis. What no part covers counts as endlessly far. */
const depthSchema = v.object({
  kind: v.literal("depth"),
  near: NotNegative,
  far: NotNegative,
  /** Metres over which either end fades. */
  soft: NotNegative,
});
export type DepthShape = v.InferOutput<typeof depthSchema>;

export const depth: ShapeKind<DepthShape> = {
  schema: depthSchema,
  label: "Depth",
  fresh: () => ({ kind: "depth", near: 0, far: 5, soft: 0.2 }),
  cover: ({ near, far, soft }, { width, height, place }) => {
    const out = new Float32Array(width * height);
    const seen = place();
    if (!seen) return out;
    for (let i = 0; i < out.length; i++) {
      const z = seen.depth[i] > 0 ? seen.depth[i] : MOST.number;
      out[i] = smoothstep(near - soft, near, z) * (1 - smoothstep(far, far + soft, z));
    }
    return out;
  },
};
