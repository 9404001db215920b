import type { Mat3, Vec3 } from "../math/vec3.ts";
import { cross, dot, length, multiply, normalize, rotationFromVector, scale, sub } from "../math/vec3.ts";
import type { Placement } from "../props/transform.ts";
import { invertMatrix, placementMatrix, placementRotation } from "../props/transform.ts";
import type { Pose, Touch } from "./drop.ts";
import { dropOnto, moved } from "./drop.ts";
import type { Solid } from "./solid.ts";

/** How a prop stands on what is below it. */
export interface Rested {
  placement: Placement;
  /** Metres that it had to go down; below 0 up. */
  gap: number;
  /** Where it touches, and which supports it touches there. */
  touches: Touch[];
  /** How far within its feet its weight is, metres, as seen from above; below 0 it tips. */
  margin: number;
  stable: boolean;
  /** Angle by which it was tipped, radians. */
  tipped: number;
}

/** Touches within so far of the nearest count, as a share of the solid's size. */
const TOUCH = 2e-4;
/** What is pushed up out of supports: as a share of its height, and at least so many metres. */
const LIFT = { share: 0.3, least: 0.02 };
/** A margin above this is a stand: an edge is one where it is exactly under the weight. */
const BALANCE = 1e-4;

const poseOf = (placement: Placement): Pose => {
  const rows = placementMatrix(placement);
  return { rows, back: invertMatrix(rows) };
};

function extent(solid: Solid, rows: readonly number[]): { low: Vec3; high: Vec3; tall: number; size: number } {
  const low: Vec3 = [Infinity, Infinity, Infinity];
  const high: Vec3 = [-Infinity, -Infinity, -Infinity];
  for (const x of [solid.low[0], solid.high[0]])
    for (const y of [solid.low[1], solid.high[1]])
      for (const z of [solid.low[2], solid.high[2]])
        moved(rows, x, y, z).forEach((v, k) => {
          low[k] = Math.min(low[k], v);
          high[k] = Math.max(high[k], v);
        });
  const corner = (p: Vec3) => moved(rows, ...p);
  return { low, high, tall: high[2] - low[2], size: length(sub(corner(solid.high), corner(solid.low))) };
}

/** Straight down (or up out of what it sinks into) until it touches. Null where nothing is below it. */
export function dropped(solid: Solid, placement: Placement, supports: readonly Solid[]): Rested | null {
  const pose = poseOf(placement);
  const { tall, size } = extent(solid, pose.rows);
  const lift = Math.max(LIFT.least, LIFT.share * tall);
  const { gap, touches } = dropOnto(solid, pose, supports, { lift, within: TOUCH * size });
  if (!Number.isFinite(gap)) return null;
  const [x, y, z] = placement.position;
  const down: Placement = { ...placement, position: [x, y, z - gap] };
  const middle = moved(placementMatrix(down), ...solid.middle);
  const margin = marginOf(
    touches.map(({ at }) => at),
    middle,
  );
  return { placement: down, gap, touches, margin, stable: margin > -BALANCE * size, tipped: 0 };
}

/** Border of points as seen from above, anticlockwise (Andrew's monotone chain). */
export function hullOf(points: readonly Vec3[]): Vec3[] {
  const sorted = [...points].sort((a, b) => a[0] - b[0] || a[1] - b[1]);
  const turn = (a: Vec3, b: Vec3, c: Vec3) => (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]);
  const half = (list: readonly Vec3[]): Vec3[] => {
    const chain: Vec3[] = [];
    for (const p of list) {
      while (chain.length >= 2 && turn(chain[chain.length - 2], chain[chain.length - 1], p) <= 1e-15) chain.pop();
      chain.push(p);
    }
    return chain.slice(0, -1);
  };
  if (sorted.length < 3) return sorted;
  const hull = [...half(sorted), ...half(sorted.reverse())];
  return hull.length > 0 ? hull : [sorted[0]];
}

