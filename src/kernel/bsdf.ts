// glTF 2.0 metallic-roughness (specification, appendix B) with its extensions for transmission, clear coat, sheen,
// specular and anisotropy. Lobes, from the outside in: coat, sheen, GGX reflection, and below it GGX refraction or Lambert.
// Masking and shadowing: height-correlated Smith (Heitz 2014, JCGT 3(2)). Half vectors are drawn from the visible
// normals (Heitz 2018, JCGT 7(4)). Refraction: Walter et al. 2007 (EGSR). Light lost between facets is given back by
// scaling the reflection with its directional albedo (Turquin 2019, "Practical multiple scattering compensation").
// Directions are local to the frame of the shading normal, which points to the viewer.
import { paramU } from "./params";
import { fresnel, panePass, paneReturn } from "./ask";
import * as surface from "./surface";
import { diskX, diskY, toDisk } from "./frame";
import {
  ALBEDO_CELLS,
  MATERIAL_THIN,
  MATERIAL_TRANSMITS,
  PARAM_ALBEDO_TABLE,
  PARAM_SHEEN_TABLE,
  SHEEN_CELLS,
} from "./layout";

const ONE: f32 = 1;
const INV_PI: f32 = 0.3183098861837907;
const COAT_F0: f32 = 0.04;

export let fR: f32 = 0,
  fG: f32 = 0,
  fB: f32 = 0; // BSDF times cosine
export let pdf: f32 = 0;
export let outX: f32 = 0,
  outY: f32 = 0,
  outZ: f32 = 0;

// Prepared for one viewer.
let alphaX: f32 = 1,
  alphaY: f32 = 1,
  coatAlpha: f32 = 1;
let metalR: f32 = 0,
  metalG: f32 = 0,
  metalB: f32 = 0; // colour of the metal's reflection at normal incidence
let tintR: f32 = 0,
  tintG: f32 = 0,
  tintB: f32 = 0; // of the dielectric's
let plainF0: f32 = 0.04;
let eta: f32 = 1.5; // index of the far side over that of the viewer's
let diffuse: f32 = 0,
  transmitting: f32 = 0;
let boostR: f32 = 1,
  boostG: f32 = 1,
  boostB: f32 = 1;
let coatKeep: f32 = 1,
  sheenKeep: f32 = 1;
let pCoat: f32 = 0,
  pReflect: f32 = 0,
  pRefract: f32 = 0,
  pDiffuse: f32 = 0;
let thin = false;
let anySheen = false;

// @ts-ignore: decorator
@inline
function fifth(cosine: f32): f32 {
  const m = max<f32>(0, ONE - cosine),
    m2 = m * m;
  return m2 * m2 * m;
}

// @ts-ignore: decorator
@inline
function schlick(x: f32, power: f32): f32 {
  return x + (ONE - x) * power;
}

/** Smith's auxiliary function of a direction. */
// @ts-ignore: decorator
@inline
function lambda(ax: f32, ay: f32, x: f32, y: f32, z: f32): f32 {
  const a = ax * x,
    b = ay * y;
  return (sqrt<f32>(ONE + (a * a + b * b) / max<f32>(z * z, 1e-12)) - ONE) * <f32>0.5;
}

// @ts-ignore: decorator
@inline
function distribution(ax: f32, ay: f32, hx: f32, hy: f32, hz: f32): f32 {
  const x = hx / ax,
    y = hy / ay,
    d = x * x + y * y + hz * hz;
  return INV_PI / (ax * ay * d * d);
}

/** A value of a square table over the cosine (across) and the roughness (down), both from 0 to 1. */
function lookUp(table: u32, cells: u32, cosine: f32, roughness: f32): f32 {
  const top = <f32>(cells - 1);
  const x = max<f32>(0, min<f32>(ONE, cosine)) * top,
    y = max<f32>(0, min<f32>(ONE, roughness)) * top;
  const ix = min<u32>(cells - 2, <u32>x),
    iy = min<u32>(cells - 2, <u32>y);
  const ax = x - <f32>ix,
    ay = y - <f32>iy;
  const a = table + ((iy * cells + ix) << 2),
    b = a + (cells << 2);
  return (
    (ONE - ay) * ((ONE - ax) * load<f32>(a) + ax * load<f32>(a, 4)) +
    ay * ((ONE - ax) * load<f32>(b) + ax * load<f32>(b, 4))
  );
}

