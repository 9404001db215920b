import { insidePolygon } from "../../math/polygon.ts";
import type { Vec2 } from "../../math/vec3.ts";

/** Outlines of letters: paths made of lines and curves, brought to polygons that can be filled and bevelled. */

/** An outer ring anticlockwise, and its holes clockwise: what is solid lies on the left. */
export interface Blank {
  rings: Vec2[][];
}

/** Pieces that a curve is drawn in. */
const CURVE = 10;

const mixed = (a: Vec2, b: Vec2, t: number): Vec2 => [a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t];

/** Closed rings of a path as SVG writes it with M, L, Q, C and Z, absolute; anything else is passed over. */
export function ringsOfPath(path: string): Vec2[][] {
  const rings: Vec2[][] = [];
  let ring: Vec2[] = [];
  let at: Vec2 = [0, 0];
  const close = () => {
    const kept = ring.filter((p, i) => {
      const q = ring[(i + 1) % ring.length];
      return Math.hypot(p[0] - q[0], p[1] - q[1]) > 1e-6;
    });
    if (kept.length >= 3) rings.push(kept);
    ring = [];
  };
  for (const [, command, rest] of path.matchAll(/([MLQCZ])([^MLQCZ]*)/g)) {
    const n = (rest.match(/-?(?:\d+\.?\d*|\.\d+)(?:e-?\d+)?/g) ?? []).map(Number);
    if (command === "Z") {
      close();
      continue;
    }
    if (command === "M") close();
    const points: Vec2[] = [];
    for (let i = 0; i + 1 < n.length; i += 2) points.push([n[i], n[i + 1]]);
    if (points.length === 0) continue;
    const end = points[points.length - 1];
    const from = at;
    if (command === "Q" && points.length === 2)
      for (let i = 1; i < CURVE; i++) {
        const t = i / CURVE;
        ring.push(mixed(mixed(from, points[0], t), mixed(points[0], end, t), t));
      }
    if (command === "C" && points.length === 3)
      for (let i = 1; i < CURVE; i++) {
        const t = i / CURVE;
        const [a, b, c] = [mixed(from, points[0], t), mixed(points[0], points[1], t), mixed(points[1], end, t)];
        ring.push(mixed(mixed(a, b, t), mixed(b, c, t), t));
      }
    ring.push(end);
    at = end;
  }
  close();
  return rings;
}

/** Signed area of a ring: above 0 where it goes anticlockwise. */
export const areaOf = (ring: readonly Vec2[]): number =>
  ring.reduce((sum, [x, y], i) => {
    const [u, v] = ring[(i + 1) % ring.length];
    return sum + (x * v - u * y) / 2;
  }, 0);

/** Rings as solids with their holes: a ring within an odd number of others is a hole of the smallest around it. */
export function blanksOf(rings: readonly Vec2[][]): Blank[] {
  const around = rings.map((ring) => rings.filter((other) => other !== ring && insidePolygon(ring[0], other)));
  const turned = (ring: Vec2[], way: 1 | -1) => (areaOf(ring) * way < 0 ? [...ring].reverse() : ring);
  const blanks = new Map<Vec2[], Blank>();
  rings.forEach((ring, i) => {
    if (around[i].length % 2 === 0) blanks.set(ring, { rings: [turned(ring, 1)] });
  });
  rings.forEach((ring, i) => {
    if (around[i].length % 2 === 0) return;
    const outer = around[i].filter((o) => blanks.has(o)).sort((a, b) => Math.abs(areaOf(a)) - Math.abs(areaOf(b)))[0];
    blanks.get(outer)?.rings.push(turned(ring, -1));
  });
  return [...blanks.values()];
}

/** Farthest that a corner may stand out when it is moved in, in multiples of how far. */
const MITRE = 3;

/** A ring moved in by a distance along the middle of each corner; what is solid lies on its left. */
export function movedIn(ring: readonly Vec2[], by: number): Vec2[] {
  return ring.map((p, i) => {
    const before = ring[(i + ring.length - 1) % ring.length];
    const after = ring[(i + 1) % ring.length];
    const unit = (a: Vec2, b: Vec2): Vec2 => {
      const l = Math.hypot(b[0] - a[0], b[1] - a[1]) || 1;
      return [(b[0] - a[0]) / l, (b[1] - a[1]) / l];
    };
    const [u, w] = [unit(before, p), unit(p, after)];
    const middle: Vec2 = [-(u[1] + w[1]), u[0] + w[0]];
    const half = Math.hypot(...middle) / 2 || 1e-9;
    const far = Math.min(MITRE, 1 / half) * by;
    return [p[0] + (middle[0] / (2 * half)) * far, p[1] + (middle[1] / (2 * half)) * far];
  });
}

/** True if no side of a blank turns round, and none crosses another, when it is moved in. */
function holds(blank: Blank, by: number): boolean {
  const moved = blank.rings.map((ring) => movedIn(ring, by));
  if (moved.reduce((sum, ring) => sum + areaOf(ring), 0) <= 0) return false;
  const sides: [Vec2, Vec2][] = [];
  for (const [r, ring] of blank.rings.entries())
    for (let i = 0; i < ring.length; i++) {
      const j = (i + 1) % ring.length;
      const [a, b, c, d] = [ring[i], ring[j], moved[r][i], moved[r][j]];
      if ((b[0] - a[0]) * (d[0] - c[0]) + (b[1] - a[1]) * (d[1] - c[1]) < 0) return false;
      sides.push([c, d]);
    }
  const cross = (a: Vec2, b: Vec2, c: Vec2) => (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]);
  const sorted = sides
    .map(([p, q]) => ({ p, q, left: Math.min(p[0], q[0]), right: Math.max(p[0], q[0]) }))
    .sort((a, b) => a.left - b.left);
  for (let i = 0; i < sorted.length; i++)
    for (let j = i + 1; j < sorted.length && sorted[j].left <= sorted[i].right; j++) {
      const [{ p: a, q: b }, { p: c, q: d }] = [sorted[i], sorted[j]];
      if (cross(a, b, c) * cross(a, b, d) < 0 && cross(c, d, a) * cross(c, d, b) < 0) return false;
    }
  return true;
}

/** How far a blank can be moved in, at most `wanted`, before its thinnest place is gone. */
export function roomIn(blank: Blank, wanted: number): number {
  // In small steps: far beyond its room a ring may look whole again.
  const steps = 12;
  let i = 1;
  while (i <= steps && holds(blank, (wanted * i) / steps)) i++;
  if (wanted <= 0 || i > steps) return Math.max(0, wanted);
  let [low, high] = [(wanted * (i - 1)) / steps, (wanted * i) / steps];
  for (let k = 0; k < 12; k++) {
    const middle = (low + high) / 2;
    if (holds(blank, middle)) low = middle;
    else high = middle;
  }
  return low * 0.99;
}
