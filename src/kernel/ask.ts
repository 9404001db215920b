// Hits that must be asked whether they stop a ray: cut-out materials, and materials that light goes through.
import { paramU } from "./params";
import { coin } from "./sampler";
import { sampleTexture, texelA, texelB, texelG, texelR } from "./images";
import {
  MATERIAL_ABSORPTION,
  MATERIAL_BASE,
  MATERIAL_BASE_TEXTURE,
  MATERIAL_BLEND,
  MATERIAL_BYTES,
  MATERIAL_CUTOFF,
  MATERIAL_FLAGS,
  MATERIAL_INDEX,
  MATERIAL_MASK,
  MATERIAL_METALLIC,
  MATERIAL_THIN,
  MATERIAL_TRANSMISSION,
  MATERIAL_TRANSMITS,
  PARAM_MATERIALS,
  PARAM_PARTS,
  PARAM_POSITIONS,
  PARAM_TRIANGLES,
  PARAM_UVS,
  PART_BYTES,
  PART_FLAGS,
  PART_IS_SET,
  PART_MATERIAL,
  SET_ALL,
  SLOT_MATRIX,
  TRIANGLE_BYTES,
} from "./layout";

const ONE: f32 = 1;

/** Which kind of ray is being traced through the set: SET_* of the surfaces that stop it. */
let setKind: u32 = SET_ALL;
export function askSet(kind: u32): void {
  setKind = kind;
}

/** True if a part belongs to the set and does not stop rays of the kind asked for. */
// @ts-ignore: decorator
@inline
function passesSet(triangle: u32): bool {
  const flags = load<u32>(paramU(PARAM_PARTS) + load<u32>(triangle, 12) * PART_BYTES, PART_FLAGS);
  return (flags & PART_IS_SET) != 0 && !(flags & setKind);
}
// @ts-ignore: decorator
@inline
function isSet(triangle: u32): bool {
  return (load<u32>(paramU(PARAM_PARTS) + load<u32>(triangle, 12) * PART_BYTES, PART_FLAGS) & PART_IS_SET) != 0;
}

let through = false;
let factorR: f32 = 1,
  factorG: f32 = 1,
  factorB: f32 = 1;
let depthR: f32 = 0,
  depthG: f32 = 0,
  depthB: f32 = 0;

/** Starts a shadow ray that has met nothing yet. */
export function clearThrough(): void {
  through = false;
  factorR = 1;
  factorG = 1;
  factorB = 1;
  depthR = 0;
  depthG = 0;
  depthB = 0;
}
/** True if the shadow ray went through anything. */
export function wentThrough(): bool {
  return through;
}

/**
 * Share of the light that a shadow ray brings through what it met: the surfaces' tints and reflection losses, and Beer
 * and Lambert's law for the way inside. The ray goes straight on; refraction is left to the paths.
 */
export function throughR(): f32 {
  return depthR > 0 ? factorR * Mathf.exp(-depthR) : factorR;
}
export function throughG(): f32 {
  return depthG > 0 ? factorG * Mathf.exp(-depthG) : factorG;
}
export function throughB(): f32 {
  return depthB > 0 ? factorB * Mathf.exp(-depthB) : factorB;
}

let texU: f32 = 0,
  texV: f32 = 0;

/** Takes texture coordinates of a triangle at barycentrics through a slot's matrix: `texU`, `texV`. */
function coordinates(triangle: u32, slot: u32, u: f32, v: f32): void {
  const uvs = paramU(PARAM_UVS),
    w = ONE - u - v;
  const a = uvs + load<u32>(triangle) * 8,
    b = uvs + load<u32>(triangle, 4) * 8,
    c = uvs + load<u32>(triangle, 8) * 8;
  const s = w * load<f32>(a) + u * load<f32>(b) + v * load<f32>(c),
    t = w * load<f32>(a, 4) + u * load<f32>(b, 4) + v * load<f32>(c, 4);
  const m = slot + SLOT_MATRIX;
  texU = load<f32>(m) * s + load<f32>(m, 4) * t + load<f32>(m, 8);
  texV = load<f32>(m, 12) * s + load<f32>(m, 16) * t + load<f32>(m, 20);
}

// @ts-ignore: decorator
@inline
function materialOf(triangle: u32): u32 {
  const part = paramU(PARAM_PARTS) + load<u32>(triangle, 12) * PART_BYTES;
  return paramU(PARAM_MATERIALS) + load<u32>(part, PART_MATERIAL) * MATERIAL_BYTES;
}

/** Coverage there: 1 or 0 by the cut-off, or by a coin of the sample's where the material blends. */
function covers(triangle: u32, material: u32, id: u32, u: f32, v: f32): bool {
  const flags = load<u32>(material, MATERIAL_FLAGS);
  if (!(flags & (MATERIAL_MASK | MATERIAL_BLEND))) return true;
  let coverage = load<f32>(material, MATERIAL_BASE + 12);
  const slot = material + MATERIAL_BASE_TEXTURE,
    texture = load<u32>(slot);
  if (texture) {
    coordinates(triangle, slot, u, v);
    sampleTexture(texture - 1, texU, texV, true, 0);
    coverage *= texelA();
  }
  if (flags & MATERIAL_MASK) return coverage >= load<f32>(material, MATERIAL_CUTOFF);
  return coin(id) < coverage;
}

