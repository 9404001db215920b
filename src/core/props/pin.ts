import type { Vec2, Vec3 } from "../math/vec3.ts";
import { add, dot, scale } from "../math/vec3.ts";
import type { Camera } from "../optics/camera.ts";
import { projectPoint } from "../optics/camera.ts";
import type { Model } from "./model.ts";
import { copyCount, leastAlong, placedCopy } from "./model.ts";
import type { Placement } from "./transform.ts";
import { invertMatrix, placePoint, placementMatrix, placementRotation } from "./transform.ts";

/** A point of a prop, in its model's own coordinates, and the plate pixel where it belongs. */
export interface Pin {
  local: Vec3;
  pixel: Vec2;
}

/** The nearest point at which a ray meets a placed model, in the model's own coordinates; null beside it (Möller and Trumbore 1997). */
export function modelPointAt(model: Model, placement: Placement, from: Vec3, direction: Vec3): Vec3 | null {
  const m = invertMatrix(placementMatrix(placement));
  const row = (k: number, p: Vec3, w: number) =>
    m[k * 4] * p[0] + m[k * 4 + 1] * p[1] + m[k * 4 + 2] * p[2] + w * m[k * 4 + 3];
  const o: Vec3 = [row(0, from, 1), row(1, from, 1), row(2, from, 1)];
  const d: Vec3 = [row(0, direction, 0), row(1, direction, 0), row(2, direction, 0)];
  let best = Infinity;
  for (const mesh of model.meshes)
    for (let copy = 0; copy < copyCount(mesh); copy++) {
      const p = placedCopy(mesh, copy);
      const { indices } = mesh;
      for (let t = 0; t < indices.length; t += 3) {
        const [a, b, c] = [indices[t] * 3, indices[t + 1] * 3, indices[t + 2] * 3];
        const [ux, uy, uz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
        const [vx, vy, vz] = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
        const [hx, hy, hz] = [d[1] * vz - d[2] * vy, d[2] * vx - d[0] * vz, d[0] * vy - d[1] * vx];
        const det = ux * hx + uy * hy + uz * hz;
        if (Math.abs(det) < 1e-14) continue;
        const [sx, sy, sz] = [o[0] - p[a], o[1] - p[a + 1], o[2] - p[a + 2]];
        const u = (sx * hx + sy * hy + sz * hz) / det;
        if (u < 0 || u > 1) continue;
        const [qx, qy, qz] = [sy * uz - sz * uy, sz * ux - sx * uz, sx * uy - sy * ux];
        const v = (d[0] * qx + d[1] * qy + d[2] * qz) / det;
        if (v < 0 || u + v > 1) continue;
        const along = (vx * qx + vy * qy + vz * qz) / det;
        if (along > 1e-9 && along < best) best = along;
      }
    }
  return best < Infinity ? add(o, scale(d, best)) : null;
}

const ROUNDS = 60;
/** Pixels within which pins are met. */
const MET = 0.01;
/** At most so much larger or smaller than it was. */
const MOST_SCALE = 50;

/**
 * The placement at which one or two pins are seen at their pixels while the prop's lowest point keeps its height: moved
 * over the ground, with two also turned about the vertical and scaled. Newton's method with backtracking; null where the
 * pins cannot be met so.
 */
export function pinned(model: Model, start: Placement, pins: readonly Pin[], camera: Camera): Placement | null {
  const lowest = (p: Placement) =>
    leastAlong(
      model,
      placementRotation(p)[2].map((r, k) => r * p.scale[k]),
    );
  const base = start.position[2] + lowest(start);
  const at = (x: readonly number[]): Placement => {
    const grown = Math.exp(x[3] ?? 0);
    const placed: Placement = {
      ...start,
      turn: start.turn + (x[2] ?? 0),
      scale: start.scale.map((s) => s * grown) as Vec3,
    };
    return { ...placed, position: [start.position[0] + x[0], start.position[1] + x[1], base - lowest(placed)] };
  };
  const off = (x: readonly number[]): number[] | null => {
    const placed = at(x);
    const list: number[] = [];
    for (const { local, pixel } of pins) {
      const seen = projectPoint(camera, placePoint(placed, local));
      if (!seen) return null;
      list.push(seen[0] - pixel[0], seen[1] - pixel[1]);
    }
    return list;
  };
  const n = pins.length * 2;
  let x: number[] = new Array<number>(n).fill(0);
  let now = off(x);
  if (!now) return null;
  for (let round = 0; round < ROUNDS && Math.hypot(...now) > MET / 10; round++) {
    const columns: number[][] = [];
    for (let k = 0; k < n; k++) {
      const h = 1e-5;
      const [more, less] = [h, -h].map((d) => off(x.map((v, i) => (i === k ? v + d : v))));
      if (!more || !less) return null;
      columns.push(more.map((v, i) => (v - less[i]) / (2 * h)));
    }
    const step = solved(columns, now);
    if (!step) return null;
    let share = 1;
    let next: number[] | null = null;
    let found: number[] = x;
    while (share > 1e-4) {
      found = x.map((v, i) => v - share * step[i]);
      next = off(found);
      if (next && Math.hypot(...next) < Math.hypot(...now)) break;
      share /= 2;
      next = null;
    }
    if (!next) break;
    x = found;
    now = next;
  }
  if (Math.hypot(...now) > MET || Math.abs(x[3] ?? 0) > Math.log(MOST_SCALE)) return null;
  return at(x);
}

/** Solves a small square system given by its columns (Gauss's elimination with pivots); null where it has no answer. */
function solved(columns: readonly number[][], right: readonly number[]): number[] | null {
  const n = right.length;
  const rows = right.map((r, i) => [...columns.map((c) => c[i]), r]);
  for (let k = 0; k < n; k++) {
    const pivot = rows.reduce((most, row, i) => (i >= k && Math.abs(row[k]) > Math.abs(rows[most][k]) ? i : most), k);
    if (Math.abs(rows[pivot][k]) < 1e-9) return null;
    [rows[k], rows[pivot]] = [rows[pivot], rows[k]];
    for (let i = 0; i < n; i++) {
      if (i === k) continue;
      const f = rows[i][k] / rows[k][k];
      for (let j = k; j <= n; j++) rows[i][j] -= f * rows[k][j];
    }
  }
  return rows.map((row, i) => row[n] / row[i]);
}

/** Distance of two points of a model as it is placed, metres. */
export const placedDistance = (placement: Placement, a: Vec3, b: Vec3): number => {
  const d = placePoint(placement, a).map((x, k) => x - placePoint(placement, b)[k]) as Vec3;
  return Math.sqrt(dot(d, d));
};
