import type { Vec3 } from "#core/math/vec3";
import { add, cross, normalize, scale, sub } from "#core/math/vec3";
import type { Mesh } from "#core/props/model";
import { fractal, hash2, smoothstep } from "./noise.ts";
import { Builder } from "./shapes.ts";
import { boards, paint } from "./textures.ts";
import { glbOf } from "./glb.ts";

/** A clinker-built rowing boat, 3.9 m long: grey paint outside, oiled wood inside. It lies along +Y, its keel on the floor. */

const LENGTH = 3.9;
const STRAKES = 6;
const STATIONS = 44;

/** Half breadth, height of the gunwale and of the keel's upper edge at a share of the length, from stern to stem. */
function station(t: number) {
  const full = Math.sin(Math.PI * Math.min(1, 0.28 + 0.5 * t)) ** 0.9;
  const breadth = 0.72 * full * (1 - Math.max(0, (t - 0.55) / 0.45) ** 2.6);
  const gunwale = 0.6 + 0.2 * (2 * t - 0.85) ** 2;
  const keel = 0.07 + 0.04 * Math.max(0, t - 0.72) ** 2 * 40 + 0.02 * Math.max(0, 0.2 - t) * 5;
  return { breadth: Math.max(0.012, breadth), gunwale, keel: Math.min(keel, gunwale - 0.1) };
}

/** A point of the hull: `v` from the keel (0) to the gunwale (1), on the side `s`. */
function hull(t: number, v: number, s: number): Vec3 {
  const { breadth, gunwale, keel } = station(t);
  const round = Math.sin((v * Math.PI) / 2) ** 0.72;
  const rise = 1 - Math.cos((v * Math.PI) / 2) ** 1.15;
  return [s * breadth * round, (t - 0.5) * LENGTH, keel + (gunwale - keel) * (0.25 * v + 0.75 * rise)];
}

function outward(t: number, v: number, s: number): Vec3 {
  const e = 0.004;
  const along = sub(hull(Math.min(1, t + e), v, s), hull(Math.max(0, t - e), v, s));
  const up = sub(hull(t, Math.min(1, v + e), s), hull(t, Math.max(0, v - e), s));
  const n = normalize(cross(along, up));
  return n[0] * s >= 0 ? n : scale(n, -1);
}

/** Normal of the first place of a sheet that has one. */
function properNormal(rows: Vec3[][]): Vec3 {
  const middle = rows[0].length >> 1;
  return normalize(cross(sub(rows[0][middle + 1], rows[0][middle - 1]), sub(rows[1][middle], rows[0][middle])));
}

/** A sheet between two curves of points, smooth along; faces a x b of (along, across), or the other way. */
function sheet(rows: Vec3[][], turned: boolean, uvScale: number, material: number): Mesh {
  const positions: number[] = [];
  const normals: number[] = [];
  const uvs: number[] = [];
  const indices: number[] = [];
  const n = rows[0].length;
  rows.forEach((row, r) => {
    row.forEach((p, i) => {
      const a = sub(row[Math.min(n - 1, i + 1)], row[Math.max(0, i - 1)]);
      const b = sub(rows[Math.min(rows.length - 1, r + 1)][i], rows[Math.max(0, r - 1)][i]);
      const raw = cross(a, b);
      // Where both rows meet in a point the sheet's first proper normal holds.
      let normal = Math.hypot(...raw) > 1e-12 ? normalize(raw) : properNormal(rows);
      if (turned) normal = scale(normal, -1);
      positions.push(...p);
      normals.push(...normal);
      uvs.push((i / (n - 1)) * 3 * uvScale, r / rows.length / 4 + hash2(r, rows.length, 7));
    });
  });
  for (let r = 0; r + 1 < rows.length; r++) {
    for (let i = 0; i + 1 < n; i++) {
      const [p, q] = [r * n + i, (r + 1) * n + i];
      if (turned) indices.push(p, q, p + 1, p + 1, q, q + 1);
      else indices.push(p, p + 1, q, p + 1, q + 1, q);
    }
  }
  return {
    positions: new Float32Array(positions),
    normals: new Float32Array(normals),
    uvs: new Float32Array(uvs),
    indices: new Uint32Array(indices),
    material,
  };
}

