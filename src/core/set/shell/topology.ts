import type { Vec3 } from "../../math/vec3.ts";
import { distance } from "../../math/vec3.ts";
import { faceWarp } from "../face.ts";
import type { Body } from "./make.ts";
import { faceOf, worldOf } from "./make.ts";

/** Sides of a ring, as pairs of corner ids, each from its start to its end. */
export const sidesOf = (ring: readonly string[]): [string, string][] =>
  ring.map((a, i) => [a, ring[(i + 1) % ring.length]]);

export const edgeKey = (a: string, b: string): string => (a < b ? `${a} ${b}` : `${b} ${a}`);

/** Faces that use each edge. */
export function edgeUses(body: Body): Map<string, string[]> {
  const uses = new Map<string, string[]>();
  for (const [id, { rings }] of Object.entries(body.faces))
    for (const ring of rings)
      for (const [a, b] of sidesOf(ring)) {
        const key = edgeKey(a, b);
        const known = uses.get(key);
        if (known) known.push(id);
        else uses.set(key, [id]);
      }
  return uses;
}

/** Edges that only one face uses: the rim of an open shell. */
export const openEdges = (body: Body): string[] =>
  [...edgeUses(body)].filter(([, faces]) => faces.length === 1).map(([key]) => key);

/** Connected pieces of the body. */
export function pieces(body: Body): number {
  const group = new Map<string, string>();
  const find = (a: string): string => {
    let at = a;
    while (group.get(at) !== at) at = group.get(at)!;
    return at;
  };
  for (const id of Object.keys(body.vertices)) group.set(id, id);
  for (const { rings } of Object.values(body.faces)) {
    const all = rings.flat();
    for (const id of all) group.set(find(id), find(all[0]));
  }
  return new Set(Object.keys(body.vertices).map(find)).size;
}

/**
 * Tunnels through a closed body by the Euler-Poincare formula V - E + F - R = 2 (C - G), with R inner rings and C
 * pieces. A number that is not whole tells that the body is not one.
 */
export function tunnels(body: Body): number {
  const faces = Object.values(body.faces);
  const inner = faces.reduce((n, face) => n + face.rings.length - 1, 0);
  const characteristic = Object.keys(body.vertices).length - edgeUses(body).size + faces.length - inner;
  return pieces(body) - characteristic / 2;
}

/** Size of a face: the longest way between two of its corners, at most. */
export const reachOf = (points: readonly Vec3[]): number =>
  Math.max(...points.map((p) => 2 * distance(p, points[0])), 1e-9);

/** What is wrong with a body: faces that are not flat, rings that name a corner twice or one that is gone, edges of three faces. */
export function faults(body: Body, flat = 1e-6): string[] {
  const found: string[] = [];
  for (const [id, { rings }] of Object.entries(body.faces)) {
    for (const ring of rings) {
      if (ring.some((at) => !body.vertices[at])) found.push(`face ${id} names a corner that is gone`);
      if (new Set(ring).size !== ring.length) found.push(`face ${id} meets itself`);
    }
    if (found.length > 0) continue;
    const face = faceOf(body, id);
    const warp = faceWarp(face);
    if (!(warp <= flat * reachOf(face.rings[0]))) found.push(`face ${id} is not flat (${warp.toExponential(2)} m)`);
  }
  for (const [key, faces] of edgeUses(body)) {
    if (faces.length > 2) found.push(`edge ${key} is used by ${faces.length} faces`);
    const [a, b] = key.split(" ");
    if (body.vertices[a] && body.vertices[b] && distance(worldOf(body, a), worldOf(body, b)) < 1e-9)
      found.push(`edge ${key} has no length`);
  }
  return found;
}
