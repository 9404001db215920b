import * as v from "valibot";
import { crossesItself, ringPlane } from "../face.ts";
import { MOST, pointsFrom } from "../../schema/fields.ts";
import { VertexSchema } from "../vertex.ts";
import { cornerHandles, facing, fromDrawn, placedOnRing, upwards, worlds } from "./common.ts";
import type { PartKind } from "./kind.ts";
import { LEVEL, partBase } from "./kind.ts";

/** A flat polygon on any plane, with holes: ground, paving, a face of something. */
export const PolygonSchema = v.object({
  ...partBase,
  kind: v.literal("polygon"),
  vertices: pointsFrom(VertexSchema, 3),
  holes: v.pipe(v.array(pointsFrom(VertexSchema, 3)), v.maxLength(MOST.points, "has too many holes")),
});
export type Polygon = v.InferOutput<typeof PolygonSchema>;

export const polygon: PartKind<Polygon> = {
  title: "Polygon",
  schema: PolygonSchema,
  faces: (part) => [{ id: "face", rings: [worlds(part.vertices), ...part.holes.map(worlds)] }],
  vertices: (part) => {
    const outer = placedOnRing(part.vertices);
    const { normal } = outer[0];
    return [...outer, ...part.holes.flat().map((vertex) => ({ vertex, normal }))];
  },
  up: (part) => {
    const { normal } = ringPlane(worlds(part.vertices));
    // A slope is measured along itself; ground and walls by their level and upright sides.
    return Math.abs(normal[2]) > 1e-3 && Math.abs(normal[2]) < 0.9999 ? upwards(normal) : LEVEL;
  },
  handles: (part) => [
    ...cornerHandles<Polygon>(part.vertices, (p) => p.vertices),
    ...part.holes.flatMap((hole, i) => cornerHandles<Polygon>(hole, (p) => p.holes[i], `hole-${i}.`)),
  ],
  floors: () => true,
  fields: () => [],
  draw: {
    label: "polygon",
    icon: "pi-stop",
    key: "g",
    hints: ["Polygon: click its corners, on the ground or any face; Enter or the first corner closes it"],
    takes: ["surface", "plane"],
    outline: 3,
    build: (points, { plane }) => {
      if (crossesItself(points.map((p) => p.world))) return "Its sides cross. Click the corners going round.";
      return { kind: "polygon", vertices: facing(points.map(fromDrawn), plane.normal), holes: [] };
    },
  },
};