/** Prepares the material loaded last for a viewer at cosine `viewZ`. */
export function prepareBsdf(viewZ: f32): void {
  const r2 = surface.roughness * surface.roughness,
    alpha = max<f32>(r2, 0.002);
  alphaX = alpha;
  alphaY = alpha;
  if (surface.anisotropy > 0) alphaX = alpha + (ONE - alpha) * surface.anisotropy * surface.anisotropy;
  coatAlpha = max<f32>(surface.coatRoughness * surface.coatRoughness, 0.002);
  thin = (surface.flags & MATERIAL_THIN) != 0;
  const n = surface.index,
    ratio = (n - ONE) / (n + ONE);
  plainF0 = ratio * ratio;
  eta = surface.front || thin ? n : ONE / n;
  const metal = surface.metallic;
  metalR = surface.baseR;
  metalG = surface.baseG;
  metalB = surface.baseB;
  tintR = surface.specular * surface.specularR;
  tintG = surface.specular * surface.specularG;
  tintB = surface.specular * surface.specularB;
  const transmission = surface.flags & MATERIAL_TRANSMITS ? surface.transmission : 0;
  transmitting = (ONE - metal) * transmission;
  diffuse = (ONE - metal) * (ONE - transmission);
  const lost = lookUp(
    paramU(PARAM_ALBEDO_TABLE),
    ALBEDO_CELLS,
    viewZ,
    alphaX == alphaY ? surface.roughness : sqrt<f32>(sqrt<f32>(alphaX * alphaY)),
  );
  const back = (ONE - lost) / max<f32>(lost, <f32>0.05);
  const f0R = plainF0 * tintR + (metalR - plainF0 * tintR) * metal,
    f0G = plainF0 * tintG + (metalG - plainF0 * tintG) * metal,
    f0B = plainF0 * tintB + (metalB - plainF0 * tintB) * metal;
  boostR = ONE + f0R * back;
  boostG = ONE + f0G * back;
  boostB = ONE + f0B * back;
  const glance = fifth(viewZ);
  coatKeep = ONE - surface.coat * schlick(COAT_F0, glance);
  sheenKeep = 1;
  const sheenTop = max<f32>(surface.sheenR, max<f32>(surface.sheenG, surface.sheenB));
  anySheen = sheenTop > 0;
  if (anySheen)
    sheenKeep = ONE - sheenTop * lookUp(paramU(PARAM_SHEEN_TABLE), SHEEN_CELLS, viewZ, surface.sheenRoughness);
  // Lobes are drawn by about what they reflect.
  const dielectric = fresnel(viewZ, eta);
  const faces: f32 = thin && transmitting > 0 ? 2 : 1;
  const reflected = max<f32>(
    0,
    metal * schlick(max<f32>(metalR, max<f32>(metalG, metalB)), glance) +
      (ONE - metal) * dielectric * faces * min<f32>(1, max<f32>(tintR, max<f32>(tintG, tintB))),
  );
  const body = max<f32>(metalR, max<f32>(metalG, metalB)) * (ONE - dielectric);
  pCoat = surface.coat * schlick(COAT_F0, glance);
  pReflect = coatKeep * reflected;
  pRefract = coatKeep * transmitting * max<f32>(body, <f32>0.05 * (ONE - dielectric));
  pDiffuse = coatKeep * (diffuse * body + (anySheen ? <f32>0.5 * sheenTop : 0));
  if (diffuse * body > 0 || anySheen) {
    // Neither lobe is left too rare to be found.
    const sum = pCoat + pReflect + pRefract + pDiffuse;
    pReflect = max<f32>(pReflect, <f32>0.1 * sum);
    pDiffuse = max<f32>(pDiffuse, <f32>0.1 * sum);
  }
  const s = ONE / max<f32>(pCoat + pReflect + pRefract + pDiffuse, 1e-9);
  pCoat *= s;
  pReflect *= s;
  pRefract *= s;
  pDiffuse *= s;
}

/** Share of light that a dielectric's interface reflects at cosine `c` to the half vector, channel by channel: with tint. */
// @ts-ignore: decorator
@inline
function tinted(f: f32, tint: f32): f32 {
  // Fresnel's curve, its value at normal incidence scaled by the tint, its value at grazing incidence by the weight.
  const rise = (f - plainF0) / (ONE - plainF0);
  const zero = min<f32>(1, plainF0 * tint);
  return zero + (surface.specular - zero) * max<f32>(0, rise);
}

