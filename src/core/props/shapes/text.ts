import earcut from "earcut";
import * as v from "valibot";
import type { Vec2 } from "../../math/vec3.ts";
import { NotNegative, Positive, Finite, Text, whole } from "../../schema/fields.ts";
import { textUpTo } from "../../text/storable.ts";
import type { Mesh } from "../model.ts";
import { noRepairs, tidied } from "../soup.ts";
import type { Blank } from "./contours.ts";
import { blanksOf, movedIn, ringsOfPath, roomIn } from "./contours.ts";
import type { ShapeKind } from "./kind.ts";

/** Letters that stand upright and are read from −Y, with bevelled edges. */
export const TextShapeSchema = v.object({
  kind: v.literal("text"),
  text: Text,
  /** Name of the font; its file is not needed again, since the outline is kept. */
  font: Text,
  /** Outline of all lines as a path (M, L, Q, C, Z), Y up, in heights of a capital letter. */
  outline: textUpTo(400_000),
  /** Of a capital letter, metres. */
  height: Positive,
  depth: Positive,
  bevel: NotNegative,
  profile: v.picklist(["round", "flat"]),
  steps: whole(1, 12),
  /** More room between letters, and between lines, in heights of a capital letter. */
  spacing: Finite,
  lineGap: Finite,
});
export type TextShape = v.InferOutput<typeof TextShapeSchema>;

const blanks = new Map<string, Blank[]>();

function blanksOfText({ outline }: TextShape): Blank[] {
  let known = blanks.get(outline);
  if (!known) {
    known = blanksOf(ringsOfPath(outline));
    if (blanks.size > 40) blanks.clear();
    blanks.set(outline, known);
  }
  return known;
}

/** The bevel that each solid of the text can have, metres, and the least of them. */
export const leastBevel = (shape: TextShape): number =>
  Math.min(shape.bevel, ...blanksOfText(shape).map((blank) => roomIn(blank, wantedBevel(shape)) * shape.height));

/** The bevel asked for, in heights of a capital letter; at most half the depth. */
const wantedBevel = ({ bevel, depth, height }: TextShape): number => Math.min(bevel, depth / 2) / height;

interface Layer {
  /** How far in, and how far back from the front, metres. */
  in: number;
  back: number;
}

/** Layers from the front's edge to the back's: along the bevel, straight, along the other bevel. */
function layersOf({ profile, steps, depth }: TextShape, bevel: number): Layer[] {
  if (bevel <= 0)
    return [
      { in: 0, back: 0 },
      { in: 0, back: depth },
    ];
  const n = profile === "flat" ? 1 : steps;
  const front = Array.from({ length: n + 1 }, (_, i): Layer => {
    if (profile === "flat") return { in: bevel * (1 - i), back: bevel * i };
    const angle = ((i / n) * Math.PI) / 2;
    return { in: bevel * (1 - Math.sin(angle)), back: bevel * (1 - Math.cos(angle)) };
  });
  const rear = [...front].reverse().map(({ in: by, back }): Layer => ({ in: by, back: depth - back }));
  return [...front, ...rear];
}

