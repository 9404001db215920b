import type { Vec3 } from "../../math/vec3.ts";
import { distance, dot, scale, sub } from "../../math/vec3.ts";
import type { Plane } from "../../optics/camera.ts";
import { faceWarp } from "../face.ts";
import type { Body, Outcome } from "./make.ts";
import { addFace, addVertex, copyOf, dropLoose, worldOf } from "./make.ts";
import { edgeUses, reachOf } from "./topology.ts";

/** Joins two faces by sides from one border to the other: a passage through, or a link between two pieces. */
export function bridgeFaces(before: Body, one: string, other: string): Outcome<{ faces: string[] }> {
  const [a, b] = [before.faces[one], before.faces[other]];
  if (!a || !b || one === other) return "Pick two faces to bridge.";
  if (a.rings.length > 1 || b.rings.length > 1) return "Faces with holes cannot be bridged. Cut them first.";
  const [p, q] = [a.rings[0], [...b.rings[0]].reverse()];
  if (p.length !== q.length)
    return `The faces have ${p.length} and ${q.length} corners. Bridge faces with as many corners.`;
  if (p.some((id) => q.includes(id))) return "The faces touch. Bridge faces that lie apart.";
  const n = p.length;
  // The turn of one border against the other that makes the sides shortest.
  let [turn, least] = [0, Infinity];
  for (let t = 0; t < n; t++) {
    const sum = p.reduce((s, id, i) => s + distance(worldOf(before, id), worldOf(before, q[(i + t) % n])), 0);
    if (sum < least) [turn, least] = [t, sum];
  }
  const body = copyOf(before);
  delete body.faces[one];
  delete body.faces[other];
  const faces: string[] = [];
  for (let i = 0; i < n; i++) {
    const ring = [p[i], p[(i + 1) % n], q[(i + 1 + turn) % n], q[(i + turn) % n]];
    const points = ring.map((id) => worldOf(body, id));
    const flat = faceWarp({ id: "", rings: [points] }) <= 1e-7 * reachOf(points);
    if (flat) faces.push(addFace(body, [ring]));
    else faces.push(addFace(body, [[ring[0], ring[1], ring[2]]]), addFace(body, [[ring[0], ring[2], ring[3]]]));
  }
  if ([...edgeUses(body).values()].some((uses) => uses.length > 2))
    return "The faces share an edge with a third one there.";
  return { body, faces };
}

/** Mirrors a body at a plane; borders are turned round, so that its faces go on looking outwards. */
export function mirrored(before: Body, { normal, offset }: Plane): Body {
  const body = copyOf(before);
  for (const [id, vertex] of Object.entries(body.vertices)) {
    const world = vertex.world as Vec3;
    const to = sub(world, scale(normal, 2 * (dot(normal, world) - offset)));
    body.vertices[id] = { ...vertex, world: to, pixel: null };
  }
  for (const face of Object.values(body.faces)) face.rings = face.rings.map((ring) => [...ring].reverse());
  return body;
}

/** Two bodies as one. The first keeps its ids; tells the second one's new face ids. */
export function merged(first: Body, second: Body): { body: Body; faces: Map<string, string> } {
  const body = copyOf(first);
  const corners = new Map(
    Object.entries(second.vertices).map(([id, vertex]) => [id, addVertex(body, vertex.world as Vec3, { ...vertex })]),
  );
  const faces = new Map(
    Object.entries(second.faces).map(([id, { rings }]) => [
      id,
      addFace(
        body,
        rings.map((ring) => ring.map((at) => corners.get(at)!)),
      ),
    ]),
  );
  return { body, faces };
}

/** Takes faces off into a body of their own, which keeps their ids. */
export function splitOff(before: Body, ids: readonly string[]): Outcome<{ off: Body }> {
  const known = ids.filter((id) => before.faces[id]);
  if (known.length === 0) return "Pick the faces to split off.";
  if (known.length === Object.keys(before.faces).length) return "That is the whole shell. Leave at least one face.";
  const [body, off] = [copyOf(before), copyOf(before)];
  for (const id of Object.keys(before.faces)) delete (known.includes(id) ? body : off).faces[id];
  dropLoose(body);
  dropLoose(off);
  return { body, off };
}
