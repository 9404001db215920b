import * as v from "valibot";
import type { Vec3 } from "../../math/vec3.ts";
import { add, dot, normalize, scale, sub } from "../../math/vec3.ts";
import { Finite, pointsFrom } from "../../schema/fields.ts";
import { prismFaces, ringArea, ringPlane } from "../face.ts";
import { VertexSchema, placedVertex } from "../vertex.ts";
import { alongLine, cornerHandles, facing, fromDrawn, lifted, placedOnRing, upwards, worlds } from "./common.ts";
import type { PartKind } from "./kind.ts";
import { partBase } from "./kind.ts";

/** A prism over a polygon: a box, a plinth, a house's body. */
export const BlockSchema = v.object({
  ...partBase,
  kind: v.literal("block"),
  base: pointsFrom(VertexSchema, 3),
  /** Metres along the base's normal, which its sense of going round tells; below 0 against it. */
  height: Finite,
  /** Has an underside, for what does not stand on the ground. */
  closed: v.boolean(),
});
export type Block = v.InferOutput<typeof BlockSchema>;

const LEAST = 0.001;

/** The vector from the base to the lid. A level base goes exactly up or down. */
function risen(part: Block): Vec3 {
  const area = ringArea(worlds(part.base));
  if (Math.abs(area[0]) + Math.abs(area[1]) < 1e-9 * Math.abs(area[2])) return [0, 0, Math.sign(area[2]) * part.height];
  return scale(normalize(area), part.height);
}

export const block: PartKind<Block> = {
  title: "Block",
  schema: BlockSchema,
  faces: (part) => {
    const faces = prismFaces(worlds(part.base), risen(part), part.closed);
    // Against the base's own sense the faces would look inwards.
    return part.height < 0 ? faces.map((f) => ({ ...f, rings: f.rings.map((ring) => [...ring].reverse()) })) : faces;
  },
  vertices: (part) => placedOnRing(part.base),
  up: (part) => upwards(normalize(risen(part))),
  stretch: (part, share) => (part.height *= share),
  handles: (part) => {
    const foot = part.base[0].world;
    const along = risen(part);
    const direction = normalize(along);
    return [
      ...cornerHandles<Block>(part.base, (p) => p.base),
      {
        key: "top",
        at: add(foot, along),
        edit: "Raise block",
        along: { direction },
        put: (p, to) => {
          const height = alongLine(foot, direction, to);
          if (height > LEAST) p.height = Math.sign(part.height) * height;
        },
      },
    ];
  },
  counted: true,
  stands: () => true,
  camera: "outside",
  fields: (part) => [
    {
      key: "height",
      label: "height",
      unit: "length",
      value: Math.abs(part.height),
      least: LEAST,
      put: (p, value) => (p.height = (p.height < 0 ? -1 : 1) * value),
    },
  ],
  draw: {
    label: "block",
    icon: "pi-box",
    key: "q",
    hints: [
      "Block: click a corner of its base, on the ground or any face",
      "now the next corner along its side",
      "now the far corner of its base",
      "now its height",
    ],
    takes: ["surface", "plane", "plane", "rise"],
    build: ([a, b, c, d], { plane, pixelOf }) => {
      const side = sub(b.world, a.world);
      const length = Math.hypot(...side);
      if (length < LEAST) return "The first two corners are the same point. Click further apart.";
      // A rectangle: the third corner gives how deep it is, at right angles to the first side.
      const u = scale(side, 1 / length);
      const out = sub(c.world, b.world);
      const depth = sub(out, scale(u, dot(out, u)));
      if (Math.hypot(...depth) < LEAST) return "The base has no depth. Click its far corner away from the first side.";
      // The far corners are where the rectangle has them, and follow the plate there.
      const corner = (world: Vec3) => placedVertex(world, pixelOf(world));
      const base = [fromDrawn(a), fromDrawn(b), corner(add(b.world, depth)), corner(add(a.world, depth))];
      const height = dot(sub(d.world, lifted(c.world, plane.normal, 0)), plane.normal);
      if (Math.abs(height) < LEAST) return "The block has no height. Click further from its base.";
      const ring = facing(base, plane.normal);
      return {
        kind: "block",
        base: ring,
        height: Math.sign(dot(ringPlane(worlds(ring)).normal, plane.normal)) * height,
        closed: true,
      };
    },
  },
};
