import type { Vec2 } from "../math/vec3.ts";

/**
 * Brown-Conrady distortion (Brown 1966, "Decentering distortion of lenses"; the coefficient order of OpenCV's
 * published camera model is k1 k2 p1 p2 k3). It maps undistorted to distorted coordinates, both divided by the focal
 * length in pixels.
 */
export interface Distortion {
  k1: number;
  k2: number;
  k3: number;
  p1: number;
  p2: number;
}

export const noDistortion = (): Distortion => ({ k1: 0, k2: 0, k3: 0, p1: 0, p2: 0 });

export const isDistorted = (d: Distortion): boolean =>
  d.k1 !== 0 || d.k2 !== 0 || d.k3 !== 0 || d.p1 !== 0 || d.p2 !== 0;

/** Distorted coordinates of undistorted ones. */
export function distort(d: Distortion, [x, y]: Vec2): Vec2 {
  const r2 = x * x + y * y;
  const radial = 1 + r2 * (d.k1 + r2 * (d.k2 + r2 * d.k3));
  return [
    x * radial + 2 * d.p1 * x * y + d.p2 * (r2 + 2 * x * x),
    y * radial + d.p1 * (r2 + 2 * y * y) + 2 * d.p2 * x * y,
  ];
}

/** Derivative of `distort`: [[dx'/dx, dx'/dy], [dy'/dx, dy'/dy]] as four numbers. */
export function distortJacobian(d: Distortion, [x, y]: Vec2): [number, number, number, number] {
  const r2 = x * x + y * y;
  const radial = 1 + r2 * (d.k1 + r2 * (d.k2 + r2 * d.k3));
  const slope = 2 * (d.k1 + r2 * (2 * d.k2 + 3 * r2 * d.k3));
  const cross = x * y * slope + 2 * d.p1 * x + 2 * d.p2 * y;
  return [
    radial + x * x * slope + 2 * d.p1 * y + 6 * d.p2 * x,
    cross,
    cross,
    radial + y * y * slope + 6 * d.p1 * y + 2 * d.p2 * x,
  ];
}

/** Undistorted coordinates of distorted ones, by Newton's method. */
export function undistort(d: Distortion, target: Vec2): Vec2 {
  if (!isDistorted(d)) return [target[0], target[1]];
  let x = target[0];
  let y = target[1];
  for (let i = 0; i < 20; i++) {
    const p = distort(d, [x, y]);
    const ex = p[0] - target[0];
    const ey = p[1] - target[1];
    if (ex * ex + ey * ey < 1e-26) break;
    const [a, b, c, e] = distortJacobian(d, [x, y]);
    const det = a * e - b * c;
    if (!(Math.abs(det) > 1e-9)) break;
    x -= (e * ex - b * ey) / det;
    y -= (a * ey - c * ex) / det;
  }
  return [x, y];
}

/**
 * Undistorted coordinates of distorted ones and their derivatives, without allocation: writes x, y, dx/du, dx/dv, dy/du,
 * dy/dv to `out`. For inner loops; the same method as `undistort`.
 */
export function undistortWithSlope(d: Distortion, u: number, v: number, out: Float64Array, at = 0): void {
  const { k1, k2, k3, p1, p2 } = d;
  let x = u;
  let y = v;
  let a = 1;
  let b = 0;
  let e = 1;
  let det = 1;
  for (let i = 0; i < 20; i++) {
    const r2 = x * x + y * y;
    const radial = 1 + r2 * (k1 + r2 * (k2 + r2 * k3));
    const slope = 2 * (k1 + r2 * (2 * k2 + 3 * r2 * k3));
    const ex = x * radial + 2 * p1 * x * y + p2 * (r2 + 2 * x * x) - u;
    const ey = y * radial + p1 * (r2 + 2 * y * y) + 2 * p2 * x * y - v;
    a = radial + x * x * slope + 2 * p1 * y + 6 * p2 * x;
    b = x * y * slope + 2 * p1 * x + 2 * p2 * y;
    e = radial + y * y * slope + 6 * p1 * y + 2 * p2 * x;
    det = a * e - b * b;
    if (ex * ex + ey * ey < 1e-26 || !(Math.abs(det) > 1e-9)) break;
    x -= (e * ex - b * ey) / det;
    y -= (a * ey - b * ex) / det;
  }
  out[at] = x;
  out[at + 1] = y;
  out[at + 2] = e / det;
  out[at + 3] = -b / det;
  out[at + 4] = -b / det;
  out[at + 5] = a / det;
}

/**
 * True if the distortion folds: some undistorted point within `reach` of the axis (undistorted units) has a mapping
 * that turns back, so two directions would land on one pixel.
 */
export function foldsWithin(d: Distortion, reach: number): boolean {
  for (let i = 1; i <= 48; i++) {
    const r = (reach * i) / 48;
    for (let k = 0; k < 8; k++) {
      const angle = (k * Math.PI) / 4;
      const [a, b, c, e] = distortJacobian(d, [r * Math.cos(angle), r * Math.sin(angle)]);
      if (a * e - b * c <= 1e-6 || a + e <= 0) return true;
    }
  }
  return false;
}

/**
 * Largest radius (of undistorted coordinates) up to which the distortion keeps going outwards; beyond it the polynomial
 * folds back and points far outside the frame would land inside. Infinity where it never does.
 */
export function unfoldedRadius(d: Distortion): number {
  if (!isDistorted(d)) return Infinity;
  for (let r = 0.02; r < 12; r += 0.02) {
    const s = r * r;
    if (1 + s * (3 * d.k1 + s * (5 * d.k2 + s * 7 * d.k3)) <= 0.02) return r;
  }
  return Infinity;
}
