import * as v from "valibot";
import type { Vec2, Vec3 } from "../../math/vec3.ts";
import { add, dot, scale } from "../../math/vec3.ts";
import type { Plane } from "../../optics/camera.ts";
import { Id, NotNegative, Text } from "../../schema/fields.ts";
import type { Face } from "../face.ts";
import { insidePolygon } from "../../math/polygon.ts";
import { faceNormal, facePlane, inPlane, planeAxes } from "../face.ts";
import { bareFacesOf } from "../bare.ts";
import { VertexSchema, placedVertex } from "../vertex.ts";
import { fromDrawn } from "./common.ts";
import type { Part, SetRecord } from "./index.ts";
import type { PartHandle, PartKind } from "./kind.ts";
import { partBase } from "./kind.ts";

/** A door or window: a rectangle that is cut out of a face, with a reveal and a pane if it has any. */
export const OpeningSchema = v.object({
  ...partBase,
  kind: v.literal("opening"),
  on: v.object({ part: Id, face: Text }),
  /** Two corners across on the face: one at the sill, one at the head. */
  corners: v.tuple([VertexSchema, VertexSchema]),
  /** How deep the reveal is, metres; 0 for a bare hole. */
  depth: NotNegative,
  /** Closed by a pane of its own material. */
  pane: v.boolean(),
});
export type Opening = v.InferOutput<typeof OpeningSchema>;

/** Least that stays of a face around an opening, metres: a hole that touched the border would cut the face in two. */
const RIM = 0.001;

/** Left, right, sill and head in the face's own axes, held within it; null where it lies beside the face. */
function extent(part: Opening, host: Face): { axes: [Vec3, Vec3]; low: Vec2; high: Vec2; plane: Plane } | null {
  const plane = facePlane(host);
  const axes = planeAxes(plane.normal);
  const outline = inPlane(host.rings[0], axes);
  const [a, b] = inPlane([part.corners[0].world, part.corners[1].world], axes);
  const low: Vec2 = [0, 0];
  const high: Vec2 = [0, 0];
  for (const k of [0, 1]) {
    const [least, most] = [Math.min(...outline.map((p) => p[k])), Math.max(...outline.map((p) => p[k]))];
    low[k] = Math.max(Math.min(a[k], b[k]), least + RIM);
    high[k] = Math.min(Math.max(a[k], b[k]), most - RIM);
    if (high[k] - low[k] < RIM) return null;
  }
  return { axes, low, high, plane };
}

/** Corners of the hole, anticlockwise from the sill; null where host or rectangle is gone. */
export function openingRing(part: Opening, host: Face): Vec3[] | null {
  const found = extent(part, host);
  if (!found) return null;
  const { axes, low, high, plane } = found;
  const outline = inPlane(host.rings[0], axes);
  const ring: Vec2[] = [low, [high[0], low[1]], high, [low[0], high[1]]];
  if (!ring.every((p) => insidePolygon(p, outline))) return null;
  return ring.map(([x, y]) => add(add(scale(axes[0], x), scale(axes[1], y)), scale(plane.normal, plane.offset)));
}

const hostOf = (part: Opening, set: SetRecord): Face | undefined =>
  bareFacesOf(set, part.on.part).find((face) => face.id === part.on.face);

function openingFaces(part: Opening, set: SetRecord): Face[] {
  const host = hostOf(part, set);
  const ring = host && openingRing(part, host);
  if (!host || !ring) return [];
  const back = scale(faceNormal(host), -part.depth);
  const inner = ring.map((p) => add(p, back));
  const faces: Face[] = [];
  if (part.depth > 0)
    ring.forEach((p, i) => {
      const j = (i + 1) % ring.length;
      faces.push({ id: ["sill", "right", "head", "left"][i], rings: [[p, ring[j], inner[j], inner[i]]] });
    });
  if (part.pane) faces.push({ id: "pane", rings: [inner] });
  return faces;
}

const known = new WeakMap<SetRecord, Map<string, Opening[]>>();

/** Openings by the part that they are cut into. */
function openingsOf(set: SetRecord): Map<string, Opening[]> {
  let found = known.get(set);
  if (found) return found;
  found = new Map();
  for (const other of Object.values(set)) {
    if (other.kind !== "opening" || other.muted) continue;
    found.set(other.on.part, [...(found.get(other.on.part) ?? []), other]);
  }
  known.set(set, found);
  return found;
}

