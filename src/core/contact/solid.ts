import type { Vec3 } from "../math/vec3.ts";
import type { Model } from "../props/model.ts";
import { copyCount, placedCopy } from "../props/model.ts";
import { placesOf } from "../props/soup.ts";
import type { ReferenceBvh } from "../trace/referenceBvh.ts";
import { buildQuick } from "../trace/quickBvh.ts";

/** Triangles that can touch others, with what contact asks of them. */
export interface Solid {
  positions: Float32Array;
  indices: Uint32Array;
  /** Made when it is first asked for: little of a heavy model is ever looked into. */
  readonly tree: ReferenceBvh;
  /** Middle of its mass, see `middleOf`; likewise. */
  readonly middle: Vec3;
  /** Corners that triangles use, each place once: numbers of vertices. */
  corners: Uint32Array;
  /** Edges where two faces meet at an angle, or that end a sheet: pairs of vertices. */
  edges: Uint32Array;
  low: Vec3;
  high: Vec3;
}

/** Cosine above which two faces are one: their edge cannot touch anything before its corners and faces do. */
const FLAT = 1 - 1e-6;

/** From so many triangles on edges are left out: corners lie so near to each other that they touch first. */
const FINE = 400_000;

export function solidOf(positions: Float32Array, indices: Uint32Array): Solid {
  const low: Vec3 = [Infinity, Infinity, Infinity];
  const high: Vec3 = [-Infinity, -Infinity, -Infinity];
  const { place, firsts } = placesOf({ positions });
  const used = new Uint8Array(firsts.length);
  for (const i of indices) used[place[i]] = 1;
  const corners = Uint32Array.from(firsts.filter((_, number) => used[number]));
  for (const i of corners)
    for (let k = 0; k < 3; k++) {
      low[k] = Math.min(low[k], positions[i * 3 + k]);
      high[k] = Math.max(high[k], positions[i * 3 + k]);
    }
  const same = Uint32Array.from(place, (number) => firsts[number]);
  let tree: ReferenceBvh | null = null;
  let middle: Vec3 | null = null;
  return {
    positions,
    indices,
    get tree() {
      return (tree ??= buildQuick(positions, indices));
    },
    get middle() {
      return (middle ??= middleOf({ positions, indices }));
    },
    corners,
    edges: indices.length / 3 > FINE ? new Uint32Array(0) : sharpEdges(positions, indices, same),
    low,
    high,
  };
}

function sharpEdges(p: Float32Array, indices: Uint32Array, same: Uint32Array): Uint32Array {
  const normalOf = (t: number): Vec3 => {
    const [a, b, c] = [indices[t] * 3, indices[t + 1] * 3, indices[t + 2] * 3];
    const [ux, uy, uz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
    const [vx, vy, vz] = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
    const n: Vec3 = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
    const l = Math.hypot(...n) || 1;
    return [n[0] / l, n[1] / l, n[2] / l];
  };
  const count = p.length / 3;
  // By each edge its first face, and whether a second one lies in the same plane.
  const first = new Map<number, { normal: Vec3; a: number; b: number; flat: boolean }>();
  for (let t = 0; t < indices.length; t += 3) {
    const normal = normalOf(t);
    for (let k = 0; k < 3; k++) {
      const [a, b] = [same[indices[t + k]], same[indices[t + ((k + 1) % 3)]]];
      if (a === b) continue;
      const key = a < b ? a * count + b : b * count + a;
      const known = first.get(key);
      if (!known) first.set(key, { normal, a, b, flat: false });
      else {
        const cosine = known.normal[0] * normal[0] + known.normal[1] * normal[1] + known.normal[2] * normal[2];
        if (Math.abs(cosine) > FLAT) known.flat = true;
      }
    }
  }
  const edges: number[] = [];
  for (const { a, b, flat } of first.values()) if (!flat) edges.push(a, b);
  return Uint32Array.from(edges);
}

/** All meshes of a model as one solid, copies included, in the model's own coordinates. */
export function solidOfModel(model: Model): Solid {
  let [vertices, corners] = [0, 0];
  for (const mesh of model.meshes) {
    vertices += mesh.positions.length * copyCount(mesh);
    corners += mesh.indices.length * copyCount(mesh);
  }
  const positions = new Float32Array(vertices);
  const indices = new Uint32Array(corners);
  let [v, c] = [0, 0];
  for (const mesh of model.meshes)
    for (let copy = 0; copy < copyCount(mesh); copy++) {
      positions.set(placedCopy(mesh, copy), v);
      for (let i = 0; i < mesh.indices.length; i++) indices[c + i] = v / 3 + mesh.indices[i];
      v += mesh.positions.length;
      c += mesh.indices.length;
    }
  return solidOf(positions, indices);
}

/** Middle of a solid's mass: of its volume where it is closed, else of its surface. */
export function middleOf({ positions: p, indices }: Pick<Solid, "positions" | "indices">): Vec3 {
  let [volume, area] = [0, 0];
  const [byVolume, byArea]: [Vec3, Vec3] = [
    [0, 0, 0],
    [0, 0, 0],
  ];
  const o: Vec3 = [p[0] ?? 0, p[1] ?? 0, p[2] ?? 0];
  for (let t = 0; t < indices.length; t += 3) {
    const [i, j, l] = [indices[t] * 3, indices[t + 1] * 3, indices[t + 2] * 3];
    const [ax, ay, az] = [p[i] - o[0], p[i + 1] - o[1], p[i + 2] - o[2]];
    const [bx, by, bz] = [p[j] - o[0], p[j + 1] - o[1], p[j + 2] - o[2]];
    const [cx, cy, cz] = [p[l] - o[0], p[l + 1] - o[1], p[l + 2] - o[2]];
    const nx = (by - ay) * (cz - az) - (bz - az) * (cy - ay);
    const ny = (bz - az) * (cx - ax) - (bx - ax) * (cz - az);
    const nz = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax);
    const tetra = (ax * nx + ay * ny + az * nz) / 6;
    const triangle = Math.sqrt(nx * nx + ny * ny + nz * nz) / 2;
    volume += tetra;
    area += triangle;
    for (const [k, sum] of [ax + bx + cx, ay + by + cy, az + bz + cz].entries()) {
      byVolume[k] += (tetra * sum) / 4;
      byArea[k] += (triangle * sum) / 3;
    }
  }
  // A sheet, or a body with holes in it, has hardly any volume for its surface.
  const closed = Math.abs(volume) > 0.005 * area ** 1.5;
  const [sum, total] = closed ? [byVolume, volume] : [byArea, area];
  return sum.map((x, k) => x / (total || 1) + o[k]) as Vec3;
}
