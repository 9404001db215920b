// Orthonormal frame about a normal (Duff et al. 2017, JCGT 6(1)) and cosine-weighted directions in it, by the
// concentric map of Shirley and Chiu 1997. Sine and cosine are polynomials on [-pi/4, pi/4], the same on every machine.
import { draw, draw1, draw2 } from "./sampler";

let ax: f32 = 0,
  ay: f32 = 0,
  az: f32 = 0;
let bx: f32 = 0,
  by: f32 = 0,
  bz: f32 = 0;
let nx: f32 = 0,
  ny: f32 = 0,
  nz: f32 = 0;
let wx: f32 = 0,
  wy: f32 = 0,
  wz: f32 = 0;
let diskA: f32 = 0,
  diskB: f32 = 0;
const ONE: f32 = 1;
const MINUS_ONE: f32 = -1;

export function setFrame(x: f32, y: f32, z: f32): void {
  const sign: f32 = z < 0 ? MINUS_ONE : ONE;
  const a: f32 = MINUS_ONE / (sign + z),
    b = x * y * a;
  ax = ONE + sign * x * x * a;
  ay = sign * b;
  az = -sign * x;
  bx = b;
  by = sign + y * y * a;
  bz = -y;
  nx = x;
  ny = y;
  nz = z;
}

/** The frame about a normal whose first axis follows a tangent. */
export function setFrameAlong(x: f32, y: f32, z: f32, tx: f32, ty: f32, tz: f32): void {
  const along = tx * x + ty * y + tz * z;
  let ux = tx - along * x,
    uy = ty - along * y,
    uz = tz - along * z;
  const s = ONE / sqrt<f32>(max<f32>(1e-20, ux * ux + uy * uy + uz * uz));
  ux *= s;
  uy *= s;
  uz *= s;
  ax = ux;
  ay = uy;
  az = uz;
  bx = y * uz - z * uy;
  by = z * ux - x * uz;
  bz = x * uy - y * ux;
  nx = x;
  ny = y;
  nz = z;
}

/** Turns a local direction (z along the normal) into the world: `worldX` to `worldZ`. */
export function toWorld(x: f32, y: f32, z: f32): void {
  wx = x * ax + y * bx + z * nx;
  wy = x * ay + y * by + z * ny;
  wz = x * az + y * bz + z * nz;
}
export function worldX(): f32 {
  return wx;
}
export function worldY(): f32 {
  return wy;
}
export function worldZ(): f32 {
  return wz;
}
export function localX(x: f32, y: f32, z: f32): f32 {
  return x * ax + y * ay + z * az;
}
export function localY(x: f32, y: f32, z: f32): f32 {
  return x * bx + y * by + z * bz;
}
export function localZ(x: f32, y: f32, z: f32): f32 {
  return x * nx + y * ny + z * nz;
}

// @ts-ignore: decorator
@inline
function sine(x: f32): f32 {
  const s = x * x;
  return (
    x *
    (ONE + s * (<f32>-0.166666667 + s * (<f32>0.00833333333 + s * (<f32>-0.000198412698 + s * <f32>0.00000275573192))))
  );
}
// @ts-ignore: decorator
@inline
function cosine(x: f32): f32 {
  const s = x * x;
  return (
    ONE +
    s *
      (<f32>-0.5 +
        s * (<f32>0.0416666667 + s * (<f32>-0.00138888889 + s * (<f32>0.0000248015873 - s * <f32>2.75573192e-7))))
  );
}

/** Point of the unit disc from a point of the unit square, areas kept. */
export function toDisk(u: f32, v: f32): void {
  const a = u * 2 - 1,
    b = v * 2 - 1;
  if (a == 0 && b == 0) {
    diskA = 0;
    diskB = 0;
    return;
  }
  // Whichever is larger is as good as random: chosen without a branch.
  const wide = abs<f32>(a) > abs<f32>(b),
    radius = select<f32>(a, b, wide),
    angle = <f32>0.7853981633974483 * (select<f32>(b, a, wide) / radius),
    along = radius * cosine(angle),
    across = radius * sine(angle);
  diskA = select<f32>(along, across, wide);
  diskB = select<f32>(across, along, wide);
}
export function diskX(): f32 {
  return diskA;
}
export function diskY(): f32 {
  return diskB;
}

/** Draws a cosine-weighted world direction about the frame's normal; returns its cosine. */
export function drawCosine(): f32 {
  draw();
  toDisk(draw1(), draw2());
  const z = sqrt<f32>(max<f32>(0, ONE - diskA * diskA - diskB * diskB));
  toWorld(diskA, diskB, z);
  return z;
}
