import type { Vec3 } from "../math/vec3.ts";
import { cross, dot, length, normalize, sub } from "../math/vec3.ts";
import { ringArea } from "./face.ts";

/** Planar faces out of triangles: neighbours in one plane become one face with a border and holes. */

/** Triangles of a mesh: three floats a corner, three corner numbers a triangle. */
export interface Triangles {
  positions: ArrayLike<number>;
  indices: ArrayLike<number>;
}

/** Corners nearer than this are one, metres. */
const WELD = 1e-5;
/** Normals that differ by less than this angle's sine, and corners off the plane by less than that share of the size, lie in one plane. */
const FLAT = 1e-4;
/** Triangles with less area than that have no plane, square metres. */
const LEAST_AREA = 1e-12;

interface Welded {
  points: Vec3[];
  /** Three numbers of points a triangle. */
  corners: number[];
  normals: Vec3[];
}

function weld({ positions, indices }: Triangles): Welded {
  const numbers = new Map<string, number>();
  const points: Vec3[] = [];
  const at = (i: number): number => {
    const p: Vec3 = [positions[i * 3], positions[i * 3 + 1], positions[i * 3 + 2]];
    const key = `${Math.round(p[0] / WELD)},${Math.round(p[1] / WELD)},${Math.round(p[2] / WELD)}`;
    let number = numbers.get(key);
    if (number === undefined) numbers.set(key, (number = points.push(p) - 1));
    return number;
  };
  const corners: number[] = [];
  const normals: Vec3[] = [];
  for (let i = 0; i + 2 < indices.length; i += 3) {
    const a = at(indices[i]);
    const b = at(indices[i + 1]);
    const c = at(indices[i + 2]);
    const area = cross(sub(points[b], points[a]), sub(points[c], points[a]));
    if (a === b || b === c || c === a || length(area) / 2 < LEAST_AREA) continue;
    corners.push(a, b, c);
    normals.push(normalize(area));
  }
  return { points, corners, normals };
}

/** Rings of points over the triangles: each group of neighbours in one plane is a face, outer ring first. */
export function planarFaces(triangles: Triangles): Vec3[][][] {
  const { points, corners, normals } = weld(triangles);
  /** Triangles by their directed sides. */
  const sides = new Map<number, number[]>();
  const sideKey = (a: number, b: number): number => a * points.length + b;
  const sideOf = (t: number, k: number): [number, number] => [corners[t * 3 + k], corners[t * 3 + ((k + 1) % 3)]];
  for (let t = 0; t < normals.length; t++)
    for (let k = 0; k < 3; k++) {
      const [a, b] = sideOf(t, k);
      const key = sideKey(a, b);
      const list = sides.get(key);
      if (list) list.push(t);
      else sides.set(key, [t]);
    }
  const faces: Vec3[][][] = [];
  const taken = new Uint8Array(normals.length);
  for (let t = 0; t < normals.length; t++) {
    if (taken[t]) continue;
    const group = flood(t);
    const rings = borders(group);
    if (rings) faces.push(rings.map((ring) => ring.map((i) => points[i])));
    else for (const one of group) faces.push([[0, 1, 2].map((k) => points[corners[one * 3 + k]])]);
  }
  return faces;

  /** The triangle and those that join it in its plane. */
  function flood(first: number): number[] {
    const normal = normals[first];
    const start = points[corners[first * 3]];
    const group = [first];
    taken[first] = 1;
    for (const t of group)
      for (let k = 0; k < 3; k++) {
        const [a, b] = sideOf(t, k);
        const beside = sides.get(sideKey(b, a));
        // Where more than two meet, it is not told which go together.
        if (beside?.length !== 1 || sides.get(sideKey(a, b))!.length !== 1 || taken[beside[0]]) continue;
        const [other] = beside;
        if (dot(normals[other], normal) < 1 - FLAT * FLAT) continue;
        const flat = [0, 1, 2].every((c) => {
          const way = sub(points[corners[other * 3 + c]], start);
          return Math.abs(dot(way, normal)) <= FLAT * Math.max(1e-2, length(way));
        });
        if (!flat) continue;
        taken[other] = 1;
        group.push(other);
      }
    return group;
  }

  /** Rings of corner numbers around a group, the outer one first; null where they touch themselves. */
  function borders(group: number[]): number[][] | null {
    if (group.length === 1) return [[0, 1, 2].map((k) => corners[group[0] * 3 + k])];
    const own = new Set<number>();
    for (const t of group) for (let k = 0; k < 3; k++) own.add(sideKey(...sideOf(t, k)));
    const next = new Map<number, number>();
    for (const t of group)
      for (let k = 0; k < 3; k++) {
        const [a, b] = sideOf(t, k);
        if (own.has(sideKey(b, a))) continue;
        if (next.has(a)) return null;
        next.set(a, b);
      }
    const rings: number[][] = [];
    while (next.size > 0) {
      const [start] = next.keys();
      const ring: number[] = [];
      for (let at = start; ;) {
        const to = next.get(at);
        if (to === undefined) return null;
        ring.push(at);
        next.delete(at);
        if (to === start) break;
        at = to;
      }
      rings.push(ring);
    }
    const normal = normals[group[0]];
    const turns = (ring: number[]) => dot(ringArea(ring.map((i) => points[i])), normal);
    const outer = rings.filter((ring) => turns(ring) > 0);
    return outer.length === 1 ? [outer[0], ...rings.filter((ring) => ring !== outer[0])] : null;
  }
}
