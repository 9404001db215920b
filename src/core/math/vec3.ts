/** Vectors and matrices as plain tuples. Matrices are 3x3, row-major, as nested rows. */
export type Vec2 = [number, number];
export type Vec3 = [number, number, number];
export type Mat3 = [Vec3, Vec3, Vec3];

export const add = (a: Vec3, b: Vec3): Vec3 => [a[0] + b[0], a[1] + b[1], a[2] + b[2]];
export const sub = (a: Vec3, b: Vec3): Vec3 => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
export const scale = (a: Vec3, s: number): Vec3 => [a[0] * s, a[1] * s, a[2] * s];
export const dot = (a: Vec3, b: Vec3): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
export const cross = (a: Vec3, b: Vec3): Vec3 => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
];
export const length = (a: Vec3): number => Math.sqrt(a[0] * a[0] + a[1] * a[1] + a[2] * a[2]);
export const distance = (a: Vec3, b: Vec3): number => length(sub(a, b));
export const mix = (a: Vec3, b: Vec3, t: number): Vec3 => [
  a[0] + (b[0] - a[0]) * t,
  a[1] + (b[1] - a[1]) * t,
  a[2] + (b[2] - a[2]) * t,
];

/** Unit vector along `a`; the zero vector stays zero. */
export function normalize(a: Vec3): Vec3 {
  const l = length(a);
  return l > 0 ? scale(a, 1 / l) : [0, 0, 0];
}

export const identity = (): Mat3 => [
  [1, 0, 0],
  [0, 1, 0],
  [0, 0, 1],
];
export const transpose = (m: Mat3): Mat3 => [
  [m[0][0], m[1][0], m[2][0]],
  [m[0][1], m[1][1], m[2][1]],
  [m[0][2], m[1][2], m[2][2]],
];
export const apply = (m: Mat3, v: Vec3): Vec3 => [dot(m[0], v), dot(m[1], v), dot(m[2], v)];
/** m transposed, times v: the inverse of `apply` for rotations. */
export const applyTransposed = (m: Mat3, v: Vec3): Vec3 => [
  m[0][0] * v[0] + m[1][0] * v[1] + m[2][0] * v[2],
  m[0][1] * v[0] + m[1][1] * v[1] + m[2][1] * v[2],
  m[0][2] * v[0] + m[1][2] * v[1] + m[2][2] * v[2],
];
export function multiply(a: Mat3, b: Mat3): Mat3 {
  const t = transpose(b);
  return [apply(t, a[0]), apply(t, a[1]), apply(t, a[2])];
}
export const column = (m: Mat3, i: number): Vec3 => [m[0][i], m[1][i], m[2][i]];
export const determinant = (m: Mat3): number => dot(m[0], cross(m[1], m[2]));

/** Rotation by the vector `w` (axis times angle in radians): Rodrigues' formula. */
export function rotationFromVector(w: Vec3): Mat3 {
  const angle = length(w);
  const s = angle < 1e-8 ? 1 : Math.sin(angle) / angle;
  const c = angle < 1e-8 ? 0.5 : (1 - Math.cos(angle)) / (angle * angle);
  const [x, y, z] = w;
  return [
    [1 - c * (y * y + z * z), c * x * y - s * z, c * x * z + s * y],
    [c * x * y + s * z, 1 - c * (x * x + z * z), c * y * z - s * x],
    [c * x * z - s * y, c * y * z + s * x, 1 - c * (x * x + y * y)],
  ];
}

/** Angle in radians of the rotation that takes `a` to `b`. */
export function rotationAngleBetween(a: Mat3, b: Mat3): number {
  const d = multiply(b, transpose(a));
  const c = (d[0][0] + d[1][1] + d[2][2] - 1) / 2;
  const s = Math.hypot(d[2][1] - d[1][2], d[0][2] - d[2][0], d[1][0] - d[0][1]) / 2;
  return Math.atan2(s, c);
}

/** The rotation whose rows come closest to being those of `m`: Gram-Schmidt that trusts the rows in the order given. */
export function orthonormalRows(m: Mat3): Mat3 {
  const a = normalize(m[0]);
  const b = normalize(sub(m[1], scale(a, dot(a, m[1]))));
  return [a, b, cross(a, b)];
}

export const toDegrees = (radians: number): number => (radians * 180) / Math.PI;
export const toRadians = (degrees: number): number => (degrees * Math.PI) / 180;
