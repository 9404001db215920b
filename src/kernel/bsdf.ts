// glTF 2.0 metallic-roughness (specification, appendix B): Lambert under a GGX coat, or GGX metal.
// Masking and shadowing: height-correlated Smith (Heitz 2014, JCGT 3(2)). Half vectors are drawn from the visible
// normals (Heitz 2018, JCGT 7(4)). Directions are local to the frame of the shading normal.
import { alpha, baseB, baseG, baseR, f0, metallic } from "./surface";
import { diskX, diskY, toDisk } from "./frame";

const ONE: f32 = 1;
const INV_PI: f32 = 0.3183098861837907;

export let fR: f32 = 0, fG: f32 = 0, fB: f32 = 0; // BSDF times cosine
export let pdf: f32 = 0;
export let outX: f32 = 0, outY: f32 = 0, outZ: f32 = 0;

let f0R: f32 = 0, f0G: f32 = 0, f0B: f32 = 0;
let diffuse: f32 = 1;
let coatShare: f32 = 0.5;

// @ts-ignore: decorator
@inline
function schlick(x: f32, cosine: f32): f32 {
  const m = max<f32>(0, ONE - cosine), m2 = m * m;
  return x + (ONE - x) * m2 * m2 * m;
}

/** Smith's auxiliary function of a direction with cosine `c` to the normal. */
// @ts-ignore: decorator
@inline
function lambda(c: f32): f32 {
  const c2 = c * c;
  return (sqrt<f32>(ONE + alpha * alpha * max<f32>(0, ONE - c2) / max<f32>(c2, 1e-12)) - ONE) * <f32>0.5;
}

/** Prepares the material loaded last for a viewer at cosine `viewZ`. */
export function prepareBsdf(viewZ: f32): void {
  f0R = f0 + (baseR - f0) * metallic;
  f0G = f0 + (baseG - f0) * metallic;
  f0B = f0 + (baseB - f0) * metallic;
  diffuse = ONE - metallic;
  const coat = schlick(max<f32>(f0R, max<f32>(f0G, f0B)), viewZ);
  const body = diffuse * max<f32>(baseR, max<f32>(baseG, baseB)) * (ONE - schlick(f0, viewZ));
  coatShare = coat / max<f32>(coat + body, 1e-6);
  if (body > 0) coatShare = min<f32>(<f32>0.9, max<f32>(<f32>0.1, coatShare));
  else coatShare = 1;
}

/** Value times cosine, and density, for view (vx, vy, vz) and light (lx, ly, lz). */
export function evaluateBsdf(vx: f32, vy: f32, vz: f32, lx: f32, ly: f32, lz: f32): void {
  fR = 0;
  fG = 0;
  fB = 0;
  pdf = 0;
  if (vz <= 0 || lz <= 0) return;
  let hx = vx + lx, hy = vy + ly, hz = vz + lz;
  const s = <f32>1.0 / sqrt<f32>(max<f32>(hx * hx + hy * hy + hz * hz, 1e-20));
  hx *= s;
  hy *= s;
  hz *= s;
  const vh = max<f32>(0, vx * hx + vy * hy + vz * hz);
  const a2 = alpha * alpha, d = hx * hx + hy * hy + a2 * hz * hz;
  const distribution = a2 * INV_PI / (d * d);
  const lv = lambda(vz), ll = lambda(lz);
  const specular = distribution / ((ONE + lv + ll) * 4 * vz);
  const coatR = schlick(f0R, vh), coatG = schlick(f0G, vh), coatB = schlick(f0B, vh);
  const body = diffuse * (ONE - schlick(f0, vh)) * lz * INV_PI;
  fR = coatR * specular + body * baseR;
  fG = coatG * specular + body * baseG;
  fB = coatB * specular + body * baseB;
  pdf = coatShare * distribution / ((ONE + lv) * 4 * vz) + (ONE - coatShare) * lz * INV_PI;
}

/** Draws a light direction (`outX` to `outZ`) from a number for the lobe and a point of the square; false if absorbed. */
export function sampleBsdf(vx: f32, vy: f32, vz: f32, lobe: f32, u: f32, v: f32): bool {
  if (lobe < coatShare) {
    let sx = alpha * vx, sy = alpha * vy, sz = vz;
    let s = <f32>1.0 / sqrt<f32>(sx * sx + sy * sy + sz * sz);
    sx *= s;
    sy *= s;
    sz *= s;
    const flat = sx * sx + sy * sy;
    const inverse: f32 = flat > 0 ? ONE / sqrt<f32>(flat) : 0;
    const ax: f32 = flat > 0 ? -sy * inverse : 1, ay: f32 = flat > 0 ? sx * inverse : 0;
    const bx = -sz * ay, by = sz * ax, bz = sx * ay - sy * ax;
    toDisk(u, v);
    const p = diskX();
    const half = <f32>0.5 * (ONE + sz);
    const q = (ONE - half) * sqrt<f32>(max<f32>(0, ONE - p * p)) + half * diskY();
    const r = sqrt<f32>(max<f32>(0, ONE - p * p - q * q));
    let hx = alpha * (p * ax + q * bx + r * sx), hy = alpha * (p * ay + q * by + r * sy), hz = max<f32>(0, q * bz + r * sz);
    s = <f32>1.0 / sqrt<f32>(max<f32>(hx * hx + hy * hy + hz * hz, 1e-20));
    hx *= s;
    hy *= s;
    hz *= s;
    const twice = <f32>2 * (vx * hx + vy * hy + vz * hz);
    outX = twice * hx - vx;
    outY = twice * hy - vy;
    outZ = twice * hz - vz;
  } else {
    toDisk(u, v);
    outX = diskX();
    outY = diskY();
    outZ = sqrt<f32>(max<f32>(0, ONE - outX * outX - outY * outY));
  }
  return outZ > 0;
}
