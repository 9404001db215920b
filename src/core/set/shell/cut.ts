import { mix } from "../../math/vec3.ts";
import type { Vec2 } from "../../math/vec3.ts";
import { faceNormal, inPlane, planeAxes } from "../face.ts";
import { insidePolygon } from "../../math/polygon.ts";
import type { Body, Outcome } from "./make.ts";
import { addFace, addVertex, copyOf, faceOf, worldOf } from "./make.ts";
import { edgeKey, edgeUses, sidesOf } from "./topology.ts";

/** A place on an edge of the body: at a share of the way from its first to its second corner. */
export interface OnEdge {
  edge: [string, string];
  at: number;
}

/** Nearer to a corner than this share of the edge is the corner itself. */
const CORNER = 1e-4;

/** The corner at a place on an edge, made in place for all faces that have the edge where there is none. */
function cornerAt(body: Body, { edge: [a, b], at }: OnEdge): string | null {
  if (!body.vertices[a] || !body.vertices[b]) return null;
  if (at < CORNER) return a;
  if (at > 1 - CORNER) return b;
  let id: string | null = null;
  for (const face of Object.values(body.faces)) {
    for (const ring of face.rings) {
      const i = sidesOf(ring).findIndex(([p, q]) => (p === a && q === b) || (p === b && q === a));
      if (i < 0) continue;
      id ??= addVertex(body, mix(worldOf(body, a), worldOf(body, b), at));
      ring.splice(i + 1, 0, id);
    }
  }
  return id;
}

/** Cuts a face along the straight line between two places on its border. One part keeps its id. */
export function cutFace(before: Body, id: string, from: OnEdge, to: OnEdge): Outcome<{ face: string }> {
  if (!before.faces[id]) return "That face is gone. Pick another one.";
  const acrossAgain = edgeKey(...from.edge) === edgeKey(...to.edge);
  if (acrossAgain) return "The cut must lead from one side of the face to another.";
  const body = copyOf(before);
  const [p, q] = [cornerAt(body, from), cornerAt(body, to)];
  if (!p || !q) return "That edge is gone. Pick another one.";
  if (p === q) return "The cut must lead from one side of the face to another.";
  return cutBetween(body, id, p, q);
}

/** Cuts a face between two corners of its border, in place. */
function cutBetween(body: Body, id: string, p: string, q: string): Outcome<{ face: string }> {
  const [outer, ...holes] = body.faces[id].rings;
  const [i, j] = [outer.indexOf(p), outer.indexOf(q)];
  if (i < 0 || j < 0) return "The cut must start and end on the face's border.";
  const n = outer.length;
  if ((i + 1) % n === j || (j + 1) % n === i) return "The cut runs along a side of the face.";
  const part = (a: number, b: number): string[] => {
    const ring: string[] = [];
    for (let k = a; k !== b; k = (k + 1) % n) ring.push(outer[k]);
    return [...ring, outer[b]];
  };
  const face = faceOf(body, id);
  const axes = planeAxes(faceNormal(face));
  const [border, ...inner] = face.rings.map((ring) => inPlane(ring, axes));
  const [a, b] = inPlane([worldOf(body, p), worldOf(body, q)], axes);
  if (crosses(a, b, border) || inner.some((ring) => crosses(a, b, ring)))
    return "The cut leaves the face, or meets a hole. Cut where the line lies within it.";
  if (!insidePolygon([(a[0] + b[0]) / 2, (a[1] + b[1]) / 2], border)) return "The cut lies outside the face.";
  const [first, second] = [part(i, j), part(j, i)];
  const within = (ring: string[], hole: string[]) =>
    insidePolygon(
      inPlane([worldOf(body, hole[0])], axes)[0],
      inPlane(
        ring.map((at) => worldOf(body, at)),
        axes,
      ),
    );
  body.faces[id].rings = [first, ...holes.filter((hole) => within(first, hole))];
  const made = addFace(body, [second, ...holes.filter((hole) => !within(first, hole))]);
  return { body, face: made };
}

/** True if a line properly crosses a side of a ring, or goes through one of its corners other than its own ends. */
function crosses(a: Vec2, b: Vec2, ring: Vec2[]): boolean {
  const side = (p: Vec2, q: Vec2, r: Vec2) => (q[0] - p[0]) * (r[1] - p[1]) - (q[1] - p[1]) * (r[0] - p[0]);
  const length = Math.hypot(b[0] - a[0], b[1] - a[1]) || 1;
  const near = (r: Vec2) => Math.abs(side(a, b, r)) < 1e-9 * length;
  const same = (p: Vec2, q: Vec2) => Math.hypot(p[0] - q[0], p[1] - q[1]) < 1e-9;
  return ring.some((p, i) => {
    const q = ring[(i + 1) % ring.length];
    const t = ((p[0] - a[0]) * (b[0] - a[0]) + (p[1] - a[1]) * (b[1] - a[1])) / length ** 2;
    if (near(p) && !same(p, a) && !same(p, b) && t > 0 && t < 1) return true;
    if ([a, b].some((end) => same(end, p) || same(end, q))) return false;
    return side(a, b, p) * side(a, b, q) < 0 && side(p, q, a) * side(p, q, b) < 0;
  });
}

/**
 * Cuts around the body through a belt of four-sided faces, from a place on one edge: the same share of the way on every
 * edge across. The belt ends where a face is not four-sided, or where it began.
 */
export function cutAround(before: Body, start: OnEdge): Outcome<{ faces: string[] }> {
  if (start.at < CORNER || start.at > 1 - CORNER) return "Cut between the ends of the edge.";
  const uses = edgeUses(before);
  /** The side across a four-sided face from one of its sides, in the sense of that side. */
  const across = (id: string, [a, b]: [string, string]): [string, string] | null => {
    const { rings } = before.faces[id];
    if (rings.length !== 1 || rings[0].length !== 4) return null;
    const ring = rings[0];
    const i = sidesOf(ring).findIndex(([p, q]) => edgeKey(p, q) === edgeKey(a, b));
    const [p, q] = [ring[(i + 2) % 4], ring[(i + 3) % 4]];
    return ring[i] === a ? [q, p] : [p, q];
  };
  const belt = new Map<string, [string, string]>([[edgeKey(...start.edge), start.edge]]);
  const through = new Map<string, [[string, string], [string, string]]>();
  for (const first of uses.get(edgeKey(...start.edge)) ?? []) {
    let [face, edge] = [first, start.edge];
    while (!through.has(face)) {
      const next = across(face, edge);
      if (!next) break;
      through.set(face, [edge, next]);
      const key = edgeKey(...next);
      const met = belt.has(key);
      belt.set(key, belt.get(key) ?? next);
      const other = uses.get(key)!.find((id) => id !== face);
      if (met || !other) break;
      [face, edge] = [other, next];
    }
  }
  if (through.size === 0) return "No four-sided face lies beside that edge. Cut the faces one by one.";
  const body = copyOf(before);
  const corners = new Map<string, string>();
  for (const [key, edge] of belt) corners.set(key, cornerAt(body, { edge, at: start.at })!);
  const faces: string[] = [];
  for (const [face, [from, to]] of through) {
    const cut = cutBetween(body, face, corners.get(edgeKey(...from))!, corners.get(edgeKey(...to))!);
    if (typeof cut === "string") return cut;
    faces.push(cut.face);
  }
  return { body, faces };
}