/** A part's faces with the holes of all openings in them. */
export function withOpenings(faces: Face[], part: Part, set: SetRecord): Face[] {
  const openings = openingsOf(set).get(part.id);
  if (!openings) return faces;
  return faces.map((face) => {
    const holes = openings.flatMap((opening) => {
      const ring = opening.on.face === face.id ? openingRing(opening, face) : null;
      return ring ? [[...ring].reverse()] : [];
    });
    return holes.length > 0 ? { ...face, rings: [...face.rings, ...holes] } : face;
  });
}

export const opening: PartKind<Opening> = {
  title: "Opening",
  schema: OpeningSchema,
  faces: openingFaces,
  vertices: (part, set) => {
    const host = hostOf(part, set);
    return host ? part.corners.map((vertex) => ({ vertex, normal: faceNormal(host) })) : [];
  },
  stretch: (part, share) => (part.depth *= share),
  on: (part) => [part.on.part],
  handles: (part, set) => {
    const host = hostOf(part, set);
    if (!host) return [];
    const plane = facePlane(host);
    const corner = (i: 0 | 1): PartHandle<Opening> => ({
      key: `${i}`,
      at: part.corners[i].world,
      edit: "Move opening's corner",
      along: { plane },
      put: (p, to, pixel) => (p.corners[i] = placedVertex(to, pixel)),
    });
    const [u, w] = planeAxes(plane.normal);
    const middle = scale(add(part.corners[0].world, part.corners[1].world), 0.5);
    const edge = (i: 0 | 1, name: string): PartHandle<Opening> => ({
      key: name,
      at: add(middle, scale(w, dot(w, part.corners[i].world) - dot(w, middle))),
      edit: `Pull ${name}`,
      along: { direction: w },
      put: (p, to) => {
        const own = p.corners[i].world as Vec3;
        p.corners[i] = placedVertex(add(own, scale(w, dot(w, to) - dot(w, own))), null);
      },
    });
    const below = dot(w, part.corners[0].world) < dot(w, part.corners[1].world);
    void u;
    return [corner(0), corner(1), edge(0, below ? "sill" : "head"), edge(1, below ? "head" : "sill")];
  },
  counted: true,
  switches: (part) => [{ key: "pane", label: "pane", on: part.pane, put: (p, on) => (p.pane = on) }],
  fields: (part, set) => {
    const host = hostOf(part, set);
    if (!host) return [];
    const axes = planeAxes(facePlane(host).normal);
    const span = (k: 0 | 1) => dot(axes[k], part.corners[1].world) - dot(axes[k], part.corners[0].world);
    const stretch = (k: 0 | 1) => (p: Opening, value: number) => {
      const by = Math.sign(span(k) || 1) * value - span(k);
      p.corners[1] = placedVertex(add(p.corners[1].world as Vec3, scale(axes[k], by)), null);
    };
    return [
      { key: "width", label: "width", unit: "length", value: Math.abs(span(0)), least: 0.01, put: stretch(0) },
      { key: "tall", label: "height", unit: "length", value: Math.abs(span(1)), least: 0.01, put: stretch(1) },
      { key: "depth", label: "reveal", unit: "length", value: part.depth, least: 0, put: (p, x) => (p.depth = x) },
    ];
  },
  draw: {
    label: "opening",
    icon: "pi-th-large",
    key: "o",
    hints: ["Opening: click a lower corner of a door or window on a face", "now its corner across, at the head"],
    takes: ["surface", "plane"],
    build: ([a, b], { plane }) => {
      if (!a.on) return "An opening is cut into a face. Click on a wall, a block or a room.";
      const axes = planeAxes(plane.normal);
      const [p, q] = inPlane([a.world, b.world], axes);
      if (Math.abs(p[0] - q[0]) < 0.01 || Math.abs(p[1] - q[1]) < 0.01)
        return "The opening has no width or no height. Click a corner across.";
      return { kind: "opening", on: a.on, corners: [fromDrawn(a), fromDrawn(b)], depth: 0, pane: false };
    },
  },
};
