import type { Vec3 } from "../math/vec3.ts";
import { referenceClosest } from "../trace/referenceBvh.ts";
import type { Solid } from "./solid.ts";

/**
 * How far a solid can go straight down until it touches others. Between flat triangles the first touch is a corner on a
 * face, a face on a corner, or an edge across an edge; all three are looked for, so that the answer is exact.
 */

/** Where a solid is: rows of a 3 × 4 matrix from its own coordinates to the world, and the inverse. */
export interface Pose {
  rows: readonly number[];
  back: readonly number[];
}

export const moved = (m: readonly number[], x: number, y: number, z: number): Vec3 => [
  m[0] * x + m[1] * y + m[2] * z + m[3],
  m[4] * x + m[5] * y + m[6] * z + m[7],
  m[8] * x + m[9] * y + m[10] * z + m[11],
];

/** A touch: where on the support, how far below the solid, and which support it is. */
export interface Touch {
  at: Vec3;
  gap: number;
  support: number;
}

export interface DropChoice {
  /** Supports up to so far above the solid's underside push it up. */
  lift: number;
  /** Height above which supports push nothing up: they lie behind. */
  behind?: number;
  /** Touches within so far of the nearest are told. */
  within: number;
  /** Corners of the solid that are looked at; all where missing. */
  corners?: Uint32Array;
  /** Edges across edges are left out: quicker, and hardly ever missed while something tips. */
  quick?: boolean;
}

const nothing = (): { gap: number; touches: Touch[] } => ({ gap: Infinity, touches: [] });

/** Keeps touches near the least gap. */
class Nearest {
  gap = Infinity;
  private found: Touch[] = [];
  constructor(private readonly within: number) {}

  add(at: Vec3, gap: number, support: number): void {
    if (gap > this.gap + this.within) return;
    if (gap < this.gap) this.gap = gap;
    this.found.push({ at, gap, support });
    if (this.found.length > 4096) this.found = this.kept();
  }

  kept(): Touch[] {
    return this.found.filter(({ gap }) => gap <= this.gap + this.within);
  }
}

/** How far down a solid may go onto supports; infinite with nothing below it. Below 0 it sinks into them. */
export function dropOnto(
  solid: Solid,
  { rows, back }: Pose,
  supports: readonly Solid[],
  { lift, behind = Infinity, within, corners = solid.corners, quick = false }: DropChoice,
): { gap: number; touches: Touch[] } {
  if (supports.length === 0 || corners.length === 0) return nothing();
  const nearest = new Nearest(within);
  const p = solid.positions;
  const low: Vec3 = [Infinity, Infinity, Infinity];
  const high: Vec3 = [-Infinity, -Infinity, -Infinity];
  const world = new Float64Array(corners.length * 3);
  let lowest = 0;
  for (let i = 0; i < corners.length; i++) {
    const c = corners[i] * 3;
    for (let k = 0; k < 3; k++) {
      const r = k * 4;
      const w = rows[r] * p[c] + rows[r + 1] * p[c + 1] + rows[r + 2] * p[c + 2] + rows[r + 3];
      world[i * 3 + k] = w;
      if (w < low[k]) low[k] = w;
      if (w > high[k]) high[k] = w;
    }
    if (world[i * 3 + 2] < world[lowest * 3 + 2]) lowest = i;
  }
  const inPlan = (s: Solid) => s.low[0] <= high[0] && s.high[0] >= low[0] && s.low[1] <= high[1] && s.high[1] >= low[1];
  const below = supports.map((s, i) => ({ s, i })).filter(({ s }) => inPlan(s));
  // Corners of the solid onto faces. The lowest one goes first: what is higher than it may fall is not looked at.
  const fall = (i: number, s: Solid, support: number) => {
    const [x, y, z] = [world[i * 3], world[i * 3 + 1], world[i * 3 + 2]];
    const above = Math.min(lift, Math.max(0, behind - z));
    const hit = referenceClosest(s.tree, x, y, z + above, 0, 0, -1);
    if (hit) nearest.add([x, y, z + above - hit.distance], hit.distance - above, support);
  };
  for (const { s, i: support } of below) fall(lowest, s, support);
  for (const { s, i: support } of below) {
    const reach = nearest.gap + within + s.high[2];
    const order: number[] = [];
    for (let i = 0; i < corners.length; i++) if (world[i * 3 + 2] <= reach) order.push(i);
    order.sort((a, b) => world[a * 3 + 2] - world[b * 3 + 2]);
    for (const i of order) {
      if (world[i * 3 + 2] - s.high[2] > nearest.gap + within) break;
      fall(i, s, support);
    }
  }
  // Corners of the supports under faces of the solid, in its own coordinates: up from a lift below them.
  const up = [back[2], back[6], back[10]];
  for (const { s, i: support } of below)
    for (const c of s.corners) {
      const [x, y, z] = [s.positions[c * 3], s.positions[c * 3 + 1], s.positions[c * 3 + 2]];
      if (x < low[0] || x > high[0] || y < low[1] || y > high[1]) continue;
      if (low[2] - z > nearest.gap + within || z > high[2] + lift) continue;
      const under = z > behind ? 0 : lift;
      const start = moved(back, x, y, z - under);
      const hit = referenceClosest(solid.tree, start[0], start[1], start[2], up[0], up[1], up[2]);
      if (hit) nearest.add([x, y, z], hit.distance - under, support);
    }
  if (!quick) acrossEdges(solid, rows, below, { lift, behind, within }, nearest);
  return { gap: nearest.gap, touches: nearest.kept() };
}

