import * as v from "valibot";
import type { Vec2, Vec3 } from "../../math/vec3.ts";
import { distance } from "../../math/vec3.ts";
import type { Face } from "../face.ts";
import { VertexSchema, placedVertex } from "../vertex.ts";
import { fromDrawn } from "./common.ts";
import type { PartHandle, PartKind } from "./kind.ts";
import { LEVEL, partBase } from "./kind.ts";

/** A sloping plane from a foot line to a head line at another height, with sides down to the foot if it is solid. */
export const RampSchema = v.object({
  ...partBase,
  kind: v.literal("ramp"),
  foot: v.tuple([VertexSchema, VertexSchema]),
  /** Over the foot's first and second end. */
  head: v.tuple([VertexSchema, VertexSchema]),
  solid: v.boolean(),
});
export type Ramp = v.InferOutput<typeof RampSchema>;

/** Its four corners; the last one is where the plane of the first three has it, so that the ramp is flat. */
function corners(part: Ramp): [Vec3, Vec3, Vec3, Vec3] {
  const [a, b] = [part.foot[0].world, part.foot[1].world];
  const [d, c] = [part.head[0].world, part.head[1].world];
  const z = c[2] + (a[2] - b[2]) * (distance(c, d) / (distance(a, b) || 1));
  return [a, b, c, [d[0], d[1], z]];
}

function rampFaces(part: Ramp): Face[] {
  const [a, b, c, d] = corners(part);
  const faces: Face[] = [{ id: "slope", rings: [[a, b, c, d]] }];
  if (!part.solid) return faces;
  const down = (p: Vec3): Vec3 => [p[0], p[1], Math.min(a[2], b[2])];
  faces.push({ id: "head", rings: [[c, down(c), down(d), d]] });
  faces.push({ id: "right", rings: [[b, down(c), c]] });
  faces.push({ id: "left", rings: [[a, d, down(d)]] });
  return faces;
}

export const ramp: PartKind<Ramp> = {
  title: "Ramp",
  schema: RampSchema,
  faces: rampFaces,
  vertices: (part) => [...part.foot, ...part.head].map((vertex) => ({ vertex, normal: LEVEL })),
  handles: (part) => {
    const corner = (end: "foot" | "head", i: 0 | 1): PartHandle<Ramp> => ({
      key: `${end}-${i}`,
      at: part[end][i].world,
      edit: "Move corner",
      along: { plane: { normal: LEVEL, offset: part[end][i].world[2] } },
      put: (p: Ramp, to: Vec3, pixel: Vec2 | null) => {
        p[end][i] = placedVertex(to, pixel);
      },
    });
    return [corner("foot", 0), corner("foot", 1), corner("head", 0), corner("head", 1)];
  },
  switches: (part) => [{ key: "solid", label: "solid", on: part.solid, put: (p, on) => (p.solid = on) }],
  fields: (part) => [
    {
      key: "rise",
      label: "rise",
      unit: "length",
      value: part.head[0].world[2] - part.foot[0].world[2],
      least: -1000,
      put: (p, value) => {
        for (const i of [0, 1] as const) {
          const [x, y] = p.head[i].world;
          p.head[i] = placedVertex([x, y, p.foot[i].world[2] + value], null);
        }
      },
    },
  ],
  draw: {
    label: "ramp",
    icon: "pi-sort-amount-up",
    key: "i",
    hints: [
      "Ramp: click one end of its foot",
      "now the other end of its foot",
      "now its head above the second end, on whatever it leads up to",
      "now its head above the first end",
    ],
    takes: ["surface", "surface", "surface", "surface"],
    build: ([a, b, c, d]) => ({
      kind: "ramp",
      foot: [fromDrawn(a), fromDrawn(b)],
      head: [fromDrawn(d), fromDrawn(c)],
      solid: false,
    }),
  },
};
