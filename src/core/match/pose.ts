import type { Mat3, Vec2, Vec3 } from "../math/vec3.ts";
import { cross, dot, length, normalize, scale, sub } from "../math/vec3.ts";
import { pixelToTangent } from "../optics/camera.ts";
import type { Camera, Lens } from "../optics/camera.ts";
import { leastEigenvector } from "../math/linear.ts";

/** Closed-form poses from tie points: starting points for the adjustment. */

export interface Tie {
  pixel: Vec2;
  world: Vec3;
}

export interface Pose {
  focalPx: number;
  rotation: Mat3;
  position: Vec3;
}

/** Middle and mean spread of points, for conditioning. */
function conditioned(points: Vec3[]): { middle: Vec3; size: number } {
  const n = points.length;
  const middle = [0, 1, 2].map((k) => points.reduce((s, p) => s + p[k], 0) / n) as Vec3;
  const size = points.reduce((s, p) => s + length(sub(p, middle)), 0) / n || 1;
  return { middle, size };
}

/** The plane that points lie in, or null if they fill space: normal and two axes in it. */
function commonPlane(points: Vec3[]): { origin: Vec3; u: Vec3; v: Vec3; normal: Vec3 } | null {
  const { middle, size } = conditioned(points);
  let [best, normal]: [number, Vec3] = [0, [0, 0, 1]];
  for (let i = 0; i < points.length; i++) {
    for (let j = 0; j < i; j++) {
      const c = cross(sub(points[i], middle), sub(points[j], middle));
      if (length(c) > best) {
        best = length(c);
        normal = normalize(c);
      }
    }
  }
  if (best < 1e-6 * size * size) return null;
  if (points.some((p) => Math.abs(dot(sub(p, middle), normal)) > 1e-3 * size)) return null;
  const u = normalize(cross(Math.abs(normal[0]) < 0.7 ? [1, 0, 0] : [0, 1, 0], normal));
  return { origin: middle, u, v: cross(normal, u), normal };
}

const orthonormal = (m: Mat3): Mat3 => {
  let r = m;
  for (let k = 0; k < 30; k++) {
    const c: Mat3 = [cross(r[1], r[2]), cross(r[2], r[0]), cross(r[0], r[1])];
    const d = dot(r[0], c[0]);
    r = r.map((row, i) => row.map((value, j) => (value + c[i][j] / d) / 2)) as Mat3;
  }
  return r;
};

/**
 * Camera from six or more tie points that do not lie in one plane, focal length and all: direct linear transform
 * (Abdel-Aziz and Karara 1971) and a decomposition that takes square pixels and the known principal point. Null where
 * the points leave it open.
 */
export function poseFromSpace(lens: Omit<Lens, "focalPx">, frameSize: number, ties: Tie[]): Pose | null {
  if (ties.length < 6) return null;
  const unit: Lens = { ...lens, focalPx: frameSize };
  const { middle, size } = conditioned(ties.map((t) => t.world));
  const m = new Float64Array(144);
  const add = (row: number[]) => {
    for (let i = 0; i < 12; i++) for (let j = 0; j < 12; j++) m[i * 12 + j] += row[i] * row[j];
  };
  for (const { pixel, world } of ties) {
    const [x, y] = pixelToTangent(unit, pixel);
    const p = [...scale(sub(world, middle), 1 / size), 1];
    add([...p, 0, 0, 0, 0, ...p.map((v) => -x * v)]);
    add([0, 0, 0, 0, ...p, ...p.map((v) => -y * v)]);
  }
  const q = leastEigenvector(m, 12);
  if (!q) return null;
  let rows = [0, 1, 2].map((i) => [q[i * 4], q[i * 4 + 1], q[i * 4 + 2]] as Vec3);
  let last = [q[3], q[7], q[11]];
  const norm = length(rows[2]);
  if (norm < 1e-12) return null;
  // In front of the camera, depths are positive.
  const depth = ties.reduce((s, t) => s + dot(rows[2], scale(sub(t.world, middle), 1 / size)) + last[2], 0);
  const k = (depth < 0 ? -1 : 1) / norm;
  rows = rows.map((r) => scale(r, k));
  last = last.map((v) => v * k);
  const third = rows[2];
  const across = [0, 1].map((i) => sub(rows[i], scale(third, dot(rows[i], third))));
  const f = (length(across[0]) + length(across[1])) / 2;
  if (!(f > 1e-6)) return null;
  const rotation = orthonormal([scale(across[0], 1 / f), scale(across[1], 1 / f), third]);
  if (dot(cross(rotation[0], rotation[1]), rotation[2]) < 0.5) return null;
  // Camera centre from the translation: rows . X + last = K R (X − C).
  const t: Vec3 = [
    (last[0] - dot(rows[0], third) * last[2]) / f,
    (last[1] - dot(rows[1], third) * last[2]) / f,
    last[2],
  ];
  const c = [0, 1, 2].map((j) => -(rotation[0][j] * t[0] + rotation[1][j] * t[1] + rotation[2][j] * t[2])) as Vec3;
  return {
    focalPx: f * frameSize,
    rotation,
    position: [middle[0] + c[0] * size, middle[1] + c[1] * size, middle[2] + c[2] * size],
  };
}

/**
 * Cameras from four or more tie points in one plane, from the homography of the plane (Zhang 2000): with the focal
 * length given, or from it where `focalPx` is null. Both ways in which a plane can face are not told apart by it, so
 * up to two are returned.
 */
