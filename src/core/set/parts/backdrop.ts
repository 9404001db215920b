import * as v from "valibot";
import type { Vec3 } from "../../math/vec3.ts";
import { add, cross, length, normalize, scale, sub } from "../../math/vec3.ts";
import { Positive } from "../../schema/fields.ts";
import type { Face } from "../face.ts";
import { VertexSchema, placedVertex } from "../vertex.ts";
import { alongLine, fromDrawn } from "./common.ts";
import type { PartHandle, PartKind } from "./kind.ts";
import { LEVEL, partBase } from "./kind.ts";

/** A backdrop curve: floor that bends up into a wall without a seam. */
export const BackdropSchema = v.object({
  ...partBase,
  kind: v.literal("backdrop"),
  /** Front edge of the floor; seen from the front, from left to right. */
  front: v.tuple([VertexSchema, VertexSchema]),
  /** From the front edge to the wall, the bend's radius, and the wall's top. */
  depth: Positive,
  radius: Positive,
  height: Positive,
});
export type Backdrop = v.InferOutput<typeof BackdropSchema>;

const BENDS = 24;

const inwards = (part: Backdrop): Vec3 => normalize(cross(LEVEL, sub(part.front[1].world, part.front[0].world)));

function backdropFaces(part: Backdrop): Face[] {
  const [a, b] = [part.front[0].world, part.front[1].world];
  const ahead = inwards(part);
  const radius = Math.min(part.radius, part.depth, part.height);
  const profile: [number, number][] = [[0, 0]];
  for (let i = 0; i <= BENDS; i++) {
    const angle = (i / BENDS) * (Math.PI / 2);
    profile.push([part.depth - radius + radius * Math.sin(angle), radius - radius * Math.cos(angle)]);
  }
  profile.push([part.depth, part.height]);
  const steps = profile.filter(
    ([d, h], i) => i === 0 || Math.hypot(d - profile[i - 1][0], h - profile[i - 1][1]) > 1e-6,
  );
  const at = (p: Vec3, [d, h]: [number, number]): Vec3 => add(add(p, scale(ahead, d)), [0, 0, h]);
  return steps.slice(1).map((step, i) => ({
    id: `strip-${i + 1}`,
    rings: [[at(a, steps[i]), at(b, steps[i]), at(b, step), at(a, step)]],
  }));
}

export const backdrop: PartKind<Backdrop> = {
  title: "Backdrop curve",
  schema: BackdropSchema,
  faces: backdropFaces,
  vertices: (part) => part.front.map((vertex) => ({ vertex, normal: LEVEL })),
  stretch: (part, share) => {
    part.depth *= share;
    part.radius *= share;
    part.height *= share;
  },
  handles: (part) => {
    const ahead = inwards(part);
    const [a, b] = [part.front[0].world as Vec3, part.front[1].world as Vec3];
    const middle = scale(add(a, b), 0.5);
    const back = add(middle, scale(ahead, part.depth));
    return [
      ...([0, 1] as const).map((i): PartHandle<Backdrop> => ({
        key: `${i}`,
        at: part.front[i].world,
        edit: "Move corner",
        along: { plane: { normal: LEVEL, offset: part.front[i].world[2] } },
        put: (p, to, pixel) => (p.front[i] = placedVertex(to, pixel)),
      })),
      {
        key: "depth",
        at: back,
        edit: "Move backdrop",
        along: { direction: ahead },
        put: (p, to) => (p.depth = Math.max(0.05, alongLine(middle, ahead, to))),
      },
      {
        key: "top",
        at: add(back, [0, 0, part.height]),
        edit: "Raise backdrop",
        along: { direction: LEVEL },
        put: (p, to) => (p.height = Math.max(0.05, alongLine(back, LEVEL, to))),
      },
    ];
  },
  fields: (part) => [
    { key: "depth", label: "depth", unit: "length", value: part.depth, least: 0.05, put: (p, x) => (p.depth = x) },
    { key: "radius", label: "bend", unit: "length", value: part.radius, least: 0.01, put: (p, x) => (p.radius = x) },
    { key: "height", label: "height", unit: "length", value: part.height, least: 0.05, put: (p, x) => (p.height = x) },
  ],
  draw: {
    label: "backdrop",
    icon: "pi-image",
    key: "y",
    hints: [
      "Backdrop curve: click the left end of its front edge",
      "now the right end",
      "now where its wall stands",
      "now the wall's top",
    ],
    takes: ["surface", "plane", "plane", "rise"],
    build: ([a, b, c, top]) => {
      const side = sub(b.world, a.world);
      if (length(side) < 0.01) return "The front edge has no width. Click two different points.";
      const depth = alongLine(a.world, normalize(cross(LEVEL, side)), c.world);
      if (depth < 0.05) return "The wall must stand behind the front edge. Click the edge from left to right.";
      const height = top.world[2] - a.world[2];
      if (height < 0.05) return "The wall must go up. Click higher.";
      return {
        kind: "backdrop",
        front: [fromDrawn(a), fromDrawn(b)],
        depth,
        radius: Math.min(depth, height) / 2,
        height,
      };
    },
  },
};
