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

// Coefficients of the lens in use.
let k1: f64 = 0,
  k2: f64 = 0,
  k3: f64 = 0,
  p1: f64 = 0,
  p2: f64 = 0;

// @ts-ignore: decorator
@inline
function holdLens(): void {
  k1 = <f64>paramF(PARAM_DISTORTION);
  k2 = <f64>paramF(PARAM_DISTORTION + 4);
  k3 = <f64>paramF(PARAM_DISTORTION + 8);
  p1 = <f64>paramF(PARAM_DISTORTION + 12);
  p2 = <f64>paramF(PARAM_DISTORTION + 16);
}

// @ts-ignore: decorator
@inline
function distort(x: f64, y: f64): void {
  const r2 = x * x + y * y,
    radial = 1.0 + r2 * (k1 + r2 * (k2 + r2 * k3));
  distortedX = x * radial + 2.0 * p1 * x * y + p2 * (r2 + 2.0 * x * x);
  distortedY = y * radial + p1 * (r2 + 2.0 * y * y) + 2.0 * p2 * x * y;
}

/** World direction of the ray through a plate pixel: `rayX` to `rayZ`, of length 1. */
export function aimAtPixel(u: f32, v: f32): void {
  holdLens();
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

/**
 * The same for four pixels at once, to the bit: u of all four, then v, stand at `rays`, and x, y and z of the directions come
 * behind them. Each pixel's steps wait for one another; those of four do not.
 */
export function aimAtFour(rays: u32): void {
  holdLens();
  const focal = f64x2.splat(<f64>paramF(PARAM_FOCAL)),
    pu = f64x2.splat(<f64>paramF(PARAM_PRINCIPAL)),
    pv = f64x2.splat(<f64>paramF(PARAM_PRINCIPAL + 4));
  const xd = f64x2.div(f64x2.sub(f64x2.promote_low_f32x4(v128.load64_zero(rays)), pu), focal),
    xe = f64x2.div(f64x2.sub(f64x2.promote_low_f32x4(v128.load64_zero(rays, 8)), pu), focal),
    yd = f64x2.div(f64x2.sub(f64x2.promote_low_f32x4(v128.load64_zero(rays, 16)), pv), focal),
    ye = f64x2.div(f64x2.sub(f64x2.promote_low_f32x4(v128.load64_zero(rays, 24)), pv), focal);
  let x = xd,
    y = yd,
    x2 = xe,
    y2 = ye,
    going = i32x4.splat(-1),
    going2 = i32x4.splat(-1);
  for (let i = 0; i < 12; i++) {
    let dx = f64x2.sub(distortedTwoX(x, y), xd),
      dy = f64x2.sub(distortedTwoY(x, y), yd);
    x = v128.bitselect(f64x2.sub(x, dx), x, going);
    y = v128.bitselect(f64x2.sub(y, dy), y, going);
    going = v128.and(going, farFrom(dx, dy));
    dx = f64x2.sub(distortedTwoX(x2, y2), xe);
    dy = f64x2.sub(distortedTwoY(x2, y2), ye);
    x2 = v128.bitselect(f64x2.sub(x2, dx), x2, going2);
    y2 = v128.bitselect(f64x2.sub(y2, dy), y2, going2);
    going2 = v128.and(going2, farFrom(dx, dy));
    if (!v128.any_true(v128.or(going, going2))) break;
  }
  const cx = joined(x, x2),
    cy = joined(y, y2);
  const wx = turned(0, cx, cy),
    wy = turned(4, cx, cy),
    wz = turned(8, cx, cy);
  const square = f32x4.add(f32x4.add(f32x4.mul(wx, wx), f32x4.mul(wy, wy)), f32x4.mul(wz, wz)),
    inverse = f32x4.div(f32x4.splat(1), f32x4.sqrt(square));
  v128.store(rays, f32x4.mul(wx, inverse), 32);
  v128.store(rays, f32x4.mul(wy, inverse), 48);
  v128.store(rays, f32x4.mul(wz, inverse), 64);
}

// @ts-ignore: decorator
@inline
function radialOf(r2: v128): v128 {
  const inner = f64x2.add(f64x2.splat(k2), f64x2.mul(r2, f64x2.splat(k3)));
  return f64x2.add(f64x2.splat(1), f64x2.mul(r2, f64x2.add(f64x2.splat(k1), f64x2.mul(r2, inner))));
}
// @ts-ignore: decorator
@inline
function distortedTwoX(x: v128, y: v128): v128 {
  const r2 = f64x2.add(f64x2.mul(x, x), f64x2.mul(y, y)),
    across = f64x2.mul(f64x2.mul(f64x2.splat(2.0 * p1), x), y),
    along = f64x2.mul(f64x2.splat(p2), f64x2.add(r2, f64x2.mul(f64x2.mul(f64x2.splat(2), x), x)));
  return f64x2.add(f64x2.add(f64x2.mul(x, radialOf(r2)), across), along);
}
// @ts-ignore: decorator
@inline
function distortedTwoY(x: v128, y: v128): v128 {
  const r2 = f64x2.add(f64x2.mul(x, x), f64x2.mul(y, y)),
    along = f64x2.mul(f64x2.splat(p1), f64x2.add(r2, f64x2.mul(f64x2.mul(f64x2.splat(2), y), y))),
    across = f64x2.mul(f64x2.mul(f64x2.splat(2.0 * p2), x), y);
  return f64x2.add(f64x2.add(f64x2.mul(y, radialOf(r2)), along), across);
}
// @ts-ignore: decorator
@inline
function farFrom(dx: v128, dy: v128): v128 {
  return f64x2.ge(f64x2.add(f64x2.mul(dx, dx), f64x2.mul(dy, dy)), f64x2.splat(1e-18));
}
/** Two pairs as four floats. */
// @ts-ignore: decorator
@inline
function joined(low: v128, high: v128): v128 {
  return i64x2.shuffle(f32x4.demote_f64x2_zero(low), f32x4.demote_f64x2_zero(high), 0, 2);
}
/** One coordinate of directions of the camera in the world; z is 1. */
// @ts-ignore: decorator
@inline
function turned(axis: u32, cx: v128, cy: v128): v128 {
  const r = PARAM_ROTATION + axis;
  return f32x4.add(
    f32x4.add(f32x4.mul(f32x4.splat(paramF(r)), cx), f32x4.mul(f32x4.splat(paramF(r + 12)), cy)),
    f32x4.splat(paramF(r + 24)),
  );
}

/** Takes the direction of one of the four as the ray's. */
export function takeRay(rays: u32, k: u32): void {
  const at = rays + (k << 2);
  dirX = load<f32>(at, 32);
  dirY = load<f32>(at, 48);
  dirZ = load<f32>(at, 64);
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
  holdLens();
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
