import earcut from "earcut";
import { insidePolygon } from "../math/polygon.ts";
import type { Vec2, Vec3 } from "../math/vec3.ts";
import { add, cross, dot, length, normalize, scale, sub } from "../math/vec3.ts";
import type { Plane } from "../optics/camera.ts";

/** A planar face of the set in the world: its border, anticlockwise as seen from the side that it faces, then its holes. */
export interface Face {
  /** Unique within its part, and the same as long as the face survives. */
  id: string;
  rings: Vec3[][];
}

/** Twice the vector area of a ring (Newell's method): its direction is the normal. */
export function ringArea(ring: readonly Vec3[]): Vec3 {
  const sum: Vec3 = [0, 0, 0];
  for (let i = 0; i < ring.length; i++) {
    const a = ring[i];
    const b = ring[(i + 1) % ring.length];
    sum[0] += (a[1] - b[1]) * (a[2] + b[2]);
    sum[1] += (a[2] - b[2]) * (a[0] + b[0]);
    sum[2] += (a[0] - b[0]) * (a[1] + b[1]);
  }
  return sum;
}

export const faceNormal = (face: Face): Vec3 => normalize(ringArea(face.rings[0]));

/** The plane of a ring, through the mean of its corners. */
export function ringPlane(ring: readonly Vec3[]): Plane {
  const normal = normalize(ringArea(ring));
  const offset = ring.reduce((sum, p) => sum + dot(normal, p), 0) / ring.length;
  return { normal, offset };
}

export const facePlane = (face: Face): Plane => ringPlane(face.rings[0]);

/** What pointing asks of a face at every move of the pointer. */
interface Outline {
  plane: Plane;
  axes: [Vec3, Vec3];
  rings: Vec2[][];
}
const outlines = new WeakMap<Face, Outline>();

function outlineOf(face: Face): Outline {
  let known = outlines.get(face);
  if (!known) {
    const plane = facePlane(face);
    const axes = planeAxes(plane.normal);
    known = { plane, axes, rings: face.rings.map((ring) => inPlane(ring, axes)) };
    outlines.set(face, known);
  }
  return known;
}

/** Area of a face without its holes, square metres. */
export function faceArea(face: Face): number {
  const normal = faceNormal(face);
  const [outer, ...holes] = face.rings.map((ring) => Math.abs(dot(ringArea(ring), normal)) / 2);
  return outer - holes.reduce((a, b) => a + b, 0);
}

/** Farthest that a corner lies off the face's plane, metres. */
export function faceWarp(face: Face): number {
  const { normal, offset } = facePlane(face);
  return Math.max(...face.rings.flat().map((p) => Math.abs(dot(normal, p) - offset)));
}

/** Two directions of a plane that stand at right angles: the level one, and upwards; on a level plane X and Y. */
export function planeAxes(normal: Vec3): [Vec3, Vec3] {
  if (Math.abs(normal[2]) > 0.9999)
    return [
      [1, 0, 0],
      [0, Math.sign(normal[2]), 0],
    ];
  const level = normalize(cross([0, 0, 1], normal));
  return [level, cross(normal, level)];
}

/** Coordinates in a plane along its axes. */
export function inPlane(points: readonly Vec3[], [u, w]: readonly [Vec3, Vec3]): Vec2[] {
  return points.map((p) => [dot(p, u), dot(p, w)]);
}

/** True if a point of the face's plane lies on the face, and in none of its holes. */
export function onFace(face: Face, point: Vec3): boolean {
  const { axes, rings } = outlineOf(face);
  const at: Vec2 = [dot(point, axes[0]), dot(point, axes[1])];
  return insidePolygon(at, rings[0]) && !rings.some((hole, i) => i > 0 && insidePolygon(at, hole));
}