/** How far a point lies within the border of others, as seen from above; below 0 outside. */
export function marginOf(points: readonly Vec3[], [x, y]: Vec3): number {
  const hull = hullOf(points);
  if (hull.length === 0) return -Infinity;
  if (hull.length === 1) return -Math.hypot(x - hull[0][0], y - hull[0][1]);
  let outside = -Infinity;
  let nearest = Infinity;
  hull.forEach((a, i) => {
    const b = hull[(i + 1) % hull.length];
    const [ux, uy] = [b[0] - a[0], b[1] - a[1]];
    const l = Math.hypot(ux, uy) || 1;
    outside = Math.max(outside, (uy * (x - a[0]) - ux * (y - a[1])) / l);
    const t = Math.min(1, Math.max(0, ((x - a[0]) * ux + (y - a[1]) * uy) / (l * l)));
    nearest = Math.min(nearest, Math.hypot(x - a[0] - t * ux, y - a[1] - t * uy));
  });
  return outside > 0 || hull.length < 3 ? -nearest : nearest;
}

/** Turn and leans of a rotation, in the order in which placements have them: about Y, then X, then Z. */
export function anglesOf(m: Mat3): { turn: number; lean: [number, number] } {
  const about = Math.asin(Math.min(1, Math.max(-1, m[2][1])));
  return { turn: Math.atan2(-m[0][1], m[1][1]), lean: [about, Math.atan2(-m[2][0], m[2][2])] };
}

/** Rotation about a unit axis, radians. */
export const rotationAbout = (axis: Vec3, angle: number): Mat3 => rotationFromVector(scale(axis, angle));

function turnedAbout(placement: Placement, pivot: Vec3, axis: Vec3, angle: number): Placement {
  const turn = rotationAbout(axis, angle);
  const from = sub(placement.position, pivot);
  const to = turn.map((row, k) => dot(row as Vec3, from) + pivot[k]) as Vec3;
  return { ...placement, position: to, ...anglesOf(multiply(turn, placementRotation(placement))) };
}

/** Corners that can come to lie lowest while a solid tips: the farthest ones along directions all around. */
function outermost(solid: Solid): Uint32Array {
  const DIRECTIONS = 900;
  if (solid.corners.length <= DIRECTIONS) return solid.corners;
  const found = new Set<number>();
  const p = solid.positions;
  for (let i = 0; i < DIRECTIONS; i++) {
    // Points of a sphere at even distances (Fibonacci lattice).
    const z = 1 - (2 * i + 1) / DIRECTIONS;
    const r = Math.sqrt(1 - z * z);
    const angle = i * Math.PI * (3 - Math.sqrt(5));
    const [dx, dy] = [r * Math.cos(angle), r * Math.sin(angle)];
    let [best, most] = [0, -Infinity];
    for (const c of solid.corners) {
      const along = dx * p[c * 3] + dy * p[c * 3 + 1] + z * p[c * 3 + 2];
      if (along > most) [best, most] = [c, along];
    }
    found.add(best);
  }
  return Uint32Array.from(found);
}

/** The axis about which a solid tips from its touches: level through one point, or along the edge that its weight is beyond. */
function tippingAxis(touches: readonly Vec3[], middle: Vec3): { pivot: Vec3; axis: Vec3 } | null {
  const hull = hullOf(touches);
  if (hull.length === 0) return null;
  let best: { pivot: Vec3; axis: Vec3; distance: number } | null = null;
  const [x, y] = middle;
  const consider = (a: Vec3, b: Vec3) => {
    const [ux, uy] = [b[0] - a[0], b[1] - a[1]];
    const l2 = ux * ux + uy * uy;
    const t = l2 > 0 ? Math.min(1, Math.max(0, ((x - a[0]) * ux + (y - a[1]) * uy) / l2)) : 0;
    const at: Vec3 = [a[0] + t * ux, a[1] + t * uy, a[2] + t * (b[2] - a[2])];
    const distance = Math.hypot(x - at[0], y - at[1]);
    if (best && distance >= best.distance) return;
    const edge = t > 0 && t < 1;
    const out = sub(middle, at);
    const level: Vec3 = [-out[1], out[0], 0];
    if (length(level) < 1e-12 && !edge) return;
    let axis = edge ? normalize(sub(b, a)) : normalize(level);
    if (cross(axis, out)[2] > 0) axis = scale(axis, -1);
    best = { pivot: at, axis, distance };
  };
  if (hull.length === 1) consider(hull[0], hull[0]);
  else hull.forEach((a, i) => consider(a, hull[(i + 1) % hull.length]));
  return best;
}

/** What sinks by more than this share of what counts as a touch has met something new. */
const SINKS = 0.25;
const STEP = (2 * Math.PI) / 180;
const ROUNDS = 200;
/** Beyond this it rolls and does not come to rest by itself. */
const MOST_TIP = (120 * Math.PI) / 180;

