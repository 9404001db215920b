import * as v from "valibot";
import type { Vec3 } from "../../math/vec3.ts";
import { add, cross, dot, length, normalize, scale, sub } from "../../math/vec3.ts";
import { Positive, whole } from "../../schema/fields.ts";
import type { Face } from "../face.ts";
import { VertexSchema, placedVertex } from "../vertex.ts";
import { alongLine, fromDrawn } from "./common.ts";
import type { PartHandle, PartKind } from "./kind.ts";
import { LEVEL, partBase } from "./kind.ts";

/** A flight of straight steps from a foot line. */
export const StairsSchema = v.object({
  ...partBase,
  kind: v.literal("stairs"),
  /** The foot of the first riser; seen from below, from left to right. */
  foot: v.tuple([VertexSchema, VertexSchema]),
  steps: whole(1, 200),
  rise: Positive,
  going: Positive,
});
export type Stairs = v.InferOutput<typeof StairsSchema>;

const forwards = (part: Stairs): Vec3 => normalize(cross(LEVEL, sub(part.foot[1].world, part.foot[0].world)));

function stairFaces(part: Stairs): Face[] {
  const [a, b] = [part.foot[0].world, part.foot[1].world];
  const ahead = forwards(part);
  const at = (p: Vec3, goings: number, rises: number): Vec3 =>
    add(add(p, scale(ahead, goings * part.going)), [0, 0, rises * part.rise]);
  const faces: Face[] = [];
  for (let i = 0; i < part.steps; i++) {
    faces.push({ id: `riser-${i + 1}`, rings: [[at(a, i, i), at(b, i, i), at(b, i, i + 1), at(a, i, i + 1)]] });
    faces.push({
      id: `tread-${i + 1}`,
      rings: [[at(a, i, i + 1), at(b, i, i + 1), at(b, i + 1, i + 1), at(a, i + 1, i + 1)]],
    });
  }
  const profile = (p: Vec3): Vec3[] => {
    const points = [p];
    for (let i = 0; i < part.steps; i++) points.push(at(p, i, i + 1), at(p, i + 1, i + 1));
    return [...points, at(p, part.steps, 0)];
  };
  faces.push({ id: "left", rings: [profile(a)] }, { id: "right", rings: [profile(b).reverse()] });
  const n = part.steps;
  faces.push({ id: "back", rings: [[at(b, n, 0), at(a, n, 0), at(a, n, n), at(b, n, n)]] });
  return faces;
}

/** Rise of a step that is usual in buildings, metres (common practice, no published source). */
const USUAL_RISE = 0.175;

export const stairs: PartKind<Stairs> = {
  title: "Stairs",
  schema: StairsSchema,
  faces: stairFaces,
  vertices: (part) => part.foot.map((vertex) => ({ vertex, normal: LEVEL })),
  stretch: (part, share) => {
    part.rise *= share;
    part.going *= share;
  },
  handles: (part) => {
    const [a, b] = [part.foot[0].world as Vec3, part.foot[1].world as Vec3];
    const ends = ([0, 1] as const).map((i): PartHandle<Stairs> => ({
      key: `${i}`,
      at: part.foot[i].world,
      edit: "Move corner",
      along: { plane: { normal: LEVEL, offset: part.foot[i].world[2] } },
      put: (p, to, pixel) => (p.foot[i] = placedVertex(to, pixel)),
    }));
    const middle = scale(add(a, b), 0.5);
    const top = add(middle, [0, 0, part.steps * part.rise]);
    const ahead = forwards(part);
    return [
      ...ends,
      {
        key: "rise",
        at: top,
        edit: "Raise stairs",
        along: { direction: LEVEL },
        put: (p, to) => (p.rise = Math.max(0.01, alongLine(middle, LEVEL, to) / p.steps)),
      },
      {
        key: "going",
        at: add(top, scale(ahead, part.steps * part.going)),
        edit: "Lengthen stairs",
        along: { direction: ahead },
        put: (p, to) => (p.going = Math.max(0.01, alongLine(top, ahead, to) / p.steps)),
      },
    ];
  },
  stands: () => true,
  fields: (part) => [
    { key: "steps", label: "steps", unit: "count", value: part.steps, least: 1, put: (p, x) => (p.steps = x) },
    { key: "rise", label: "rise", unit: "length", value: part.rise, least: 0.01, put: (p, x) => (p.rise = x) },
    { key: "going", label: "going", unit: "length", value: part.going, least: 0.01, put: (p, x) => (p.going = x) },
  ],
  draw: {
    label: "stairs",
    icon: "pi-sort-amount-up-alt",
    key: "s",
    hints: [
      "Stairs: click the foot of the first step at its left end",
      "now at its right end",
      "now the end of the last step, on what it leads up to",
    ],
    takes: ["surface", "surface", "surface"],
    build: ([a, b, c]) => {
      const foot = sub(b.world, a.world);
      if (length(foot) < 0.01) return "The foot has no width. Click two different points.";
      const ahead = normalize(cross(LEVEL, foot));
      const run = dot(sub(c.world, a.world), ahead);
      const climb = c.world[2] - a.world[2];
      if (run < 0.05) return "The stairs must lead away from their foot. Click the foot from left to right.";
      if (climb < 0.05) return "The stairs must lead up. Click on what they lead up to, or draw that first.";
      const steps = Math.min(200, Math.max(1, Math.round(climb / USUAL_RISE)));
      const ends: Stairs["foot"] = [fromDrawn(a), fromDrawn(b)];
      return { kind: "stairs", foot: ends, steps, rise: climb / steps, going: run / steps };
    },
  },
};
