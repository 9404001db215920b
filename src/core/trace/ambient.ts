import { boxOf, placedBox } from "../math/box.ts";
import type { Vec3 } from "../math/vec3.ts";
import { cross, dot } from "../math/vec3.ts";
import { invertMatrix } from "../props/transform.ts";
import { buildQuick } from "./quickBvh.ts";
import type { ReferenceBvh } from "./referenceBvh.ts";
import { referenceClosest, referenceOccluded } from "./referenceBvh.ts";

/**
 * How much of the light from all around props leave: on what they stand on and before, and on themselves. What the
 * real-time view shows of it until the tracer knows better: the light is taken as even, and what props give back as a share
 * of it.
 */

/** A prop in the way: its triangles in its own coordinates, and where it stands. */
export interface Blocker {
  tree: ReferenceBvh;
  /** Which way a triangle's front looks, in its own coordinates; of any length. */
  fronts: (triangle: number) => Vec3;
  /** World to its own coordinates, rows of a 3 x 4 matrix. */
  toOwn: readonly number[];
  /** Box around it in the world. */
  low: Vec3;
  high: Vec3;
}

/** Triangles with their tree, and the box around them. */
export interface BlockerMesh {
  positions: Float32Array;
  indices: Uint32Array;
  tree: ReferenceBvh;
  low: Vec3;
  high: Vec3;
}

/** A rectangle in the world that shade falls on. */
export interface Sheet {
  corner: Vec3;
  /** Unit vectors along its sides, and which way it looks. */
  across: Vec3;
  along: Vec3;
  normal: Vec3;
  /** Lengths of its sides, metres. */
  size: readonly [number, number];
}

/** Where a ray meets the place: how far, and which way that looks (towards the ray's start). Null where it goes on. */
export type PlaceHit = (from: Vec3, direction: Vec3) => { distance: number; normal: Vec3 } | null;

/** Share of the light around that a prop gives back where a ray meets it. */
const GIVEN_BACK = 0.12;
/** Rays start so far above a surface, metres. */
const OFF = 1e-4;

/** Triangles as something in the way; `matrix` takes them to the world. */
export function blockerOf({ positions: p, indices, tree, ...box }: BlockerMesh, matrix: readonly number[]): Blocker {
  const fronts = (triangle: number): Vec3 => {
    const [a, b, c] = [0, 1, 2].map((k) => indices[triangle * 3 + k] * 3);
    return cross(
      [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]],
      [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]],
    );
  };
  return { tree, fronts, toOwn: invertMatrix([...matrix]), ...placedBox(box, matrix) };
}

/** Triangles made ready to be in the way. */
export function blockerMesh(positions: Float32Array, indices: Uint32Array): BlockerMesh {
  return { positions, indices, tree: buildQuick(positions, indices), ...boxOf(positions) };
}

function missesBox({ low, high }: Blocker, from: Vec3, direction: Vec3): boolean {
  let near = 0;
  let far = Infinity;
  for (let k = 0; k < 3; k++) {
    const a = (low[k] - from[k]) / direction[k];
    const b = (high[k] - from[k]) / direction[k];
    // A ray along a face of the box gives no number there: it does not narrow the way.
    if (Number.isNaN(a) || Number.isNaN(b)) continue;
    near = Math.max(near, Math.min(a, b));
    far = Math.min(far, Math.max(a, b));
  }
  return near > far;
}

/** Where a ray meets the nearest of those in the way: how far, in lengths of the direction, and whether from behind. */
interface Met {
  distance: number;
  fromBehind: boolean;
}

/** Null where a ray meets none of them. */
export function nearestBlocker(blockers: readonly Blocker[], from: Vec3, direction: Vec3): Met | null {
  let nearest: Met | null = null;
  for (const blocker of blockers) {
    if (missesBox(blocker, from, direction)) continue;
    const way = turned(blocker.toOwn, direction);
    const hit = traced(referenceClosest, blocker, from, way);
    if (hit && hit.distance < (nearest?.distance ?? Infinity))
      nearest = { distance: hit.distance, fromBehind: dot(blocker.fronts(hit.triangle), way) > 0 };
  }
  return nearest;
}

/** True where a ray meets any of them. */
const meetsBlocker = (blockers: readonly Blocker[], from: Vec3, direction: Vec3): boolean =>
  blockers.some(
    (blocker) =>
      !missesBox(blocker, from, direction) &&
      traced(referenceOccluded, blocker, from, turned(blocker.toOwn, direction)),
  );

const turned = (m: readonly number[], [x, y, z]: Vec3): Vec3 => [
  m[0] * x + m[1] * y + m[2] * z,
  m[4] * x + m[5] * y + m[6] * z,
  m[8] * x + m[9] * y + m[10] * z,
];

