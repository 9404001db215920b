import * as v from "valibot";
import type { Vec3 } from "../../math/vec3.ts";
import { mix, sub } from "../../math/vec3.ts";
import { Id, MOST, Text } from "../../schema/fields.ts";
import { ringPlane } from "../face.ts";
import { moveBy, moveVertices } from "../shell/move.ts";
import { edgeUses } from "../shell/topology.ts";
import { VertexSchema, placedVertex } from "../vertex.ts";
import type { PartHandle, PartKind } from "./kind.ts";
import { partBase } from "./kind.ts";

/** Faces, and corners, that a shell may have. */
export const MOST_FACES = 20_000;

/** Corners that faces share, and planar faces over them, each with holes: what other parts are turned into to be shaped freely. */
export const ShellSchema = v.object({
  ...partBase,
  kind: v.literal("shell"),
  vertices: v.pipe(v.record(Id, VertexSchema), v.maxEntries(MOST_FACES, "has too many corners")),
  /** Rings of vertex ids: the border, anticlockwise as seen from outside, then the holes. */
  faces: v.pipe(
    v.record(
      Text,
      v.object({
        rings: v.pipe(
          v.array(v.pipe(v.array(Id), v.minLength(3, "has fewer than 3 corners"), v.maxLength(MOST.points))),
          v.minLength(1, "has no border"),
          v.maxLength(MOST.points),
        ),
      }),
    ),
    v.maxEntries(MOST_FACES, "has too many faces"),
  ),
  /** Number of the next new vertex or face: ids are not used again. */
  next: v.pipe(v.number(), v.integer(), v.minValue(1)),
});
export type Shell = v.InferOutput<typeof ShellSchema>;

/** Handles in the middle of the edges: an edge goes up or down as a whole. */
function edgeHandles(part: Shell): PartHandle<Shell>[] {
  return [...edgeUses(part).keys()].map((key) => {
    const [a, b] = key.split(" ");
    const at = mix(part.vertices[a].world, part.vertices[b].world, 0.5);
    return {
      key: `edge ${key}`,
      at,
      edit: "Move edge",
      along: { direction: [0, 0, 1] },
      put: (p, to) => {
        const moved = moveBy(part, [a, b], sub(to, at));
        if (typeof moved !== "string") p.vertices = moved.body.vertices;
      },
    };
  });
}

export const shell: PartKind<Shell> = {
  title: "Shell",
  schema: ShellSchema,
  faces: (part) =>
    Object.entries(part.faces).map(([id, { rings }]) => ({
      id,
      rings: rings.map((ring) => ring.map((at) => part.vertices[at].world as Vec3)),
    })),
  vertices: (part) => {
    // A corner keeps the plane of the first face that has it.
    const normals = new Map<string, Vec3>();
    for (const { rings } of Object.values(part.faces)) {
      const { normal } = ringPlane(rings[0].map((at) => part.vertices[at].world as Vec3));
      for (const at of rings.flat()) if (!normals.has(at)) normals.set(at, normal);
    }
    return Object.entries(part.vertices).map(([id, vertex]) => ({ vertex, normal: normals.get(id) ?? [0, 0, 1] }));
  },
  handles: (part) => [
    ...edgeHandles(part),
    ...Object.entries(part.vertices).map(([id, vertex]): PartHandle<Shell> => ({
      key: id,
      at: vertex.world,
      edit: "Move corner",
      along: { plane: { normal: [0, 0, 1], offset: vertex.world[2] } },
      // Corners that must follow for the faces to stay flat do; where that cannot be, nothing moves.
      put: (p, to, pixel) => {
        const moved = moveVertices(part, new Map([[id, to]]));
        if (typeof moved === "string") return;
        p.vertices = moved.body.vertices;
        p.vertices[id] = placedVertex(to, pixel);
      },
    })),
  ],
  stands: () => true,
  frontOnly: true,
  fields: () => [],
  draw: null,
};
