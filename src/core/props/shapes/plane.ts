import * as v from "valibot";
import { Positive } from "../../schema/fields.ts";
import type { ShapeKind } from "./kind.ts";

const PlaneSchema = v.object({ kind: v.literal("plane"), width: Positive, depth: Positive });
type Plane = v.InferOutput<typeof PlaneSchema>;

/** A flat sheet that lies on the ground, seen from both sides. */
export const plane: ShapeKind<Plane> = {
  title: "plane",
  icon: "pi-stop",
  schema: PlaneSchema,
  start: () => ({ kind: "plane", width: 1, depth: 1 }),
  mesh: ({ width, depth }) => {
    const [x, y] = [width / 2, depth / 2];
    return {
      positions: new Float32Array([-x, -y, 0, x, -y, 0, x, y, 0, -x, y, 0]),
      normals: new Float32Array([0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1]),
      uvs: new Float32Array([0, depth, width, depth, width, 0, 0, 0]),
      indices: new Uint32Array([0, 1, 2, 0, 2, 3]),
      material: 0,
    };
  },
  fields: (shape) => [
    { key: "width", label: "width", unit: "length", value: shape.width, least: 1e-4, put: (s, x) => (s.width = x) },
    { key: "depth", label: "depth", unit: "length", value: shape.depth, least: 1e-4, put: (s, x) => (s.depth = x) },
  ],
};
