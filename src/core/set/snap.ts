import type { Vec2, Vec3 } from "../math/vec3.ts";
import { add, distance, dot, normalize, scale, sub } from "../math/vec3.ts";
import type { Plane } from "../optics/camera.ts";
import { planeAxes } from "./face.ts";
import { allFaces } from "./faces.ts";
import type { SetRecord } from "./parts/index.ts";

/** What a point that is being drawn is drawn to, each with a name for the pointer. */

export interface Snapped {
  world: Vec3;
  name: string;
}

/** How the pointer looks at the world; pixels are those of the window. */
export interface SnapView {
  project: (world: Vec3) => Vec2 | null;
  pointer: Vec2;
  /** Pixels within which a thing draws the point. */
  reach: number;
}

/** Where the point may lie. */
export type SnapRange = { plane: Plane } | { line: { from: Vec3; direction: Vec3 } } | null;

interface Candidates {
  corners: Vec3[];
  sides: [Vec3, Vec3][];
}

const known = new WeakMap<SetRecord, Candidates>();

/** Corners and sides of the set's faces, each once. */
function candidatesOf(set: SetRecord): Candidates {
  let found = known.get(set);
  if (found) return found;
  const corners = new Map<string, Vec3>();
  const sides = new Map<string, [Vec3, Vec3]>();
  const key = (p: Vec3) => p.map((x) => Math.round(x * 1e5)).join();
  for (const { face } of allFaces(set)) {
    for (const ring of face.rings) {
      ring.forEach((a, i) => {
        const b = ring[(i + 1) % ring.length];
        const [p, q] = [key(a), key(b)];
        corners.set(p, a);
        sides.set(p < q ? `${p} ${q}` : `${q} ${p}`, [a, b]);
      });
    }
  }
  found = { corners: [...corners.values()], sides: [...sides.values()] };
  known.set(set, found);
  return found;
}

/** Straight edges of the set's faces, each once. */
export const sidesOf = (set: SetRecord): readonly [Vec3, Vec3][] => candidatesOf(set).sides;

const apart = (a: Vec2, b: Vec2) => Math.hypot(a[0] - b[0], a[1] - b[1]);

/** The point of a segment of the window nearest to the pointer, as a share of the way. */
function shareAlong(a: Vec2, b: Vec2, p: Vec2): number {
  const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
  return Math.min(1, Math.max(0, ((p[0] - a[0]) * dx + (p[1] - a[1]) * dy) / (dx * dx + dy * dy || 1)));
}

const ON_PLANE = 2e-3;

/** Share of a straight segment at which it is seen at a share of its picture: perspective squeezes the far end. */
function worldShare(view: SnapView, a: Vec3, b: Vec3, share: number): number {
  let [low, high] = [0, 1];
  const [p, q] = [view.project(a)!, view.project(b)!];
  const whole = apart(p, q) || 1;
  for (let i = 0; i < 30; i++) {
    const t = (low + high) / 2;
    const at = view.project(add(a, scale(sub(b, a), t)));
    if (at && apart(p, at) / whole < share) low = t;
    else high = t;
  }
  return (low + high) / 2;
}

/**
 * What draws a point: corners first, then sides, then axes through the last point, then round lengths from it. Null
 * where nothing is near.
 */
export function snapPoint(
  set: SetRecord,
  free: Vec3,
  range: SnapRange,
  last: Vec3 | null,
  view: SnapView,
): Snapped | null {
  const { corners, sides } = candidatesOf(set);
  const onRange = (p: Vec3) =>
    range === null || ("plane" in range && Math.abs(dot(range.plane.normal, p) - range.plane.offset) < ON_PLANE);
  if (range && "line" in range)
    return snapAlong(corners, range.line, free, view) ?? roundLength(range.line.from, free, view);
  let best: Snapped | null = null;
  let nearest = view.reach;
  for (const corner of corners) {
    const at = onRange(corner) ? view.project(corner) : null;
    const d = at ? apart(at, view.pointer) : Infinity;
    if (d < nearest) [nearest, best] = [d, { world: corner, name: "corner" }];
  }
  if (best) return best;
  nearest = 0.8 * view.reach;
  for (const [a, b] of sides) {
    if (!onRange(a) || !onRange(b)) continue;
    const [p, q] = [view.project(a), view.project(b)];
    if (!p || !q) continue;
    const share = shareAlong(p, q, view.pointer);
    const d = apart([p[0] + (q[0] - p[0]) * share, p[1] + (q[1] - p[1]) * share], view.pointer);
    if (d >= nearest) continue;
    nearest = d;
    const t = worldShare(view, a, b, share);
    const middle = Math.abs(t - 0.5) * apart(p, q) < view.reach;
    best = { world: add(a, scale(sub(b, a), middle ? 0.5 : t)), name: middle ? "middle of a side" : "side" };
  }
  if (best || !last || !range) return best;
  return snapAxis(free, range.plane, last, view) ?? roundLength(last, free, view);
}

/** Axes of the plane and of the world through the last point. */
function snapAxis(free: Vec3, plane: Plane, last: Vec3, view: SnapView): Snapped | null {
  const [u, w] = planeAxes(plane.normal);
  const names: [Vec3, string][] = [
    [[1, 0, 0], "along X"],
    [[0, 1, 0], "along Y"],
    [[0, 0, 1], "upright"],
    [u, "level"],
    [w, "up the face"],
  ];
  let best: Snapped | null = null;
  let nearest = 0.8 * view.reach;
  for (const [axis, name] of names) {
    if (Math.abs(dot(axis, plane.normal)) > 1e-3) continue;
    const world = add(last, scale(axis, dot(sub(free, last), axis)));
    const at = view.project(world);
    const d = at ? apart(at, view.pointer) : Infinity;
    if (d >= nearest || distance(world, last) < 1e-6) continue;
    nearest = d;
    const round = roundLength(last, world, view);
    best = { world: round?.world ?? world, name: round ? `${name}, ${round.name}` : name };
  }
  return best;
}

/** On a line: the height of a corner under the pointer. */
function snapAlong(
  corners: readonly Vec3[],
  line: { from: Vec3; direction: Vec3 },
  free: Vec3,
  view: SnapView,
): Snapped | null {
  const direction = normalize(line.direction);
  const along = (p: Vec3) => dot(sub(p, line.from), direction);
  const here = view.project(free);
  if (!here) return null;
  let best: Snapped | null = null;
  let nearest = 0.7 * view.reach;
  for (const corner of corners) {
    const world = add(line.from, scale(direction, along(corner)));
    if (Math.abs(along(corner)) < 1e-6) continue;
    const at = view.project(world);
    const d = at ? apart(at, here) : Infinity;
    if (d < nearest) [nearest, best] = [d, { world, name: "as high as a corner" }];
  }
  return best;
}

const STEPS = [1, 0.5, 0.25, 0.1, 0.05];

/** The coarsest round length from a point that is within a third of the reach of where the point is. */
function roundLength(last: Vec3, free: Vec3, view: SnapView): Snapped | null {
  const metres = distance(last, free);
  const here = view.project(free);
  if (metres < 1e-6 || !here) return null;
  for (const step of STEPS) {
    const round = Math.round(metres / step) * step;
    if (round < step / 2) continue;
    const world = add(last, scale(sub(free, last), round / metres));
    const at = view.project(world);
    if (at && apart(at, here) < view.reach / 3) return { world, name: `${Number(round.toFixed(2))} m` };
  }
  return null;
}
