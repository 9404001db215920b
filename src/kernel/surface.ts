// What a ray met: position, normals, texture coordinates and the material there.
import { paramF, paramU } from "./params";
import { sampleTexture, texelA, texelB, texelG, texelR } from "./images";
import {
  MATERIAL_BASE, MATERIAL_BASE_TEXTURE, MATERIAL_BYTES, MATERIAL_EMISSIVE, MATERIAL_EMISSIVE_TEXTURE, MATERIAL_F0, MATERIAL_FLAGS, MATERIAL_METALLIC,
  MATERIAL_NORMAL_SCALE, MATERIAL_NORMAL_TEXTURE, MATERIAL_ROUGHNESS, MATERIAL_SURFACE_TEXTURE, OBJECT_BYTES, OBJECT_MATERIAL, PARAM_MATERIALS,
  PARAM_NORMALS, PARAM_OBJECTS, PARAM_POSITIONS, PARAM_TRIANGLES, PARAM_UVS, TRIANGLE_BYTES,
} from "./layout";

export let px: f32 = 0, py: f32 = 0, pz: f32 = 0;
export let gx: f32 = 0, gy: f32 = 0, gz: f32 = 0; // geometric normal, towards the viewer
export let nx: f32 = 0, ny: f32 = 0, nz: f32 = 0; // shading normal, on the viewer's side
export let offset: f32 = 0; // distance by which rays leave the surface
export let object: u32 = 0;
export let baseR: f32 = 0, baseG: f32 = 0, baseB: f32 = 0, coverage: f32 = 1;
export let emitR: f32 = 0, emitG: f32 = 0, emitB: f32 = 0;
export let metallic: f32 = 0, alpha: f32 = 1, f0: f32 = 0.04;
export let flags: u32 = 0;

const ONE: f32 = 1;

// @ts-ignore: decorator
@inline
function normalizeShading(): void {
  const s = <f32>1.0 / sqrt<f32>(max<f32>(nx * nx + ny * ny + nz * nz, 1e-20));
  nx *= s;
  ny *= s;
  nz *= s;
}

/** Loads geometry and material of triangle `id` (of the whole scene) at barycentrics (u, v) for a ray going (dx, dy, dz). */
export function loadSurface(id: u32, u: f32, v: f32, dx: f32, dy: f32, dz: f32): void {
  const triangle = paramU(PARAM_TRIANGLES) + id * TRIANGLE_BYTES;
  const i0 = load<u32>(triangle), i1 = load<u32>(triangle, 4), i2 = load<u32>(triangle, 8);
  object = paramU(PARAM_OBJECTS) + load<u32>(triangle, 12) * OBJECT_BYTES;
  const positions = paramU(PARAM_POSITIONS);
  const a = positions + i0 * 12, b = positions + i1 * 12, c = positions + i2 * 12;
  const x0 = load<f32>(a), y0 = load<f32>(a, 4), z0 = load<f32>(a, 8);
  const e1x = load<f32>(b) - x0, e1y = load<f32>(b, 4) - y0, e1z = load<f32>(b, 8) - z0;
  const e2x = load<f32>(c) - x0, e2y = load<f32>(c, 4) - y0, e2z = load<f32>(c, 8) - z0;
  px = x0 + u * e1x + v * e2x;
  py = y0 + u * e1y + v * e2y;
  pz = z0 + u * e1z + v * e2z;
  offset = <f32>5e-5 + <f32>1e-5 * (abs<f32>(px) + abs<f32>(py) + abs<f32>(pz));
  gx = e1y * e2z - e1z * e2y;
  gy = e1z * e2x - e1x * e2z;
  gz = e1x * e2y - e1y * e2x;
  let s = <f32>1.0 / sqrt<f32>(max<f32>(gx * gx + gy * gy + gz * gz, 1e-30));
  if (gx * dx + gy * dy + gz * dz > 0) s = -s;
  gx *= s;
  gy *= s;
  gz *= s;
  const w = ONE - u - v, normals = paramU(PARAM_NORMALS);
  const na = normals + i0 * 12, nb = normals + i1 * 12, nc = normals + i2 * 12;
  nx = w * load<f32>(na) + u * load<f32>(nb) + v * load<f32>(nc);
  ny = w * load<f32>(na, 4) + u * load<f32>(nb, 4) + v * load<f32>(nc, 4);
  nz = w * load<f32>(na, 8) + u * load<f32>(nb, 8) + v * load<f32>(nc, 8);
  normalizeShading();
  if (nx * gx + ny * gy + nz * gz < 0) {
    nx = -nx;
    ny = -ny;
    nz = -nz;
  }
  const material = paramU(PARAM_MATERIALS) + load<u32>(object, OBJECT_MATERIAL) * MATERIAL_BYTES;
  flags = load<u32>(material, MATERIAL_FLAGS);
  baseR = load<f32>(material, MATERIAL_BASE);
  baseG = load<f32>(material, MATERIAL_BASE + 4);
  baseB = load<f32>(material, MATERIAL_BASE + 8);
  coverage = load<f32>(material, MATERIAL_BASE + 12);
  emitR = load<f32>(material, MATERIAL_EMISSIVE);
  emitG = load<f32>(material, MATERIAL_EMISSIVE + 4);
  emitB = load<f32>(material, MATERIAL_EMISSIVE + 8);
  metallic = load<f32>(material, MATERIAL_METALLIC);
  f0 = load<f32>(material, MATERIAL_F0);
  let roughness = load<f32>(material, MATERIAL_ROUGHNESS);
  const baseTexture = load<u32>(material, MATERIAL_BASE_TEXTURE), surfaceTexture = load<u32>(material, MATERIAL_SURFACE_TEXTURE);
  const normalTexture = load<u32>(material, MATERIAL_NORMAL_TEXTURE), emissiveTexture = load<u32>(material, MATERIAL_EMISSIVE_TEXTURE);
  if (baseTexture | surfaceTexture | normalTexture | emissiveTexture) {
    const uvs = paramU(PARAM_UVS), ua = uvs + i0 * 8, ub = uvs + i1 * 8, uc = uvs + i2 * 8;
    const s0 = load<f32>(ua), t0 = load<f32>(ua, 4);
    const s1 = load<f32>(ub) - s0, t1 = load<f32>(ub, 4) - t0, s2 = load<f32>(uc) - s0, t2 = load<f32>(uc, 4) - t0;
    const tu = s0 + u * s1 + v * s2, tv = t0 + u * t1 + v * t2;
    if (baseTexture) {
      sampleTexture(baseTexture - 1, tu, tv, true);
      baseR *= texelR();
      baseG *= texelG();
      baseB *= texelB();
      coverage *= texelA();
    }
    if (surfaceTexture) {
      sampleTexture(surfaceTexture - 1, tu, tv, false);
      roughness *= texelG();
      metallic *= texelB();
    }
    if (emissiveTexture) {
      sampleTexture(emissiveTexture - 1, tu, tv, true);
      emitR *= texelR();
      emitG *= texelG();
      emitB *= texelB();
    }
    if (normalTexture) {
      sampleTexture(normalTexture - 1, tu, tv, false);
      const scale = load<f32>(material, MATERIAL_NORMAL_SCALE);
      bendNormal((texelR() * 2 - 1) * scale, (texelG() * 2 - 1) * scale, texelB() * 2 - 1, e1x, e1y, e1z, e2x, e2y, e2z, s1, t1, s2, t2);
    }
  }
  alpha = max<f32>(roughness * roughness, 0.002);
}