/** Value times cosine, and density, for view (vx, vy, vz) and light (lx, ly, lz). */
export function evaluateBsdf(vx: f32, vy: f32, vz: f32, lx: f32, ly: f32, lz: f32): void {
  fR = 0;
  fG = 0;
  fB = 0;
  pdf = 0;
  if (vz <= 0 || lz == 0) return;
  if (lz < 0) {
    if (transmitting > 0) evaluateRefraction(vx, vy, vz, lx, ly, lz);
    return;
  }
  let hx = vx + lx,
    hy = vy + ly,
    hz = vz + lz;
  const s = ONE / sqrt<f32>(max<f32>(hx * hx + hy * hy + hz * hz, 1e-20));
  hx *= s;
  hy *= s;
  hz *= s;
  const vh = max<f32>(0, vx * hx + vy * hy + vz * hz);
  const lv = lambda(alphaX, alphaY, vx, vy, vz),
    ll = lambda(alphaX, alphaY, lx, ly, lz);
  const d = distribution(alphaX, alphaY, hx, hy, hz);
  const lobe = d / ((ONE + lv + ll) * 4 * vz);
  const power = fifth(vh),
    metal = surface.metallic,
    f = fresnel(vh, eta);
  let dr = tinted(f, tintR),
    dg = tinted(f, tintG),
    db = tinted(f, tintB);
  const keep = coatKeep * sheenKeep;
  const under = diffuse * (ONE - max<f32>(dr, max<f32>(dg, db))) * lz * INV_PI;
  if (thin && transmitting > 0) {
    const share = transmitting / max<f32>(1e-6, ONE - metal);
    dr += share * paneReturn(f, surface.baseR);
    dg += share * paneReturn(f, surface.baseG);
    db += share * paneReturn(f, surface.baseB);
  }
  fR = keep * (lobe * boostR * (metal * schlick(metalR, power) + (ONE - metal) * dr) + under * surface.baseR);
  fG = keep * (lobe * boostG * (metal * schlick(metalG, power) + (ONE - metal) * dg) + under * surface.baseG);
  fB = keep * (lobe * boostB * (metal * schlick(metalB, power) + (ONE - metal) * db) + under * surface.baseB);
  pdf = (pReflect * d) / ((ONE + lv) * 4 * vz) + pDiffuse * lz * INV_PI;
  if (surface.coat > 0) {
    const cv = lambda(coatAlpha, coatAlpha, vx, vy, vz),
      cl = lambda(coatAlpha, coatAlpha, lx, ly, lz);
    const cd = distribution(coatAlpha, coatAlpha, hx, hy, hz);
    const c = (surface.coat * schlick(COAT_F0, power) * cd) / ((ONE + cv + cl) * 4 * vz);
    fR += c;
    fG += c;
    fB += c;
    pdf += (pCoat * cd) / ((ONE + cv) * 4 * vz);
  }
  if (anySheen) {
    // Charlie (Estevez and Kulla 2017) with the visibility term of Neubelt and Pettineo 2013, as KHR_materials_sheen has it.
    const a = max<f32>(surface.sheenRoughness * surface.sheenRoughness, <f32>0.002);
    const sine = sqrt<f32>(max<f32>(0, ONE - hz * hz));
    const charlie = (<f32>2 + ONE / a) * Mathf.pow(sine, ONE / a) * <f32>0.5 * INV_PI;
    const c = (coatKeep * charlie * lz) / (4 * max<f32>(1e-5, lz + vz - lz * vz));
    fR += c * surface.sheenR;
    fG += c * surface.sheenG;
    fB += c * surface.sheenB;
  }
}

function evaluateRefraction(vx: f32, vy: f32, vz: f32, lx: f32, ly: f32, lz: f32): void {
  const keep = coatKeep * sheenKeep * transmitting;
  if (thin) {
    // A thin wall only spreads: the reflection lobe, mirrored to the other side.
    let hx = vx + lx,
      hy = vy + ly,
      hz = vz - lz;
    const s = ONE / sqrt<f32>(max<f32>(hx * hx + hy * hy + hz * hz, 1e-20));
    hx *= s;
    hy *= s;
    hz *= s;
    const vh = max<f32>(0, vx * hx + vy * hy + vz * hz),
      f = fresnel(vh, surface.index);
    const lv = lambda(alphaX, alphaY, vx, vy, vz),
      ll = lambda(alphaX, alphaY, lx, ly, lz),
      d = distribution(alphaX, alphaY, hx, hy, hz);
    const lobe = (keep * d) / ((ONE + lv + ll) * 4 * vz);
    fR = lobe * panePass(f, surface.baseR);
    fG = lobe * panePass(f, surface.baseG);
    fB = lobe * panePass(f, surface.baseB);
    pdf = (pRefract * d) / ((ONE + lv) * 4 * vz);
    return;
  }
  let hx = -(vx + eta * lx),
    hy = -(vy + eta * ly),
    hz = -(vz + eta * lz);
  let s = ONE / sqrt<f32>(max<f32>(hx * hx + hy * hy + hz * hz, 1e-20));
  if (hz < 0) s = -s;
  hx *= s;
  hy *= s;
  hz *= s;
  const vh = vx * hx + vy * hy + vz * hz,
    lh = lx * hx + ly * hy + lz * hz;
  if (vh <= 0 || lh >= 0) return;
  const f = fresnel(vh, eta);
  if (f >= ONE) return;
  const lv = lambda(alphaX, alphaY, vx, vy, vz),
    ll = lambda(alphaX, alphaY, lx, ly, lz),
    d = distribution(alphaX, alphaY, hx, hy, hz);
  const q = vh + eta * lh;
  // Density of the visible normals, turned into that of the refracted direction (Walter et al. 2007, equation 17).
  const density = (((d * vh) / ((ONE + lv) * vz)) * (-lh * eta * eta)) / max<f32>(q * q, 1e-12);
  const value = ((keep * (ONE - f) * (ONE + lv)) / (ONE + lv + ll)) * density;
  fR = value * surface.baseR;
  fG = value * surface.baseG;
  fB = value * surface.baseB;
  pdf = pRefract * density;
}

