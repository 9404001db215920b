import * as v from "valibot";
import type { Vec3 } from "../../math/vec3.ts";
import { add, cross, normalize, scale, sub } from "../../math/vec3.ts";
import { Id, NotNegative, Positive, Text } from "../../schema/fields.ts";
import type { Face } from "../face.ts";
import { prismFaces } from "../face.ts";
import { VertexSchema, placedVertex } from "../vertex.ts";
import { alongLine, fromDrawn, worlds } from "./common.ts";
import type { PartKind } from "./kind.ts";
import { LEVEL, partBase } from "./kind.ts";
import type { SetRecord } from "./index.ts";
import { sideOf } from "../faces.ts";

/** An upright sheet or slab: on a side of another part's face, which it follows, or on a line of its own. */
export const WallSchema = v.object({
  ...partBase,
  kind: v.literal("wall"),
  /** The side that it stands on; null for a line of its own. */
  on: v.nullable(v.object({ part: Id, face: Text, side: v.pipe(v.number(), v.integer(), v.minValue(0)) })),
  foot: v.nullable(v.tuple([VertexSchema, VertexSchema])),
  /** Over its first and second end, metres. */
  heights: v.tuple([Positive, Positive]),
  /** Metres towards its back; 0 for a sheet. */
  thick: NotNegative,
});
export type Wall = v.InferOutput<typeof WallSchema>;

/** The two ends of its foot; null where the side is gone. */
export function wallFoot(part: Wall, set: SetRecord): [Vec3, Vec3] | null {
  if (part.on) return sideOf(set, part.on);
  return part.foot ? [part.foot[0].world, part.foot[1].world] : null;
}

function wallFaces(part: Wall, set: SetRecord): Face[] {
  const foot = wallFoot(part, set);
  if (!foot) return [];
  const [a, b] = foot;
  const [low, high] = part.heights;
  const [p, q]: Vec3[] = [
    [a[0], a[1], a[2] + low],
    [b[0], b[1], b[2] + high],
  ];
  if (part.thick === 0) return [{ id: "face", rings: [[a, b, q, p]] }];
  // A slab: its outline pushed to the back.
  const back = scale(normalize(cross(sub(b, a), LEVEL)), -part.thick);
  const names = ["base", "right", "top", "left", "back"];
  const sides = prismFaces([q, p, a, b].reverse(), back);
  return [
    { id: "face", rings: [[a, b, q, p]] },
    ...sides.map((face, i) => ({ ...face, id: names[i], rings: face.rings.map((ring) => [...ring].reverse()) })),
  ];
}

export const wall: PartKind<Wall> = {
  title: "Wall",
  schema: WallSchema,
  faces: wallFaces,
  vertices: (part) => (part.foot ?? []).map((vertex) => ({ vertex, normal: LEVEL })),
  stretch: (part, share) => {
    part.heights = [part.heights[0] * share, part.heights[1] * share];
    part.thick *= share;
  },
  on: (part) => (part.on ? [part.on.part] : []),
  handles: (part, set) => {
    const foot = wallFoot(part, set);
    if (!foot) return [];
    const tops = foot.map((end, i) => ({
      key: `top-${i}`,
      at: add(end, [0, 0, part.heights[i]]),
      edit: "Raise wall",
      along: { direction: LEVEL },
      // An even wall is raised as a whole, one with a sloping top at this end.
      put: (p: Wall, to: Vec3) => {
        const height = alongLine(end, LEVEL, to);
        if (height < 0.01) return;
        const even = part.heights[0] === part.heights[1];
        p.heights = even ? [height, height] : i === 0 ? [height, part.heights[1]] : [part.heights[0], height];
      },
    }));
    const ends = (part.foot ?? []).map((vertex, i) => ({
      key: `foot-${i}`,
      at: vertex.world,
      edit: "Move corner",
      along: { plane: { normal: LEVEL, offset: vertex.world[2] } },
      put: (p: Wall, to: Vec3, pixel: [number, number] | null) => {
        if (p.foot) p.foot[i] = placedVertex(to, pixel);
      },
    }));
    return [...ends, ...tops];
  },
  stands: (part) => !part.on,
  fields: (part) => [
    {
      key: "height",
      label: "height",
      unit: "length",
      value: part.heights[0],
      least: 0.01,
      put: (p, x) => (p.heights = [x, p.heights[0] === p.heights[1] ? x : p.heights[1]]),
    },
    {
      key: "far",
      label: "at its far end",
      unit: "length",
      value: part.heights[1],
      least: 0.01,
      put: (p, x) => (p.heights = [p.heights[0], x]),
    },
    { key: "thick", label: "thickness", unit: "length", value: part.thick, least: 0, put: (p, x) => (p.thick = x) },
  ],
  draw: {
    label: "wall",
    icon: "pi-arrows-v",
    key: "a",
    hints: [
      "Wall: click a side of something that it stands on, or one end of its foot",
      "now the other end of its foot",
      "now its height",
    ],
    takes: ["side", "surface", "upright"],
    build: (points) => {
      const [first, second, third] = points;
      if (first.side) {
        const { part, face, number, ends } = first.side;
        const height = alongLine(ends[0], LEVEL, points[1].world);
        if (height < 0.01) return "The wall must go up from its foot. Click higher.";
        return { kind: "wall", on: { part, face, side: number }, foot: null, heights: [height, height], thick: 0 };
      }
      const height = third.world[2] - first.world[2];
      if (height < 0.01) return "The wall must go up from its foot. Click higher.";
      const foot: Wall["foot"] = [fromDrawn(first), fromDrawn(second)];
      foot[1].world[2] = foot[0].world[2];
      if (Math.hypot(...sub(worlds(foot)[0], worlds(foot)[1])) < 0.001)
        return "The wall has no length. Click two different points for its foot.";
      return { kind: "wall", on: null, foot, heights: [height, height], thick: 0 };
    },
  },
};
