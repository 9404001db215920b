import type { Vec2, Vec3 } from "../../math/vec3.ts";
import { add, dot, length, scale, sub } from "../../math/vec3.ts";
import type { SetVertex } from "../vertex.ts";
import { faceArea, faceNormal, facePlane, inPlane, planeAxes, ringArea } from "../face.ts";
import { insidePolygon } from "../../math/polygon.ts";
import type { Body, Outcome } from "./make.ts";
import { addFace, addVertex, copyOf, dropLoose, faceOf, worldOf } from "./make.ts";
import { sidesOf } from "./topology.ts";

/** Least that a face is pulled by, metres. */
const LEAST = 1e-4;

/** Pulls a face along its normal: it keeps its id, and new sides stand where it was. */
export function pullFace(before: Body, id: string, metres: number): Outcome<{ sides: string[] }> {
  if (!before.faces[id]) return "That face is gone. Pick another one.";
  if (Math.abs(metres) < LEAST) return "Pull the face farther.";
  const body = copyOf(before);
  const along = scale(faceNormal(faceOf(body, id)), metres);
  const sides: string[] = [];
  body.faces[id].rings = body.faces[id].rings.map((ring) => {
    const moved = ring.map((at) => addVertex(body, add(worldOf(body, at), along)));
    sidesOf(ring).forEach(([a, b], i) => {
      const [p, q] = [moved[i], moved[(i + 1) % ring.length]];
      sides.push(addFace(body, [[a, b, q, p]]));
    });
    return moved;
  });
  dropLoose(body);
  return { body, sides };
}

/** True if two segments of a plane cross or touch. */
function segmentsMeet(a: Vec2, b: Vec2, c: Vec2, d: Vec2): boolean {
  const side = (p: Vec2, q: Vec2, r: Vec2) => (q[0] - p[0]) * (r[1] - p[1]) - (q[1] - p[1]) * (r[0] - p[0]);
  // Boxes apart settle it, also for segments of one line.
  for (const k of [0, 1])
    if (Math.max(a[k], b[k]) < Math.min(c[k], d[k]) || Math.max(c[k], d[k]) < Math.min(a[k], b[k])) return false;
  return side(a, b, c) * side(a, b, d) <= 0 && side(c, d, a) * side(c, d, b) <= 0;
}

/** True if a ring of the face's plane lies within the face, clear of its border and its holes. */
function liesWithin(body: Body, id: string, ring: readonly Vec3[]): boolean {
  const face = faceOf(body, id);
  const axes = planeAxes(faceNormal(face));
  const flat = inPlane(ring, axes);
  const [outer, ...holes] = face.rings.map((r) => inPlane(r, axes));
  const clear = [outer, ...holes].every((border) =>
    border.every((p, i) => {
      const q = border[(i + 1) % border.length];
      return flat.every((a, k) => !segmentsMeet(a, flat[(k + 1) % flat.length], p, q));
    }),
  );
  return (
    clear &&
    flat.every((p) => insidePolygon(p, outer) && !holes.some((hole) => insidePolygon(p, hole))) &&
    holes.every((hole) => !insidePolygon(hole[0], flat))
  );
}

/** A ring brought into the face's plane, anticlockwise as the face is; or why it does not fit. */
function ringFor(body: Body, id: string, given: readonly Vec3[]): Vec3[] | string {
  if (!body.faces[id]) return "That face is gone. Pick another one.";
  const plane = facePlane(faceOf(body, id));
  const ring = given.map((p) => add(p, scale(plane.normal, plane.offset - dot(plane.normal, p))));
  const area = dot(ringArea(ring), plane.normal) / 2;
  if (Math.abs(area) < 1e-8) return "The outline has no area. Draw it larger.";
  if (area < 0) ring.reverse();
  if (!liesWithin(body, id, ring)) return "The outline must lie within the face, clear of its border and holes.";
  return ring;
}

/** Draws a face within a face: what is drawn is a face of its own, to be pulled or deleted; the old one has a hole there. */
export function insetFace(
  before: Body,
  id: string,
  outline: readonly Vec3[],
  placed: readonly (SetVertex | null)[] = [],
): Outcome<{ face: string }> {
  const ring = ringFor(before, id, outline);
  if (typeof ring === "string") return ring;
  const body = copyOf(before);
  const known = (p: Vec3) => placed.find((v) => v && length(sub(v.world as Vec3, p)) < 1e-6) ?? undefined;
  const ids = ring.map((p) => addVertex(body, p, known(p) && { ...known(p)!, world: p }));
  body.faces[id].rings.push([...ids].reverse());
  return { body, face: addFace(body, [ids]) };
}

/** Deletes a face: the shell is open there. */
export function deleteFace(before: Body, id: string): Outcome {
  if (!before.faces[id]) return "That face is gone.";
  if (Object.keys(before.faces).length === 1) return "It is the shell's last face. Delete the shell instead.";
  const body = copyOf(before);
  delete body.faces[id];
  dropLoose(body);
  return { body };
}

/** Cuts a hole into a face. */
export function cutHole(before: Body, id: string, outline: readonly Vec3[]): Outcome {
  const inset = insetFace(before, id, outline);
  return typeof inset === "string" ? inset : deleteFace(inset.body, inset.face);
}

/** Area of all faces, square metres. */
export const bodyArea = (body: Body): number =>
  Object.keys(body.faces).reduce((sum, id) => sum + faceArea(faceOf(body, id)), 0);
