import type { Vec2, Vec3 } from "../math/vec3.ts";
import { add, cross, dot, normalize, scale, sub } from "../math/vec3.ts";
import type { Camera, Plane } from "../optics/camera.ts";
import { pixelOnPlane } from "../optics/camera.ts";

/** Constructions on the plate that test a camera, or need none. */

/** 3 x 3 homography, row-major, that takes the unit square's corners (0,0) (1,0) (1,1) (0,1) to four pixels (Heckbert 1989). */
export function squareToQuad([a, b, c, d]: [Vec2, Vec2, Vec2, Vec2]): number[] | null {
  const [sx, sy] = [a[0] - b[0] + c[0] - d[0], a[1] - b[1] + c[1] - d[1]];
  const [dx1, dy1] = [b[0] - c[0], b[1] - c[1]];
  const [dx2, dy2] = [d[0] - c[0], d[1] - c[1]];
  const det = dx1 * dy2 - dx2 * dy1;
  if (Math.abs(det) < 1e-9) return null;
  const g = (sx * dy2 - dx2 * sy) / det;
  const h = (dx1 * sy - sx * dy1) / det;
  return [
    b[0] - a[0] + g * b[0],
    d[0] - a[0] + h * d[0],
    a[0],
    b[1] - a[1] + g * b[1],
    d[1] - a[1] + h * d[1],
    a[1],
    g,
    h,
    1,
  ];
}

const through = (m: number[], u: number, v: number): Vec2 => {
  const w = m[6] * u + m[7] * v + m[8];
  return [(m[0] * u + m[1] * v + m[2]) / w, (m[3] * u + m[4] * v + m[5]) / w];
};

/**
 * Lines that divide a quadrilateral into `across` by `down` equal parts as seen in perspective; the corners go round.
 * Needs no camera: the four corners of a rectangle are enough. Null where the corners do not make a quadrilateral.
 */
export function divideQuad(corners: [Vec2, Vec2, Vec2, Vec2], across: number, down: number): [Vec2, Vec2][] | null {
  const m = squareToQuad(corners);
  if (!m) return null;
  const lines: [Vec2, Vec2][] = [];
  for (let i = 1; i < across; i++) lines.push([through(m, i / across, 0), through(m, i / across, 1)]);
  for (let j = 1; j < down; j++) lines.push([through(m, 0, j / down), through(m, 1, j / down)]);
  return lines;
}

/** A flat piece of the set with its outline. */
export interface Facet {
  plane: Plane;
  ring: Vec3[];
}

/** True if a point of the facet's plane lies inside its outline. */
export function insideFacet({ plane, ring }: Facet, p: Vec3): boolean {
  let turns = 0;
  const n = ring.length;
  // Crossings of a ray in the plane's own coordinates.
  const u = normalize(sub(ring[1], ring[0]));
  const v = cross(plane.normal, u);
  const at = (q: Vec3): Vec2 => [dot(sub(q, p), u), dot(sub(q, p), v)];
  for (let i = 0; i < n; i++) {
    const [a, b] = [at(ring[i]), at(ring[(i + 1) % n])];
    if (a[1] > 0 === b[1] > 0) continue;
    if (a[0] + ((b[0] - a[0]) * -a[1]) / (b[1] - a[1]) > 0) turns++;
  }
  return turns % 2 === 1;
}

/** The world point that a pixel shows: on the nearest facet under it, else on the ground; null above the horizon. */
export function pickWorld(camera: Camera, pixel: Vec2, facets: Facet[]): Vec3 | null {
  let best: Vec3 | null = null;
  let nearest = Infinity;
  for (const facet of facets) {
    const p = pixelOnPlane(camera, pixel, facet.plane);
    if (!p || !insideFacet(facet, p)) continue;
    const d = sub(p, camera.position);
    const along = dot(d, d);
    if (along < nearest) {
      nearest = along;
      best = p;
    }
  }
  return best ?? pixelOnPlane(camera, pixel, { normal: [0, 0, 1], offset: 0 });
}

/**
 * A line on the ground from one point towards another that goes on, and up the first wall that it meets: straight up
 * from there, to the wall's top. `reach` is how far it goes on where there is no wall, metres.
 */
export function continuedLine(from: Vec3, to: Vec3, walls: Facet[], reach: number): Vec3[] {
  const d = normalize(sub(to, from));
  if (Math.hypot(...d) < 0.5) return [from];
  let nearest = Infinity;
  let top = 0;
  for (const wall of walls) {
    const along = dot(wall.plane.normal, d);
    if (Math.abs(along) < 1e-9) continue;
    const t = (wall.plane.offset - dot(wall.plane.normal, from)) / along;
    if (t < 1e-6 || t >= nearest) continue;
    const foot = add(from, scale(d, t));
    const high = Math.max(...wall.ring.map((p) => p[2]));
    if (!insideFacet(wall, [foot[0], foot[1], foot[2] + Math.min(1e-3, high / 2)])) continue;
    nearest = t;
    top = high;
  }
  if (nearest === Infinity) return [from, add(from, scale(d, reach))];
  const foot = add(from, scale(d, nearest));
  return [from, foot, [foot[0], foot[1], top]];
}

/** Pixels `factor` times as far from a mark as the model's place is: misfit made visible. */
export const enlarged = (mark: Vec2, model: Vec2, factor: number): Vec2 => [
  mark[0] + (model[0] - mark[0]) * factor,
  mark[1] + (model[1] - mark[1]) * factor,
];