/** Asks a blocker's tree from a place in the world, along a way in the blocker's coordinates. */
function traced<T>(
  ask: (bvh: ReferenceBvh, ox: number, oy: number, oz: number, dx: number, dy: number, dz: number) => T,
  { tree, toOwn: m }: Blocker,
  from: Vec3,
  way: Vec3,
): T {
  const [x, y, z] = turned(m, from);
  return ask(tree, x + m[3], y + m[7], z + m[11], way[0], way[1], way[2]);
}

/** A direction over a surface that looks along `n`, by the cosine (Malley's method), of a share of the disc and an angle. */
function directionOver(n: Vec3, share: number, angle: number): Vec3 {
  const radius = Math.sqrt(share);
  const x = radius * Math.cos(angle);
  const y = radius * Math.sin(angle);
  const z = Math.sqrt(Math.max(0, 1 - radius * radius));
  // Axes across the normal (Duff et al., Building an Orthonormal Basis, Revisited, JCGT 2017).
  const s = n[2] < 0 ? -1 : 1;
  const a = -1 / (s + n[2]);
  const b = n[0] * n[1] * a;
  return [
    (1 + s * n[0] * n[0] * a) * x + b * y + n[0] * z,
    s * b * x + (s + n[1] * n[1] * a) * y + n[1] * z,
    -s * n[0] * x - n[1] * y + n[2] * z,
  ];
}

const GOLDEN = Math.PI * (3 - Math.sqrt(5));
/** Ray `r` of `rays` from place `i`; neighbours do not have the same ones. */
const rayOver = (n: Vec3, r: number, rays: number, i: number): Vec3 =>
  directionOver(n, (r + 0.5) / rays, (r + i) * GOLDEN);
/** Numbers from 0 to 1 that are spread evenly and follow nothing else (additive recurrences of Roberts, 2018). */
const spread = (i: number, ratio: number): number => (i * ratio) % 1;

/**
 * Shares of the light from all around that props keep from a sheet, from 0 to 1, at the middles of `across` × `along`
 * cells, the first at its corner.
 */
export function shadeOn(
  { corner, across: u, along: v, normal, size }: Sheet,
  [columns, rows]: readonly [number, number],
  blockers: readonly Blocker[],
  rays: number,
): Float32Array {
  const shade = new Float32Array(columns * rows);
  for (let j = 0; j < rows; j++)
    for (let i = 0; i < columns; i++) {
      const s = ((i + 0.5) / columns) * size[0];
      const t = ((j + 0.5) / rows) * size[1];
      const from = [0, 1, 2].map((k) => corner[k] + s * u[k] + t * v[k] + OFF * normal[k]) as Vec3;
      let kept = 0;
      for (let r = 0; r < rays; r++) {
        const direction = rayOver(normal, r, rays, i + j * 7);
        if (meetsBlocker(blockers, from, direction)) kept++;
      }
      shade[j * columns + i] = (kept / rays) * (1 - GIVEN_BACK);
    }
  return shade;
}

/** A point is buried in a part where more of its rays than this meet the part from within. */
const BURIED = 0.4;

/**
 * Shares of the light from all around that reach points of a prop, from 0 to 1: less what props hide, and less what is
 * missing where the place is shaded by them. NaN where a point is buried in another part.
 */
export function ambientAt(
  positions: Float32Array,
  normals: Float32Array,
  blockers: readonly Blocker[],
  place: PlaceHit,
  rays: number,
): Float32Array {
  const count = positions.length / 3;
  const shares = new Float32Array(count);
  for (let i = 0; i < count; i++) {
    const n: Vec3 = [normals[i * 3], normals[i * 3 + 1], normals[i * 3 + 2]];
    const from = [0, 1, 2].map((k) => positions[i * 3 + k] + 10 * OFF * n[k]) as Vec3;
    let sum = 0;
    let within = 0;
    for (let r = 0; r < rays; r++) {
      const direction = rayOver(n, r, rays, i);
      const met = nearestBlocker(blockers, from, direction);
      const ground = place(from, direction);
      if (met && met.distance < (ground?.distance ?? Infinity)) {
        sum += GIVEN_BACK;
        if (met.fromBehind) within++;
        continue;
      }
      if (!ground) {
        sum++;
        continue;
      }
      // One way on from there tells, on the mean, how shaded it is.
      const at = [0, 1, 2].map((k) => from[k] + ground.distance * direction[k] + 10 * OFF * ground.normal[k]) as Vec3;
      const turn = i * rays + r + 1;
      const on = directionOver(ground.normal, spread(turn, 0.7548776662), 2 * Math.PI * spread(turn, 0.5698402909));
      sum += meetsBlocker(blockers, at, on) ? GIVEN_BACK : 1;
    }
    shares[i] = within > BURIED * rays ? NaN : sum / rays;
  }
  return shares;
}