export function boatMeshes(): Mesh[] {
  const meshes: Mesh[] = [];
  const ts = Array.from({ length: STATIONS + 1 }, (_, i) => i / STATIONS);
  for (const s of [-1, 1]) {
    for (let k = 0; k < STRAKES; k++) {
      const [v0, v1] = [k / STRAKES, Math.min(1, (k + 1.16) / STRAKES)];
      // Every strake overlaps the one below: its lower edge stands off by a plank's thickness.
      const rows = [0, 0.35, 0.7, 1].map((f) =>
        ts.map((t) => {
          const v = v0 + (v1 - v0) * f;
          return add(hull(t, v, s), scale(outward(t, v, s), 0.013 * (1 - f) + 0.001));
        }),
      );
      meshes.push(sheet(rows, s > 0, 1, 0));
      const edge = [0, 1].map((f) => ts.map((t) => add(hull(t, v0, s), scale(outward(t, v0, s), 0.014 - 0.015 * f))));
      meshes.push(sheet(edge, s < 0, 1, 0));
      const inner = [0, 0.5, 1].map((f) =>
        ts.map((t) => {
          const v = v0 + ((k + 1) / STRAKES - v0) * f;
          return add(hull(t, v, s), scale(outward(t, v, s), -0.012 + 0.006 * (1 - f)));
        }),
      );
      meshes.push(sheet(inner, s < 0, 1, 1));
    }
    const rail = new Builder();
    for (let i = 0; i < STATIONS; i++) {
      rail.bar(add(hull(ts[i], 1, s), [0, 0, 0.005]), add(hull(ts[i + 1], 1, s), [0, 0, 0.005]), 0.02, 8);
    }
    // Ribs inside.
    for (let k = 2; k < 17; k++) {
      const t = 0.04 + k * 0.053;
      for (let j = 0; j < 10; j++) {
        const at = (v: number) => add(hull(t, v, s), scale(outward(t, v, s), -0.02));
        rail.bar(at(j / 10), at((j + 1) / 10), 0.009, 6);
      }
    }
    meshes.push(rail.build(1));
  }
  const wood = new Builder();
  const grey = new Builder();
  // Keel, stem and transom.
  grey.box([-0.022, -LENGTH / 2 + 0.02, 0], [0.022, LENGTH * 0.3, 0.1], 1);
  for (let i = 0; i < 12; i++) {
    const t = (n: number) => 0.8 + (n / 12) * 0.2;
    const at = (n: number): Vec3 => [0, (t(n) - 0.5) * LENGTH + 0.02, Math.max(0.03, station(t(n)).keel - 0.03)];
    grey.bar(at(i), at(i + 1), 0.026, 8);
  }
  grey.bar(
    [0, LENGTH / 2 + 0.01, station(1).keel - 0.02],
    [0, LENGTH / 2 + 0.05, station(1).gunwale + 0.05],
    0.028,
    10,
  );
  const transom = Array.from({ length: 13 }, (_, i) => i / 12);
  for (const [y, turned] of [
    [0, false],
    [0.022, true],
  ] as [number, boolean][]) {
    const rows = [-1, 1].map((s) => transom.map((v) => add(hull(0, v, s), [0, y, 0])));
    meshes.push(sheet(rows, turned, 0.4, turned ? 1 : 0));
  }
  // Thwarts, stern sheets and bottom boards.
  for (const [t, width] of [
    [0.3, 0.2],
    [0.52, 0.22],
    [0.74, 0.18],
  ]) {
    const y = (t - 0.5) * LENGTH;
    const half = station(t).breadth * 0.94;
    wood.box([-half, y - width / 2, 0.42], [half, y + width / 2, 0.445], 0.7);
  }
  wood.box([-0.42, -LENGTH / 2 + 0.03, 0.4], [0.42, -LENGTH / 2 + 0.42, 0.425], 0.7);
  for (let k = -2; k <= 2; k++)
    wood.box(
      [k * 0.11 - 0.045, -1.2, 0.135 + 0.02 * Math.abs(k)],
      [k * 0.11 + 0.045, 1.05, 0.15 + 0.02 * Math.abs(k)],
      0.7,
    );
  // A pair of oars on the thwarts, and rowlocks.
  for (const s of [-1, 1]) {
    wood.bar([s * 0.16, -1.5, 0.475], [s * 0.24, 1.1, 0.47], 0.019, 10);
    wood.box([s * 0.24 - 0.06, 1.1, 0.462], [s * 0.24 + 0.06, 1.62, 0.474], 0.7);
    const [x, y, z] = hull(0.56, 1, s);
    grey.box([x - 0.03, y - 0.05, z + 0.012], [x + 0.03, y + 0.05, z + 0.05]);
  }
  meshes.push(wood.build(1), grey.build(2));
  return meshes;
}

export function rowingBoatGlb(): Promise<Uint8Array> {
  const hullPaint = paint(1024, (u, v) => {
    const bare = smoothstep(0.66, 0.75, fractal(u, v, 11, 5, 501));
    const streak = smoothstep(0.5, 0.85, fractal(u * 3, v * 0.4, 40, 3, 502)) * 0.3;
    const tone = 0.9 + 0.2 * fractal(u, v, 30, 3, 503) - streak * 0.3;
    const c: Vec3 = [0.36 * tone, 0.42 * tone, 0.43 * tone];
    return [c[0] + (0.2 - c[0]) * bare * 0.8, c[1] + (0.15 - c[1]) * bare * 0.8, c[2] + (0.1 - c[2]) * bare * 0.8];
  });
  return glbOf("rowing boat", boatMeshes(), [
    { name: "hull paint", texture: hullPaint, roughness: 0.5 },
    { name: "oiled wood", texture: boards([0.3, 0.185, 0.09]), roughness: 0.55 },
    { name: "dark trim", color: [0.055, 0.06, 0.062], roughness: 0.6 },
  ]);
}