/** True if the triangle stops a ray that looks for the nearest hit. `marked` carries ASK_BIT. */
export function stopsNearest(marked: i32, u: f32, v: f32): bool {
  const id = (<u32>marked) & 0x7fffffff,
    triangle = paramU(PARAM_TRIANGLES) + id * TRIANGLE_BYTES;
  if (isSet(triangle)) return !passesSet(triangle);
  return covers(triangle, materialOf(triangle), id, u, v);
}

/** Reflectance of an unpolarised ray at cosine `c` on an interface of relative index `n` (Fresnel's equations). */
export function fresnel(c: f32, n: f32): f32 {
  const g2 = n * n - ONE + c * c;
  if (g2 <= 0) return 1;
  const g = sqrt<f32>(g2),
    a = (g - c) / (g + c),
    b = (c * (g + c) - ONE) / (c * (g - c) + ONE);
  return <f32>0.5 * a * a * (ONE + b * b);
}

/** Share of light that gets through a pane whose faces reflect `f` and that leaves `tint` of it on one way, with all that runs to and fro within (Stokes 1862). */
// @ts-ignore: decorator
@inline
export function panePass(f: f32, tint: f32): f32 {
  const once = f * tint;
  return ((ONE - f) * (ONE - f) * tint) / max<f32>(1e-6, ONE - once * once);
}

/** Share that comes back from such a pane beyond what its first face reflects. */
// @ts-ignore: decorator
@inline
export function paneReturn(f: f32, tint: f32): f32 {
  return f * tint * panePass(f, tint);
}

/** True if a shadow ray goes on behind the triangle; what it loses there is noted. The direction is the model's own. */
export function letsThrough(marked: u32, t: f32, u: f32, v: f32, dx: f32, dy: f32, dz: f32): bool {
  const id = marked & 0x7fffffff,
    triangle = paramU(PARAM_TRIANGLES) + id * TRIANGLE_BYTES,
    material = materialOf(triangle);
  if (isSet(triangle)) return passesSet(triangle);
  if (!covers(triangle, material, id, u, v)) return true;
  const flags = load<u32>(material, MATERIAL_FLAGS);
  if (!(flags & MATERIAL_TRANSMITS)) return false;
  through = true;
  const positions = paramU(PARAM_POSITIONS);
  const a = positions + load<u32>(triangle) * 12,
    b = positions + load<u32>(triangle, 4) * 12,
    c = positions + load<u32>(triangle, 8) * 12;
  const x = load<f32>(a),
    y = load<f32>(a, 4),
    z = load<f32>(a, 8);
  const e1x = load<f32>(b) - x,
    e1y = load<f32>(b, 4) - y,
    e1z = load<f32>(b, 8) - z,
    e2x = load<f32>(c) - x,
    e2y = load<f32>(c, 4) - y,
    e2z = load<f32>(c, 8) - z;
  const nx = e1y * e2z - e1z * e2y,
    ny = e1z * e2x - e1x * e2z,
    nz = e1x * e2y - e1y * e2x;
  const along = nx * dx + ny * dy + nz * dz;
  const cosine =
    abs<f32>(along) / sqrt<f32>(max<f32>(1e-30, (nx * nx + ny * ny + nz * nz) * (dx * dx + dy * dy + dz * dz)));
  const index = load<f32>(material, MATERIAL_INDEX),
    thin = (flags & MATERIAL_THIN) != 0;
  // A straight ray leaves at the angle at which it came in: the loss is the same at both faces.
  let pass = load<f32>(material, MATERIAL_TRANSMISSION) * (ONE - load<f32>(material, MATERIAL_METALLIC));
  const f = fresnel(min<f32>(1, cosine), index);
  let r = load<f32>(material, MATERIAL_BASE),
    g = load<f32>(material, MATERIAL_BASE + 4),
    bl = load<f32>(material, MATERIAL_BASE + 8);
  const slot = material + MATERIAL_BASE_TEXTURE,
    texture = load<u32>(slot);
  if (texture) {
    coordinates(triangle, slot, u, v);
    sampleTexture(texture - 1, texU, texV, true, 0);
    r *= texelR();
    g *= texelG();
    bl *= texelB();
  }
  factorR *= pass * (thin ? panePass(f, r) : (ONE - f) * r);
  factorG *= pass * (thin ? panePass(f, g) : (ONE - f) * g);
  factorB *= pass * (thin ? panePass(f, bl) : (ONE - f) * bl);
  if (thin) return true;
  // Distances to where the ray comes out count, those to where it went in count off: the order of hits is all one.
  const way = along > 0 ? t : -t;
  depthR += way * load<f32>(material, MATERIAL_ABSORPTION);
  depthG += way * load<f32>(material, MATERIAL_ABSORPTION + 4);
  depthB += way * load<f32>(material, MATERIAL_ABSORPTION + 8);
  return true;
}