/** Edges of the solid that cross edges of the supports, as seen from above. */
function acrossEdges(
  solid: Solid,
  rows: readonly number[],
  below: readonly { s: Solid; i: number }[],
  { lift, behind, within }: Required<Pick<DropChoice, "lift" | "behind" | "within">>,
  nearest: Nearest,
): void {
  const { positions: p, edges } = solid;
  const ends = new Float64Array(edges.length * 3);
  edges.forEach((c, i) => ends.set(moved(rows, p[c * 3], p[c * 3 + 1], p[c * 3 + 2]), i * 3));
  for (const { s, i: support } of below) {
    const candidates: number[] = [];
    for (let e = 0; e < ends.length; e += 6)
      if (Math.min(ends[e + 2], ends[e + 5]) - s.high[2] <= nearest.gap + within) candidates.push(e);
    candidates.sort((a, b) => Math.min(ends[a + 2], ends[a + 5]) - Math.min(ends[b + 2], ends[b + 5]));
    const q = s.positions;
    // Supports' edges by cells of a grid over the plan.
    const grid = new EdgeGrid(s);
    for (const e of candidates) {
      const [ax, ay, az, bx, by, bz] = ends.subarray(e, e + 6);
      if (Math.min(az, bz) - s.high[2] > nearest.gap + within) break;
      for (const f of grid.near(ax, ay, bx, by)) {
        const [c, d] = [s.edges[f] * 3, s.edges[f + 1] * 3];
        const [ux, uy] = [bx - ax, by - ay];
        const [wx, wy] = [q[d] - q[c], q[d + 1] - q[c + 1]];
        const cross = ux * wy - uy * wx;
        if (Math.abs(cross) < 1e-14) continue;
        const t = ((q[c] - ax) * wy - (q[c + 1] - ay) * wx) / cross;
        const r = ((q[c] - ax) * uy - (q[c + 1] - ay) * ux) / cross;
        if (t < 0 || t > 1 || r < 0 || r > 1) continue;
        const mine = az + t * (bz - az);
        const theirs = q[c + 2] + r * (q[d + 2] - q[c + 2]);
        if (theirs <= mine + (theirs > behind ? 0 : lift))
          nearest.add([ax + t * ux, ay + t * uy, theirs], mine - theirs, support);
      }
    }
  }
}

const CELLS = 48;

class EdgeGrid {
  private readonly cells = new Map<number, number[]>();
  private readonly step: [number, number];
  private stamp = 0;
  private readonly seen: Int32Array;

  constructor(private readonly solid: Solid) {
    const { low, high, edges, positions: q } = solid;
    this.step = [Math.max(1e-9, (high[0] - low[0]) / CELLS), Math.max(1e-9, (high[1] - low[1]) / CELLS)];
    this.seen = new Int32Array(edges.length);
    for (let f = 0; f < edges.length; f += 2) {
      const [c, d] = [edges[f] * 3, edges[f + 1] * 3];
      this.visit(q[c], q[c + 1], q[d], q[d + 1], (cell) => {
        const list = this.cells.get(cell);
        if (list) list.push(f);
        else this.cells.set(cell, [f]);
      });
    }
  }

  private visit(ax: number, ay: number, bx: number, by: number, use: (cell: number) => void): void {
    const { low } = this.solid;
    const cell = (v: number, k: 0 | 1) => Math.min(CELLS - 1, Math.max(0, Math.floor((v - low[k]) / this.step[k])));
    const [x0, x1] = [cell(Math.min(ax, bx), 0), cell(Math.max(ax, bx), 0)];
    const [y0, y1] = [cell(Math.min(ay, by), 1), cell(Math.max(ay, by), 1)];
    for (let y = y0; y <= y1; y++) for (let x = x0; x <= x1; x++) use(y * CELLS + x);
  }

  /** Numbers of edges whose cells a segment's box meets. */
  near(ax: number, ay: number, bx: number, by: number): number[] {
    const found: number[] = [];
    this.stamp++;
    this.visit(ax, ay, bx, by, (cell) => {
      for (const f of this.cells.get(cell) ?? []) {
        if (this.seen[f] === this.stamp) continue;
        this.seen[f] = this.stamp;
        found.push(f);
      }
    });
    return found;
  }
}