/**
 * Drops a solid and lets it tip, without sliding, until its weight lies within its feet; `tipped` tells by how much. Where
 * it would roll on, or nothing is below it, it stays as it was dropped and is told as not stable.
 */
export function rested(solid: Solid, placement: Placement, supports: readonly Solid[]): Rested | null {
  const first = dropped(solid, placement, supports);
  if (!first || first.stable) return first;
  const corners = outermost(solid);
  const own = solid.middle;
  const { tall, size } = extent(solid, placementMatrix(placement));
  const lift = Math.max(LIFT.least, LIFT.share * Math.max(tall, size / 3));
  const sinks = (p: Placement): boolean =>
    dropOnto(solid, poseOf(p), supports, { lift, within: 0, corners, quick: true }).gap < -SINKS * TOUCH * size;
  let now: Rested = first;
  let tipped = 0;
  for (let round = 0; round < ROUNDS && !now.stable; round++) {
    const middle = moved(placementMatrix(now.placement), ...own);
    const axis = tippingAxis(
      now.touches.map(({ at }) => at),
      middle,
    );
    if (!axis) return first;
    const at = (angle: number) => turnedAbout(now.placement, axis.pivot, axis.axis, angle);
    let [free, held] = [0, STEP];
    while (!sinks(at(held))) {
      free = held;
      held += STEP;
      if (tipped + held > MOST_TIP) return first;
    }
    for (let i = 0; i < 18; i++) {
      const middleAngle = (free + held) / 2;
      if (sinks(at(middleAngle))) held = middleAngle;
      else free = middleAngle;
    }
    tipped += held;
    const next = dropped(solid, at(held), supports);
    if (!next) return first;
    const stuck = held < 1e-5 && next.touches.length <= now.touches.length;
    now = next;
    if (stuck) break;
  }
  return now.stable ? { ...now, gap: first.gap, tipped } : first;
}

/** A turn that brings a direction straight down. */
function downwards(direction: Vec3): Mat3 {
  const d = normalize(direction);
  const axis = cross(d, [0, 0, -1]);
  const s = length(axis);
  if (s < 1e-12) return rotationAbout([1, 0, 0], d[2] < 0 ? 0 : Math.PI);
  return rotationAbout(scale(axis, 1 / s), Math.atan2(s, -d[2]));
}

/** Metres by which what is pushed is smaller beside and behind: what it slides along, or leaves, does not stop it. */
const SLIDE = 3e-4;

/**
 * How far a solid can be pushed along a direction until it touches, sliding along what it stands on and away from what it
 * leans against; null where nothing is in its way.
 */
export function pushDistance(
  solid: Solid,
  placement: Placement,
  supports: readonly { positions: Float32Array; indices: Uint32Array }[],
  direction: Vec3,
  solidFrom: (positions: Float32Array, indices: Uint32Array) => Solid,
): number | null {
  const turn = downwards(direction);
  const turned = supports.map(({ positions, indices }) => {
    const list = new Float32Array(positions.length);
    for (let i = 0; i < list.length; i += 3)
      for (let k = 0; k < 3; k++)
        list[i + k] = turn[k][0] * positions[i] + turn[k][1] * positions[i + 1] + turn[k][2] * positions[i + 2];
    return solidFrom(list, indices);
  });
  const rows = placementMatrix(placement);
  const all = [0, 1, 2].flatMap((r) =>
    [0, 1, 2, 3].map((c) => turn[r][0] * rows[c] + turn[r][1] * rows[4 + c] + turn[r][2] * rows[8 + c]),
  );
  const { size, tall, low, high } = extent(solid, all);
  // About its middle across, and its foremost end along.
  [(low[0] + high[0]) / 2, (low[1] + high[1]) / 2, low[2]].forEach((stays, k) => {
    const by = Math.max(0.5, 1 - ((k < 2 ? 2 : 1) * SLIDE) / (high[k] - low[k]));
    for (let c = 0; c < 4; c++) all[k * 4 + c] *= by;
    all[k * 4 + 3] += stays * (1 - by);
  });
  const { gap } = dropOnto(solid, { rows: all, back: invertMatrix(all) }, turned, {
    lift: Math.max(LIFT.least, LIFT.share * tall),
    behind: (low[2] + high[2]) / 2,
    within: TOUCH * size,
  });
  return Number.isFinite(gap) ? gap : null;
}
