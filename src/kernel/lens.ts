// The plate's camera: rays from plate pixels through the distorted lens, and the projection of world points.
// Brown-Conrady as in docs/design.md section 3: distortion maps undistorted to distorted coordinates.
import { paramF, paramU } from "./params";
import { draw, draw1, draw2 } from "./sampler";
import { diskX, diskY, toDisk } from "./frame";
import {
  PARAM_BLADES,
  PARAM_BLADE_TURN,
  PARAM_DISTORTION,
  PARAM_FOCAL,
  PARAM_FOCUS,
  PARAM_LENS_RADIUS,
  PARAM_POSITION,
  PARAM_PRINCIPAL,
  PARAM_ROTATION,
} from "./layout";

let dirX: f32 = 0;
let dirY: f32 = 0;
let dirZ: f32 = 0;
let pixelX: f32 = 0;
let pixelY: f32 = 0;
let distortedX: f64 = 0;
let distortedY: f64 = 0;

export function rayX(): f32 {
  return dirX;
}
export function rayY(): f32 {
  return dirY;
}
export function rayZ(): f32 {
  return dirZ;
}
export function projectedX(): f32 {
  return pixelX;
}
export function projectedY(): f32 {
  return pixelY;
}

function distort(x: f64, y: f64): void {
  const k1 = <f64>paramF(PARAM_DISTORTION),
    k2 = <f64>paramF(PARAM_DISTORTION + 4),
    k3 = <f64>paramF(PARAM_DISTORTION + 8);
  const p1 = <f64>paramF(PARAM_DISTORTION + 12),
    p2 = <f64>paramF(PARAM_DISTORTION + 16);
  const r2 = x * x + y * y,
    radial = 1.0 + r2 * (k1 + r2 * (k2 + r2 * k3));
  distortedX = x * radial + 2.0 * p1 * x * y + p2 * (r2 + 2.0 * x * x);
  distortedY = y * radial + p1 * (r2 + 2.0 * y * y) + 2.0 * p2 * x * y;
}

/** World direction of the ray through a plate pixel: `rayX` to `rayZ`, of length 1. */
export function aimAtPixel(u: f32, v: f32): void {
  const focal = <f64>paramF(PARAM_FOCAL);
  const xd = (<f64>u - <f64>paramF(PARAM_PRINCIPAL)) / focal,
    yd = (<f64>v - <f64>paramF(PARAM_PRINCIPAL + 4)) / focal;
  let x = xd,
    y = yd;
  for (let i = 0; i < 12; i++) {
    distort(x, y);
    const ex = distortedX - xd,
      ey = distortedY - yd;
    x -= ex;
    y -= ey;
    if (ex * ex + ey * ey < 1e-18) break;
  }
  const r = PARAM_ROTATION;
  const cx = <f32>x,
    cy = <f32>y;
  const wx = paramF(r) * cx + paramF(r + 12) * cy + paramF(r + 24);
  const wy = paramF(r + 4) * cx + paramF(r + 16) * cy + paramF(r + 28);
  const wz = paramF(r + 8) * cx + paramF(r + 20) * cy + paramF(r + 32);
  const inverse = <f32>1.0 / sqrt<f32>(wx * wx + wy * wy + wz * wz);
  dirX = wx * inverse;
  dirY = wy * inverse;
  dirZ = wz * inverse;
}

/** Plate pixel of a world point: `projectedX`, `projectedY`. Returns the depth along the view axis; not in view if <= 0. */
export function projectPoint(px: f32, py: f32, pz: f32): f32 {
  const dx = px - paramF(PARAM_POSITION),
    dy = py - paramF(PARAM_POSITION + 4),
    dz = pz - paramF(PARAM_POSITION + 8);
  const r = PARAM_ROTATION;
  const z = paramF(r + 24) * dx + paramF(r + 28) * dy + paramF(r + 32) * dz;
  if (z <= 1e-6) return 0;
  const x = paramF(r) * dx + paramF(r + 4) * dy + paramF(r + 8) * dz;
  const y = paramF(r + 12) * dx + paramF(r + 16) * dy + paramF(r + 20) * dz;
  const a = <f64>x / <f64>z,
    b = <f64>y / <f64>z;
  if (a * a + b * b > 9.0) return 0;
  distort(a, b);
  pixelX = <f32>(distortedX * <f64>paramF(PARAM_FOCAL)) + paramF(PARAM_PRINCIPAL);
  pixelY = <f32>(distortedY * <f64>paramF(PARAM_FOCAL)) + paramF(PARAM_PRINCIPAL + 4);
  return z;
}

let fromX: f32 = 0;
let fromY: f32 = 0;
let fromZ: f32 = 0;

export function lensX(): f32 {
  return fromX;
}
export function lensY(): f32 {
  return fromY;
}
export function lensZ(): f32 {
  return fromZ;
}

/**
 * Moves the ray just aimed to a point of the lens's opening, so that it still meets the plane in focus where it did: thin
 * lens, the plane square to the view axis. The point is drawn from the opening, round or a regular polygon.
 */
export function throughLens(): void {
  draw();
  const radius = paramF(PARAM_LENS_RADIUS),
    blades = paramU(PARAM_BLADES);
  let a: f32 = 0,
    b: f32 = 0;
  if (blades < 3) {
    toDisk(draw1(), draw2());
    a = diskX();
    b = diskY();
  } else {
    // One of the polygon's triangles, then a point of it by areas.
    const at = draw1() * <f32>blades,
      blade = floor<f32>(at),
      u = at - blade,
      v = draw2();
    const step = <f32>6.283185307179586 / <f32>blades,
      from = blade * step + paramF(PARAM_BLADE_TURN),
      to = from + step;
    const root = sqrt<f32>(u),
      p = root * (<f32>1.0 - v),
      q = root * v;
    a = p * Mathf.cos(from) + q * Mathf.cos(to);
    b = p * Mathf.sin(from) + q * Mathf.sin(to);
  }
  a *= radius;
  b *= radius;
  const r = PARAM_ROTATION;
  const along = dirX * paramF(r + 24) + dirY * paramF(r + 28) + dirZ * paramF(r + 32),
    t = paramF(PARAM_FOCUS) / along;
  const ox = a * paramF(r) + b * paramF(r + 12),
    oy = a * paramF(r + 4) + b * paramF(r + 16),
    oz = a * paramF(r + 8) + b * paramF(r + 20);
  fromX = paramF(PARAM_POSITION) + ox;
  fromY = paramF(PARAM_POSITION + 4) + oy;
  fromZ = paramF(PARAM_POSITION + 8) + oz;
  dirX = t * dirX - ox;
  dirY = t * dirY - oy;
  dirZ = t * dirZ - oz;
  const s = <f32>1.0 / sqrt<f32>(dirX * dirX + dirY * dirY + dirZ * dirZ);
  dirX *= s;
  dirY *= s;
  dirZ *= s;
}