/** Rays from one point. */
const PER_POINT = { least: 8, most: 48 };

/** Where a triangle is asked for each of its corners: the corner's own share, and that of either other one. */
const NEAR_CORNER = [0.6, 0.2] as const;

/**
 * The same for the corners of a mesh, two numbers each: on the side that its normals look to, and on the other one. It is
 * told from points within its triangles: corners themselves often lie in other parts. What is buried takes its neighbours'
 * light; where there are more corners than `rays` (of all together) reach, those near each other share theirs.
 */
export function ambientOfCorners(
  positions: Float32Array,
  normals: Float32Array,
  indices: Uint32Array,
  blockers: readonly Blocker[],
  place: PlaceHit,
  rays: number,
): Float32Array {
  const points = new Float32Array(indices.length * 3);
  const ways = new Float32Array(indices.length * 3);
  for (let h = 0; h < indices.length; h++) {
    const t = h - (h % 3);
    for (let k = 0; k < 3; k++) {
      let p = 0;
      let n = 0;
      for (let c = 0; c < 3; c++) {
        const share = NEAR_CORNER[t + c === h ? 0 : 1];
        p += share * positions[indices[t + c] * 3 + k];
        n += share * normals[indices[t + c] * 3 + k];
      }
      points[h * 3 + k] = p;
      ways[h * 3 + k] = n;
    }
    const l = Math.hypot(ways[h * 3], ways[h * 3 + 1], ways[h * 3 + 2]) || 1;
    for (let k = 0; k < 3; k++) ways[h * 3 + k] /= l;
  }
  const groups = alikePoints(points, ways, Math.max(1, Math.floor(rays / 2 / PER_POINT.least)));
  const count = groups.firsts.length;
  const per = Math.min(PER_POINT.most, Math.max(PER_POINT.least, Math.floor(rays / 2 / count)));
  const at = groups.firsts.map((h) => h * 3);
  const some = (list: Float32Array) =>
    Float32Array.from({ length: count * 3 }, (_, i) => list[at[(i - (i % 3)) / 3] + (i % 3)]);
  const [from, towards] = [some(points), some(ways)];
  const shares = new Float32Array((positions.length / 3) * 2);
  for (const side of [0, 1]) {
    const found = ambientAt(from, side === 0 ? towards : towards.map((x) => -x), blockers, place, per);
    const corners = gathered(
      Float32Array.from(groups.of, (g) => found[g]),
      indices,
      positions.length / 3,
    );
    for (let i = 0; i < corners.length; i++) shares[i * 2 + side] = corners[i];
  }
  return shares;
}

/** Groups of points that lie near each other and look the same way, at most so many: each point's group, and a point of each. */
function alikePoints(points: Float32Array, ways: Float32Array, most: number): { of: Uint32Array; firsts: number[] } {
  const count = points.length / 3;
  const of = new Uint32Array(count);
  if (count <= most) return { of: of.map((_, i) => i), firsts: [...of.keys()] };
  let size = 0;
  for (let k = 0; k < 3; k++) {
    let [low, high] = [Infinity, -Infinity];
    for (let i = k; i < points.length; i += 3) {
      low = Math.min(low, points[i]);
      high = Math.max(high, points[i]);
    }
    size = Math.max(size, high - low);
  }
  for (let cell = size / 128; ; cell *= 1.5) {
    const known = new Map<string, number>();
    const firsts: number[] = [];
    for (let i = 0; i < count && firsts.length <= most; i++) {
      let key = "";
      for (let k = 0; k < 3; k++)
        key += `${Math.floor(points[i * 3 + k] / cell)} ${Math.round(1.4 * ways[i * 3 + k])} `;
      let group = known.get(key);
      if (group === undefined) {
        known.set(key, (group = firsts.length));
        firsts.push(i);
      }
      of[i] = group;
    }
    if (firsts.length <= most || cell > size) return { of, firsts };
  }
}

/** What was found within triangles, near each of their corners, for the corners; all light where nothing was. */
function gathered(found: Float32Array, indices: Uint32Array, count: number): Float32Array {
  const sums = new Float32Array(count);
  const weights = new Float32Array(count);
  for (let h = 0; h < indices.length; h++) {
    if (Number.isNaN(found[h])) continue;
    const t = h - (h % 3);
    // What is found at a corner tells something of the triangle's others as well, which evens out what few rays found.
    for (let c = 0; c < 3; c++) {
      const weight = t + c === h ? 1 : 0.25;
      sums[indices[t + c]] += weight * found[h];
      weights[indices[t + c]] += weight;
    }
  }
  return sums.map((sum, i) => (weights[i] > 0 ? sum / weights[i] : 1));
}
