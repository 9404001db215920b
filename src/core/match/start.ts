import type { Mat3, Vec2, Vec3 } from "../math/vec3.ts";
import { apply, applyTransposed, cross, dot, normalize, scale, sub } from "../math/vec3.ts";
import type { Lens } from "../optics/camera.ts";
import { pixelToTangent } from "../optics/camera.ts";
import { eigenSymmetric3 } from "../math/linear.ts";
import type { RequestEdge } from "./request.ts";

/** Closed-form starting points: directions from vanishing points, rotation from directions, place from tie points. */

const ray = (lens: Lens, pixel: Vec2): Vec3 => [...pixelToTangent(lens, pixel), 1];

export interface Direction {
  /** Camera-frame unit vector; its sign follows the marks' own (from - to +). */
  vector: Vec3;
  weight: number;
  /** How much the marks agree on the sign: sum of their lengths, each with its vote. */
  votes: number;
}

/** Camera-frame direction of a family of edges: the common perpendicular of their interpretation planes, weighted. */
export function familyDirection(lens: Lens, edges: RequestEdge[]): Direction | null {
  const m = [
    [0, 0, 0],
    [0, 0, 0],
    [0, 0, 0],
  ];
  let weight = 0;
  const planes: { n: Vec3; w: number }[] = [];
  for (const edge of edges) {
    const points = edge.points as Vec2[];
    const first = points[0];
    const last = points[points.length - 1];
    const length = Math.hypot(last[0] - first[0], last[1] - first[1]);
    if (length < 1e-6) continue;
    const w = (length / (edge.sigmaPx ?? 1)) ** 2;
    planes.push({ n: normalize(cross(ray(lens, first), ray(lens, last))), w });
    weight += w;
  }
  if (planes.length < 2) return null;
  for (const { n, w } of planes) for (let i = 0; i < 3; i++) for (let j = 0; j < 3; j++) m[i][j] += w * n[i] * n[j];
  const { vectors, values } = eigenSymmetric3(m);
  // All planes alike: no crossing can be told.
  if (values[1] < 1e-12 * values[2]) return null;
  let vector = vectors[0];
  let votes = 0;
  for (const edge of edges) votes += signVote(lens, edge, vector);
  if (votes < 0) {
    vector = scale(vector, -1);
    votes = -votes;
  }
  return { vector, weight, votes };
}

/** Length of the mark, negative if it runs against the picture of the direction. */
export function signVote(lens: Lens, edge: RequestEdge, direction: Vec3): number {
  const points = edge.points as Vec2[];
  const a = ray(lens, points[0]);
  const b = ray(lens, points[points.length - 1]);
  const [mx, my] = [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2];
  const along = [direction[0] - mx * direction[2], direction[1] - my * direction[2]];
  const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
  return Math.sign(along[0] * dx + along[1] * dy) * Math.hypot(dx, dy);
}

/** The rotation nearest to a matrix with det > 0: mean of itself and its inverse transpose, until it stays. */
function nearestRotation(m: Mat3): Mat3 | null {
  let r = m;
  for (let round = 0; round < 30; round++) {
    const c: Mat3 = [cross(r[1], r[2]), cross(r[2], r[0]), cross(r[0], r[1])];
    const det = dot(r[0], c[0]);
    if (!(Math.abs(det) > 1e-9)) return null;
    let change = 0;
    const next = r.map((row, i) =>
      row.map((value, j) => {
        const mean = (value + c[i][j] / det) / 2;
        change += Math.abs(mean - value);
        return mean;
      }),
    ) as Mat3;
    r = next;
    if (change < 1e-12) break;
  }
  return dot(r[0], cross(r[1], r[2])) > 0 ? r : null;
}

export interface StartRotation {
  rotation: Mat3;
  /** What had to be assumed: that the camera is level, or which way it heads. */
  assumed: "level" | "heading" | null;
}

/**
 * World-to-camera rotation from camera-frame directions of X, Y and Z (any of them missing). Where signs contradict
 * each other those with the fewest votes give way; a camera is taken to stand upright unless vertical marks say not.
 */
export function rotationFromDirections(
  x: Direction | null,
  y: Direction | null,
  z: Direction | null,
  levelUp: Vec3 | null,
): StartRotation | null {
  const upright = (v: Vec3) => (v[1] > 0 ? scale(v, -1) : v);
  const known = [x, y, z].filter((d) => d !== null).length;
  if (known === 0) return null;
  if (known === 1 && !levelUp) {
    if (z) {
      const up = z.votes > 0 ? upright(z.vector) : z.vector;
      const forward: Vec3 = normalize(sub([0, 0, 1], scale(up, up[2])));
      if (Math.hypot(...forward) < 0.5) return null;
      return { rotation: columns(cross(forward, up), forward, up), assumed: "heading" };
    }
    const d = (x ?? y)!.vector;
    const up = normalize(sub([0, -1, 0], scale(d, -d[1])));
    if (Math.hypot(...up) < 0.5) return null;
    return { rotation: x ? columns(d, cross(up, d), up) : columns(cross(d, up), d, up), assumed: "level" };
  }
  let best: { m: Mat3; score: number } | null = null;
  for (const sx of x ? [1, -1] : [1]) {
    for (const sy of y ? [1, -1] : [1]) {
      for (const sz of z || levelUp ? [1, -1] : [1]) {
        let ex = x ? scale(x.vector, sx) : null;
        let ey = y ? scale(y.vector, sy) : null;
        let ez: Vec3 | null = z ? scale(z.vector, sz) : levelUp ? scale(levelUp, sz) : null;
        if (!ex) ex = normalize(cross(ey!, ez!));
        else if (!ey) ey = normalize(cross(ez!, ex));
        if (!ez) ez = normalize(cross(ex, ey!));
        const m = columns(ex, ey!, ez);
        if (dot(cross(ex, ey!), ez) <= 0) continue;
        const votes = (x ? sx * x.votes : 0) + (y ? sy * y.votes : 0) + (z ? sz * z.votes : 0);
        const score = votes + (ez[1] < 0 ? 1e3 : 0);
        if (!best || score > best.score) best = { m, score };
      }
    }
  }
  const rotation = best && nearestRotation(best.m);
  return rotation ? { rotation, assumed: null } : null;
}