function textMesh(shape: TextShape): Mesh {
  const positions: number[] = [];
  const indices: number[] = [];
  const { height, depth } = shape;
  const put = (rings: readonly Vec2[][], back: number): number => {
    const first = positions.length / 3;
    for (const [x, y] of rings.flat()) positions.push(x * height, back - depth / 2, y * height);
    return first;
  };
  for (const blank of blanksOfText(shape)) {
    const bevel = roomIn(blank, wantedBevel(shape)) * height;
    const layers = layersOf(shape, bevel);
    const ringsAt = (by: number) => (by > 0 ? blank.rings.map((ring) => movedIn(ring, by / height)) : blank.rings);
    const cap = (layer: Layer, front: boolean) => {
      const rings = ringsAt(layer.in);
      const first = put(rings, layer.back);
      const holes: number[] = [];
      let count = 0;
      for (const ring of rings.slice(0, -1)) holes.push((count += ring.length));
      const corners = earcut(rings.flat(2), holes.length > 0 ? holes : undefined);
      for (let i = 0; i < corners.length; i += 3) {
        const [a, b, c] = [corners[i], corners[i + 1], corners[i + 2]].map((k) => rings.flat()[k]);
        // Anticlockwise in the outline is seen from −Y so: the front keeps it, the back turns it round.
        const turns = (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]) > 0;
        const order = turns === front ? [0, 1, 2] : [0, 2, 1];
        for (const k of order) indices.push(first + corners[i + k]);
      }
    };
    cap(layers[0], true);
    cap(layers[layers.length - 1], false);
    const firsts = layers.map((layer) => put(ringsAt(layer.in), layer.back));
    for (let l = 0; l + 1 < layers.length; l++) {
      let offset = 0;
      for (const ring of blank.rings) {
        for (let i = 0; i < ring.length; i++) {
          const j = (i + 1) % ring.length;
          const [a, b] = [firsts[l] + offset + i, firsts[l] + offset + j];
          const [c, d] = [firsts[l + 1] + offset + i, firsts[l + 1] + offset + j];
          indices.push(a, c, b, b, c, d);
        }
        offset += ring.length;
      }
    }
  }
  const flat = new Float32Array(positions);
  const [low, high] = [Infinity, -Infinity].map((start, k) => {
    let found = start;
    for (let i = 0; i < flat.length; i += 3) found = k === 0 ? Math.min(found, flat[i]) : Math.max(found, flat[i]);
    return found;
  });
  let lowest = Infinity;
  for (let i = 2; i < flat.length; i += 3) lowest = Math.min(lowest, flat[i]);
  // Round letters hang a little below the line: what hangs lowest rests on the ground.
  for (let i = 0; i < flat.length; i += 3) {
    flat[i] -= (low + high) / 2;
    flat[i + 2] -= lowest;
  }
  const uvs = new Float32Array((flat.length / 3) * 2);
  for (let i = 0; i < flat.length / 3; i++) uvs.set([flat[i * 3] + flat[i * 3 + 1], flat[i * 3 + 2]], i * 2);
  const soup = { name: "text", positions: flat, normals: null, uvs, colours: null, indices: new Uint32Array(indices) };
  const tidy = tidied(soup, noRepairs());
  if (!tidy) return { positions: flat, normals: flat, uvs, indices: new Uint32Array(0), material: 0 };
  return { positions: tidy.positions, normals: tidy.normals, uvs: tidy.uvs, indices: tidy.indices, material: 0 };
}

export const text: ShapeKind<TextShape> = {
  title: "text",
  icon: "pi-language",
  schema: TextShapeSchema,
  start: () => ({
    kind: "text",
    text: "QUAY",
    font: "",
    outline: "",
    height: 0.4,
    depth: 0.08,
    bevel: 0.008,
    profile: "round",
    steps: 4,
    spacing: 0,
    lineGap: 0.6,
  }),
  mesh: textMesh,
  fields: (shape) => [
    {
      key: "height",
      label: "capitals",
      unit: "length",
      value: shape.height,
      least: 1e-3,
      put: (s, metres) => {
        // Everything of it grows alike.
        const by = metres / s.height;
        s.height = metres;
        s.depth *= by;
        s.bevel *= by;
      },
    },
    { key: "depth", label: "depth", unit: "length", value: shape.depth, least: 1e-4, put: (s, x) => (s.depth = x) },
    { key: "bevel", label: "bevel", unit: "length", value: shape.bevel, least: 0, put: (s, x) => (s.bevel = x) },
    {
      key: "steps",
      label: "steps",
      unit: "count",
      value: shape.steps,
      least: 1,
      most: 12,
      put: (s, x) => (s.steps = x),
    },
  ],
};