/** Corners of triangles by number, over all rings one after another. */
export function triangulate(face: Face): number[] {
  const { rings } = face;
  const normal = ringArea(rings[0]);
  // A four-sided wall is halved along one diagonal; level polygons are cut in their own X and Y.
  const level = Math.abs(normal[2]) > 1e-9 * length(normal);
  if (rings.length === 1 && rings[0].length === 4 && !level) return [0, 1, 2, 0, 2, 3];
  const k = [0, 1, 2].reduce((most, i) => (Math.abs(normal[i]) > Math.abs(normal[most]) ? i : most), 2);
  const keep = k === 2 ? [0, 1] : k === 0 ? [1, 2] : [2, 0];
  const flat = rings.flat().flatMap((p) => [p[keep[0]], p[keep[1]]]);
  const holes: number[] = [];
  let count = 0;
  for (const ring of rings.slice(0, -1)) holes.push((count += ring.length));
  const corners = earcut(flat, holes.length > 0 ? holes : undefined);
  return corners;
}

/** Corners of triangles as `triangulate` gives them, each going round as the face's border does: anticlockwise from its front. */
export function frontTriangles(face: Face): number[] {
  const points = face.rings.flat();
  const normal = ringArea(face.rings[0]);
  const corners = triangulate(face);
  for (let i = 0; i < corners.length; i += 3) {
    const [a, b, c] = [points[corners[i]], points[corners[i + 1]], points[corners[i + 2]]];
    if (dot(cross(sub(b, a), sub(c, a)), normal) >= 0) continue;
    [corners[i + 1], corners[i + 2]] = [corners[i + 2], corners[i + 1]];
  }
  return corners;
}

/** Distance along a ray at which it meets a face, or null. The direction may have any length. */
export function rayMeets(face: Face, from: Vec3, direction: Vec3): number | null {
  const { normal, offset } = outlineOf(face).plane;
  const along = dot(normal, direction);
  if (Math.abs(along) < 1e-12) return null;
  const t = (offset - dot(normal, from)) / along;
  return t > 1e-9 && onFace(face, add(from, scale(direction, t))) ? t : null;
}

/** True if a polygon's sides cross each other. */
export function crossesItself(ring: readonly Vec3[]): boolean {
  // Sides that cross may leave no area: the widest corner tells the plane.
  const wide = ring.map((a, i) => cross(sub(ring[(i + 1) % ring.length], a), sub(ring[(i + 2) % ring.length], a)));
  const normal = normalize(wide.reduce((most, x) => (length(x) > length(most) ? x : most), wide[0]));
  const flat = inPlane(ring, planeAxes(normal));
  const n = flat.length;
  const side = (a: Vec2, b: Vec2, c: Vec2) => Math.sign((b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]));
  for (let i = 0; i < n; i++) {
    for (let j = i + 2; j < n; j++) {
      if (i === 0 && j === n - 1) continue;
      const [a, b, c, d] = [flat[i], flat[(i + 1) % n], flat[j], flat[(j + 1) % n]];
      if (side(a, b, c) * side(a, b, d) < 0 && side(c, d, a) * side(c, d, b) < 0) return true;
    }
  }
  return false;
}

/** Sides and lid over a polygon along a vector. The base is left open unless it is asked for. */
export function prismFaces(ring: Vec3[], along: Vec3, closed = false): Face[] {
  const lid = ring.map((p) => add(p, along));
  const faces = ring.map((a, i): Face => {
    const j = (i + 1) % ring.length;
    return { id: `side-${i + 1}`, rings: [[a, ring[j], lid[j], lid[i]]] };
  });
  faces.push({ id: "lid", rings: [lid] });
  if (closed) faces.push({ id: "base", rings: [[...ring].reverse()] });
  return faces;
}

/** Volume within closed faces, cubic metres (divergence theorem); negative where they face inwards. */
export function volume(faces: readonly Face[]): number {
  let six = 0;
  for (const face of faces) {
    const points = face.rings.flat();
    const corners = frontTriangles(face);
    for (let i = 0; i < corners.length; i += 3) {
      const [a, b, c] = [points[corners[i]], points[corners[i + 1]], points[corners[i + 2]]];
      six += dot(a, cross(b, c));
    }
  }
  return six / 6;
}
