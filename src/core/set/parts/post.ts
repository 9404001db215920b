import * as v from "valibot";
import type { Vec3 } from "../../math/vec3.ts";
import { add, cross, dot, length, normalize, scale, sub } from "../../math/vec3.ts";
import { Positive, Vec3Schema } from "../../schema/fields.ts";
import type { Face } from "../face.ts";
import { prismFaces } from "../face.ts";
import { VertexSchema, placedVertex } from "../vertex.ts";
import { fromDrawn, upwards } from "./common.ts";
import type { PartKind } from "./kind.ts";
import { LEVEL, partBase } from "./kind.ts";

/** A round post, upright or leaning: a bollard, a pillar, a trunk, a roof post. */
export const PostSchema = v.object({
  ...partBase,
  kind: v.literal("post"),
  foot: VertexSchema,
  /** From its foot to its head. */
  axis: Vec3Schema,
  radius: Positive,
});
export type Post = v.InferOutput<typeof PostSchema>;

const SIDES = 32;

/** Two directions across an axis; for an upright one X and Y. */
function across(axis: Vec3): [Vec3, Vec3] {
  if (axis[0] === 0 && axis[1] === 0)
    return [
      [1, 0, 0],
      [0, axis[2] < 0 ? -1 : 1, 0],
    ];
  const u = normalize(cross(LEVEL, axis));
  return [u, normalize(cross(axis, u))];
}

function postFaces(part: Post): Face[] {
  const { radius, axis } = part;
  const [x, y, z] = part.foot.world;
  const [u, w] = across(axis);
  const ring = Array.from({ length: SIDES }, (_, i): Vec3 => {
    const angle = (i / SIDES) * 2 * Math.PI;
    const [c, s] = [radius * Math.cos(angle), radius * Math.sin(angle)];
    return [x + u[0] * c + w[0] * s, y + u[1] * c + w[1] * s, z + u[2] * c + w[2] * s];
  });
  return prismFaces(ring, axis);
}

export const post: PartKind<Post> = {
  title: "Post",
  schema: PostSchema,
  role: "blocker",
  faces: postFaces,
  vertices: (part) => [{ vertex: part.foot, normal: LEVEL }],
  up: (part) => upwards(normalize(part.axis)),
  turn: (part, move) => (part.axis = move(part.axis as Vec3)),
  stretch: (part, share) => {
    part.axis = scale(part.axis as Vec3, share);
    part.radius *= share;
  },
  handles: (part) => {
    const foot = part.foot.world as Vec3;
    const head = add(foot, part.axis);
    const direction = normalize(part.axis);
    return [
      {
        key: "foot",
        at: foot,
        edit: "Move post",
        along: { plane: { normal: LEVEL, offset: foot[2] } },
        put: (p, to, pixel) => (p.foot = placedVertex(to, pixel)),
      },
      {
        key: "top",
        at: head,
        edit: "Raise post",
        along: { direction },
        put: (p, to) => {
          const tall = dot(sub(to, foot), direction);
          if (tall > 0.01) p.axis = direction[0] === 0 && direction[1] === 0 ? [0, 0, tall] : scale(direction, tall);
        },
      },
      {
        key: "lean",
        at: add(head, scale(direction, 4 * part.radius)),
        edit: "Lean post",
        along: { plane: { normal: LEVEL, offset: head[2] + direction[2] * 4 * part.radius } },
        put: (p, to) => {
          const way = normalize(sub(to, foot));
          if (way[2] > 0.1) p.axis = scale(way, length(part.axis));
        },
      },
      {
        key: "rim",
        at: add(foot, scale(across(part.axis)[0], part.radius)),
        edit: "Widen post",
        along: { plane: { normal: LEVEL, offset: foot[2] } },
        put: (p, to) => (p.radius = Math.max(0.005, Math.hypot(to[0] - foot[0], to[1] - foot[1]))),
      },
    ];
  },
  counted: true,
  stands: () => true,
  fields: (part) => [
    {
      key: "tall",
      label: "length",
      unit: "length",
      value: length(part.axis),
      least: 0.01,
      put: (p, value) =>
        (p.axis = p.axis[0] === 0 && p.axis[1] === 0 ? [0, 0, value] : scale(normalize(p.axis), value)),
    },
    { key: "radius", label: "radius", unit: "length", value: part.radius, least: 0.005, put: (p, x) => (p.radius = x) },
  ],
  draw: {
    label: "post",
    icon: "pi-minus-circle",
    key: "t",
    hints: ["Post: click the middle of its foot", "now the rim of its foot", "now its top"],
    takes: ["surface", "plane", "upright"],
    build: ([foot, rim, top]) => {
      const tall = top.world[2] - foot.world[2];
      if (tall < 0.01) return "The top must be above the foot. Click higher.";
      const radius = Math.max(0.01, length(sub(rim.world, foot.world)));
      return { kind: "post", foot: fromDrawn(foot), axis: [0, 0, tall], radius };
    },
  },
};
