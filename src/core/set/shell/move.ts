import type { Vec3 } from "../../math/vec3.ts";
import { add, dot, length, scale, sub } from "../../math/vec3.ts";
import type { Plane } from "../../optics/camera.ts";
import { ringArea, ringPlane } from "../face.ts";
import type { Body, Outcome } from "./make.ts";
import { copyOf, worldOf } from "./make.ts";
import { faults, reachOf } from "./topology.ts";

const ROUNDS = 4000;
/** How flat faces are brought, against their size. */
const FLAT = 1e-8;
/** How far a corner goes that follows, against the body's size; less is rounding. */
const FOLLOWS = 1e-6;

/**
 * Moves corners to new places. Faces stay flat: corners that must follow do so by as little as the faces allow, and are
 * named; corners moved stay where they were put. A sentence where the faces cannot stay flat.
 */
export function moveVertices(before: Body, to: ReadonlyMap<string, Vec3>): Outcome<{ followed: string[] }> {
  const body = copyOf(before);
  for (const [id, world] of to) {
    if (!body.vertices[id]) return "That corner is gone. Pick another one.";
    body.vertices[id] = { ...body.vertices[id], world: [...world], pixel: null };
  }
  if (!flatten(body, new Set(to.keys())))
    return "The faces around cannot stay flat that way. Move a whole edge or face instead.";
  const wrong = faults(body);
  if (wrong.length > 0) return "That would fold a face into itself. Move it less far.";
  for (const [id, { rings }] of Object.entries(body.faces)) {
    const [now, then] = [body, before].map((b) => ringArea(rings[0].map((at) => worldOf(b, at))));
    if (length(now) < 1e-9 || (dot(now, then) < 0 && to.size < rings[0].length && !turnsWith(rings[0], to)))
      return `That would turn face ${id} inside out. Move it less far.`;
  }
  // What only settles within the flatness that faces have anyway does not follow, and keeps its place on the plate.
  const least = FOLLOWS * reachOf(Object.keys(before.vertices).map((id) => worldOf(before, id)));
  const followed = Object.keys(body.vertices).filter(
    (id) => !to.has(id) && length(sub(worldOf(body, id), worldOf(before, id))) > least,
  );
  for (const id of followed) body.vertices[id] = { ...body.vertices[id], pixel: null };
  return { body, followed };
}

const turnsWith = (ring: readonly string[], moved: ReadonlyMap<string, Vec3>) => ring.every((id) => moved.has(id));

/** Moves corners by a vector. */
export function moveBy(before: Body, ids: readonly string[], by: Vec3): Outcome<{ followed: string[] }> {
  const known = ids.filter((id) => before.vertices[id]);
  return moveVertices(before, new Map(known.map((id) => [id, add(worldOf(before, id), by)])));
}

/** Moves a face along its own normal, with the faces around it. */
export function moveFace(before: Body, id: string, metres: number): Outcome<{ followed: string[] }> {
  const face = before.faces[id];
  if (!face) return "That face is gone. Pick another one.";
  const { normal } = ringPlane(face.rings[0].map((at) => worldOf(before, at)));
  return moveBy(before, [...new Set(face.rings.flat())], scale(normal, metres));
}

/**
 * Brings all faces of a body flat, in place, by moving corners that are not held onto the planes that fit their faces,
 * again and again (alternating projections). False if they do not come to rest.
 */
function flatten(body: Body, held: ReadonlySet<string>): boolean {
  const faces = Object.values(body.faces).map(({ rings }) => rings.flat());
  const many = faces.filter((ids) => new Set(ids).size > 3);
  for (let round = 0; round < ROUNDS; round++) {
    let worst = 0;
    for (const ids of many) {
      const points = ids.map((id) => worldOf(body, id));
      const plane = planeFor(ids, points, held);
      const reach = reachOf(points);
      ids.forEach((id, k) => {
        const off = dot(plane.normal, points[k]) - plane.offset;
        const share = Math.abs(off) / reach;
        worst = Math.max(worst, share);
        if (share > FLAT / 10 && !held.has(id))
          body.vertices[id] = { ...body.vertices[id], world: add(points[k], scale(plane.normal, -off)) };
      });
    }
    if (worst < FLAT) return true;
  }
  return false;
}

/** The plane that a face is brought onto: through its held corners, as far as those tell it. */
function planeFor(ids: readonly string[], points: readonly Vec3[], held: ReadonlySet<string>): Plane {
  const fixed = points.filter((_, k) => held.has(ids[k]));
  const whole = ringPlane(points);
  if (fixed.length === 0) return whole;
  if (fixed.length >= 3) {
    const area = ringArea(fixed);
    if (length(area) > 1e-9) return ringPlane(fixed);
  }
  // Turned as little as possible about the held corners.
  const foot = fixed.reduce((sum, p) => add(sum, scale(p, 1 / fixed.length)), [0, 0, 0] as Vec3);
  if (fixed.length === 1) return { normal: whole.normal, offset: dot(whole.normal, foot) };
  const along = sub(fixed[fixed.length - 1], fixed[0]);
  const d = dot(along, along) || 1;
  const tilted = sub(whole.normal, scale(along, dot(whole.normal, along) / d));
  const normal = scale(tilted, 1 / (length(tilted) || 1));
  return { normal, offset: dot(normal, foot) };
}