const columns = (x: Vec3, y: Vec3, z: Vec3): Mat3 => [
  [x[0], y[0], z[0]],
  [x[1], y[1], z[1]],
  [x[2], y[2], z[2]],
];

/**
 * Camera centre from tie points at a known rotation and lens, by linear least squares over rays; null if they leave it
 * open. One tie point needs the height.
 */
export function placeFromTies(lens: Lens, rotation: Mat3, ties: { pixel: Vec2; world: Vec3 }[]): Vec3 | null {
  const m = [
    [0, 0, 0],
    [0, 0, 0],
    [0, 0, 0],
  ];
  const b = [0, 0, 0];
  for (const tie of ties) {
    const d = normalize(applyTransposed(rotation, ray(lens, tie.pixel)));
    for (let i = 0; i < 3; i++) {
      for (let j = 0; j < 3; j++) {
        const q = (i === j ? 1 : 0) - d[i] * d[j];
        m[i][j] += q;
        b[i] += q * tie.world[j];
      }
    }
  }
  const { values, vectors } = eigenSymmetric3(m);
  if (values[0] < 1e-9 * values[2]) return null;
  const out: Vec3 = [0, 0, 0];
  vectors.forEach((v, i) => {
    const s = dot(v, b as Vec3) / values[i];
    for (let k = 0; k < 3; k++) out[k] += s * v[k];
  });
  return out;
}

/** Camera-frame direction towards the origin: the meeting of edges that lie on axes through it; null if they leave it open. */
export function originFromAxes(
  lens: Lens,
  rotation: Mat3,
  edges: RequestEdge[],
  directionOf: (axis: string) => Vec3,
): Vec3 | null {
  const m = [
    [0, 0, 0],
    [0, 0, 0],
    [0, 0, 0],
  ];
  for (const edge of edges) {
    const points = edge.points as Vec2[];
    const d = apply(rotation, directionOf(edge.axis));
    const [mx, my] = [0, 1].map((k) => points.reduce((s, p) => s + p[k], 0) / points.length);
    const n = normalize(cross(d, ray(lens, [mx, my])));
    for (let i = 0; i < 3; i++) for (let j = 0; j < 3; j++) m[i][j] += n[i] * n[j];
  }
  const { values, vectors } = eigenSymmetric3(m);
  if (values[1] < 1e-9) return null;
  const o = vectors[0];
  return o[2] < 0 ? scale(o, -1) : o;
}

/**
 * Principal point and focal length from three orthogonal vanishing points, in closed form: square pixels leave three
 * unknowns of the image of the absolute conic, which orthogonality makes linear (Hartley and Zisserman 2004, 8.8).
 * Directions are camera-frame vectors found with `lens`. Null where they do not determine it.
 */
export function lensFromDirections(lens: Lens, directions: [Vec3, Vec3, Vec3]): Lens | null {
  const rows: number[][] = [];
  for (const [i, j] of [
    [0, 1],
    [0, 2],
    [1, 2],
  ]) {
    const [a, b] = [directions[i], directions[j]];
    rows.push([-(a[0] * b[2] + b[0] * a[2]), -(a[1] * b[2] + b[1] * a[2]), a[2] * b[2], -(a[0] * b[0] + a[1] * b[1])]);
  }
  const det = (c: number[]) =>
    dot(
      [rows[0][c[0]], rows[0][c[1]], rows[0][c[2]]],
      cross([rows[1][c[0]], rows[1][c[1]], rows[1][c[2]]], [rows[2][c[0]], rows[2][c[1]], rows[2][c[2]]]),
    );
  const d = det([0, 1, 2]);
  if (!(Math.abs(d) > 1e-12)) return null;
  const [px, py, q] = [det([3, 1, 2]) / d, det([0, 3, 2]) / d, det([0, 1, 3]) / d];
  const f2 = q - px * px - py * py;
  if (!(f2 > 0.02 && f2 < 100) || Math.hypot(px, py) > 3) return null;
  return {
    ...lens,
    focalPx: lens.focalPx * Math.sqrt(f2),
    principal: [lens.principal[0] + px * lens.focalPx, lens.principal[1] + py * lens.focalPx],
  };
}