/** Tilts the shading normal by a tangent-space normal; tangents follow the texture's directions on the triangle. */
function bendNormal(x: f32, y: f32, z: f32, e1x: f32, e1y: f32, e1z: f32, e2x: f32, e2y: f32, e2z: f32, s1: f32, t1: f32, s2: f32, t2: f32): void {
  const determinant = s1 * t2 - s2 * t1;
  if (abs<f32>(determinant) < 1e-12) return;
  const r = ONE / determinant;
  let tx = (e1x * t2 - e2x * t1) * r, ty = (e1y * t2 - e2y * t1) * r, tz = (e1z * t2 - e2z * t1) * r;
  const along = tx * nx + ty * ny + tz * nz;
  tx -= along * nx;
  ty -= along * ny;
  tz -= along * nz;
  const s = <f32>1.0 / sqrt<f32>(max<f32>(tx * tx + ty * ty + tz * tz, 1e-20));
  tx *= s;
  ty *= s;
  tz *= s;
  // glTF: green points up in the picture, against the direction of v.
  const side: f32 = determinant > 0 ? -1 : 1;
  const bx = (ny * tz - nz * ty) * side, by = (nz * tx - nx * tz) * side, bz = (nx * ty - ny * tx) * side;
  const mx = x * tx + y * bx + z * nx, my = x * ty + y * by + z * ny, mz = x * tz + y * bz + z * nz;
  if (mx * gx + my * gy + mz * gz <= 0.02) return;
  nx = mx;
  ny = my;
  nz = mz;
  normalizeShading();
}

/** Makes a Lambert surface of the given colour at a point of a horizontal floor. */
export function loadFloor(x: f32, y: f32, z: f32, r: f32, g: f32, b: f32): void {
  px = x;
  py = y;
  pz = z;
  offset = <f32>5e-5 + <f32>1e-5 * (abs<f32>(x) + abs<f32>(y) + abs<f32>(z));
  gx = 0;
  gy = 0;
  gz = 1;
  nx = 0;
  ny = 0;
  nz = 1;
  baseR = r;
  baseG = g;
  baseB = b;
}
