import type { Mesh, Model } from "../props/model.ts";
import { modelBounds } from "../props/model.ts";
import { buildQuick } from "./quickBvh.ts";
import { referenceClosest } from "./referenceBvh.ts";

/**
 * How open a model's corners are, for dirt in its hollows: the share of directions over the surface, weighed by their
 * cosine, in which nothing of the same mesh is near.
 */

/** Rays for all corners of a mesh together, and for each. */
const RAYS = { all: 1_500_000, least: 6, most: 32 };
/** How far they look, as a share of the model's size. */
const REACH = 0.2;

const known = new WeakMap<Float32Array, Uint8Array>();

/** Shares as bytes, 255 for all open, one for each corner of a mesh. */
export function opennessOf(model: Model, mesh: Mesh): Uint8Array {
  const had = known.get(mesh.positions);
  if (had) return had;
  const { low, high } = modelBounds(model);
  const reach = REACH * Math.max(1e-6, ...low.map((x, k) => high[k] - x));
  const { positions: p, normals: n, indices } = mesh;
  const count = p.length / 3;
  const tree = buildQuick(p, indices);
  const rays = Math.max(RAYS.least, Math.min(RAYS.most, Math.floor(RAYS.all / Math.max(1, count))));
  const open = new Uint8Array(count);
  for (let i = 0; i < count; i++) {
    const [nx, ny, nz] = n.subarray(i * 3, i * 3 + 3);
    // Any two directions across the normal.
    const [ux, uy, uz] = Math.abs(nz) < 0.9 ? [-ny, nx, 0] : [0, -nz, ny];
    const l = Math.hypot(ux, uy, uz) || 1;
    const [ax, ay, az] = [ux / l, uy / l, uz / l];
    const [bx, by, bz] = [ny * az - nz * ay, nz * ax - nx * az, nx * ay - ny * ax];
    let free = 0;
    for (let r = 0; r < rays; r++) {
      // Evenly over the disc under the hemisphere (Malley's method), turned from corner to corner.
      const radius = Math.sqrt((r + 0.5) / rays);
      const angle = r * Math.PI * (3 - Math.sqrt(5)) + i * 2.399963;
      const [x, y] = [radius * Math.cos(angle), radius * Math.sin(angle)];
      const z = Math.sqrt(Math.max(0, 1 - radius * radius));
      const off = 1e-3 * reach;
      const hit = referenceClosest(
        tree,
        p[i * 3] + off * nx,
        p[i * 3 + 1] + off * ny,
        p[i * 3 + 2] + off * nz,
        x * ax + y * bx + z * nx,
        x * ay + y * by + z * ny,
        x * az + y * bz + z * nz,
      );
      if (!hit || hit.distance > reach) free++;
    }
    open[i] = Math.round((255 * free) / rays);
  }
  known.set(mesh.positions, open);
  return open;
}