export function posesFromPlane(
  lens: Omit<Lens, "focalPx">,
  frameSize: number,
  ties: Tie[],
  focalPx: number | null,
): Pose[] {
  const plane = ties.length >= 4 ? commonPlane(ties.map((t) => t.world)) : null;
  if (!plane) return [];
  const unit: Lens = { ...lens, focalPx: focalPx ?? frameSize };
  const { size } = conditioned(ties.map((t) => t.world));
  const m = new Float64Array(81);
  const add = (row: number[]) => {
    for (let i = 0; i < 9; i++) for (let j = 0; j < 9; j++) m[i * 9 + j] += row[i] * row[j];
  };
  for (const { pixel, world } of ties) {
    const [x, y] = pixelToTangent(unit, pixel);
    const d = scale(sub(world, plane.origin), 1 / size);
    const p = [dot(d, plane.u), dot(d, plane.v), 1];
    add([...p, 0, 0, 0, ...p.map((v) => -x * v)]);
    add([0, 0, 0, ...p, ...p.map((v) => -y * v)]);
  }
  const h = leastEigenvector(m, 9);
  if (!h) return [];
  const column = (j: number): Vec3 => [h[j], h[3 + j], h[6 + j]];
  let [a, b, c] = [column(0), column(1), column(2)];
  let f = 1;
  if (focalPx === null) {
    const top = a[0] * b[0] + a[1] * b[1];
    const f2 = -top / (a[2] * b[2]);
    const g2 = -(a[0] ** 2 + a[1] ** 2 - b[0] ** 2 - b[1] ** 2) / (a[2] ** 2 - b[2] ** 2);
    // Two conditions on one unknown; the one with the larger divisor is the better conditioned.
    const chosen = Math.abs(a[2] * b[2]) > Math.abs(a[2] ** 2 - b[2] ** 2) ? f2 : g2;
    if (!(chosen > 0.01 && chosen < 400)) return [];
    f = Math.sqrt(chosen);
  }
  const flat = (v: Vec3): Vec3 => [v[0] / f, v[1] / f, v[2]];
  [a, b, c] = [flat(a), flat(b), flat(c)];
  const k = 2 / (length(a) + length(b));
  const sign = c[2] < 0 ? -k : k;
  [a, b, c] = [scale(a, sign), scale(b, sign), scale(c, sign)];
  const third = cross(a, b);
  const r = orthonormal([
    [a[0], b[0], third[0]],
    [a[1], b[1], third[1]],
    [a[2], b[2], third[2]],
  ]);
  const axes = [plane.u, plane.v, plane.normal];
  // World to plane to camera.
  const rotation = r.map(
    (row) => [0, 1, 2].map((j) => row[0] * axes[0][j] + row[1] * axes[1][j] + row[2] * axes[2][j]) as Vec3,
  ) as Mat3;
  const at = [0, 1, 2].map((j) => -(r[0][j] * c[0] + r[1][j] * c[1] + r[2][j] * c[2]) * size);
  const position = [0, 1, 2].map(
    (j) => plane.origin[j] + plane.u[j] * at[0] + plane.v[j] * at[1] + plane.normal[j] * at[2],
  ) as Vec3;
  const found: Pose = { focalPx: unit.focalPx * f, rotation, position };
  return [found, mirrored(found, plane)];
}

/** The pose that shows a small plane nearly alike: its tilt towards the line of sight turned the other way. */
function mirrored(pose: Pose, plane: { origin: Vec3; normal: Vec3 }): Pose {
  const sight = normalize(sub(plane.origin, pose.position));
  // Turn the plane's normal about the line of sight by half a turn: camera and world keep the sight.
  const turn: Mat3 = [0, 1, 2].map((i) => [0, 1, 2].map((j) => 2 * sight[i] * sight[j] - (i === j ? 1 : 0))) as Mat3;
  const n = plane.normal;
  const flipped: Vec3 = [dot(turn[0], n), dot(turn[1], n), dot(turn[2], n)];
  const towards = scale(flipped, -1);
  const axis = cross(towards, n);
  const s = length(axis);
  if (s < 1e-6) return pose;
  const angle = Math.atan2(s, dot(towards, n));
  const e = scale(axis, 1 / s);
  const [cs, sn] = [Math.cos(angle), Math.sin(angle)];
  const q: Mat3 = [0, 1, 2].map((i) =>
    [0, 1, 2].map((j) => {
      const skew = [
        [0, -e[2], e[1]],
        [e[2], 0, -e[0]],
        [-e[1], e[0], 0],
      ][i][j];
      return (i === j ? cs : 0) + (1 - cs) * e[i] * e[j] + sn * skew;
    }),
  ) as Mat3;
  const arm = sub(pose.position, plane.origin);
  const position = [0, 1, 2].map((i) => plane.origin[i] + dot(q[i], arm)) as Vec3;
  const rotation = pose.rotation.map(
    (row) => [0, 1, 2].map((j) => row[0] * q[j][0] + row[1] * q[j][1] + row[2] * q[j][2]) as Vec3,
  ) as Mat3;
  return { ...pose, rotation, position };
}

/** Camera of a pose. */
export const poseCamera = (lens: Omit<Lens, "focalPx">, pose: Pose): Camera => ({ ...lens, ...pose });