let hX: f32 = 0,
  hY: f32 = 0,
  hZ: f32 = 0;

/** Draws a half vector from the normals that the viewer sees. */
function drawNormal(ax: f32, ay: f32, vx: f32, vy: f32, vz: f32, u: f32, v: f32): void {
  let sx = ax * vx,
    sy = ay * vy,
    sz = vz;
  let s = ONE / sqrt<f32>(sx * sx + sy * sy + sz * sz);
  sx *= s;
  sy *= s;
  sz *= s;
  const flat = sx * sx + sy * sy;
  const inverse: f32 = flat > 0 ? ONE / sqrt<f32>(flat) : 0;
  const tx: f32 = flat > 0 ? -sy * inverse : 1,
    ty: f32 = flat > 0 ? sx * inverse : 0;
  const bx = -sz * ty,
    by = sz * tx,
    bz = sx * ty - sy * tx;
  toDisk(u, v);
  const p = diskX();
  const half = <f32>0.5 * (ONE + sz);
  const q = (ONE - half) * sqrt<f32>(max<f32>(0, ONE - p * p)) + half * diskY();
  const r = sqrt<f32>(max<f32>(0, ONE - p * p - q * q));
  hX = ax * (p * tx + q * bx + r * sx);
  hY = ay * (p * ty + q * by + r * sy);
  hZ = max<f32>(0, q * bz + r * sz);
  s = ONE / sqrt<f32>(max<f32>(hX * hX + hY * hY + hZ * hZ, 1e-20));
  hX *= s;
  hY *= s;
  hZ *= s;
}

function mirror(vx: f32, vy: f32, vz: f32): void {
  const twice = <f32>2 * (vx * hX + vy * hY + vz * hZ);
  outX = twice * hX - vx;
  outY = twice * hY - vy;
  outZ = twice * hZ - vz;
}

/**
 * Draws a light direction (`outX` to `outZ`; below the surface where it goes through) from a number for the lobe and a
 * point of the square; false if absorbed.
 */
export function sampleBsdf(vx: f32, vy: f32, vz: f32, lobe: f32, u: f32, v: f32): bool {
  if (lobe < pReflect) {
    drawNormal(alphaX, alphaY, vx, vy, vz, u, v);
    mirror(vx, vy, vz);
    return outZ > 0;
  }
  if (lobe < pReflect + pDiffuse) {
    toDisk(u, v);
    outX = diskX();
    outY = diskY();
    outZ = sqrt<f32>(max<f32>(0, ONE - outX * outX - outY * outY));
    return outZ > 0;
  }
  if (lobe < pReflect + pDiffuse + pRefract) {
    drawNormal(alphaX, alphaY, vx, vy, vz, u, v);
    if (thin) {
      mirror(vx, vy, vz);
      if (outZ <= 0) return false;
      outZ = -outZ;
      return true;
    }
    const c = vx * hX + vy * hY + vz * hZ,
      k = ONE / eta;
    const root = ONE - k * k * (ONE - c * c);
    // Total reflection belongs to the reflection's lobe.
    if (root <= 0) return false;
    const q = k * c - sqrt<f32>(root);
    outX = q * hX - k * vx;
    outY = q * hY - k * vy;
    outZ = q * hZ - k * vz;
    return outZ < 0;
  }
  drawNormal(coatAlpha, coatAlpha, vx, vy, vz, u, v);
  mirror(vx, vy, vz);
  return outZ > 0;
}
