// What a ray met: position, normals, texture coordinates and the material there.
import { dirtAt, grain, rustAt, scratchAt } from "./wear";
import { paramF, paramU } from "./params";
import { sampleTexture, texelA, texelB, texelG, texelR, textureScale } from "./images";
import { directionOut, holdInstance, normalOut, pointOut, pointX, pointY, pointZ } from "./motion";
import {
  INSTANCE_PROP,
  MATERIAL_ABSORPTION,
  MATERIAL_ANISOTROPY,
  MATERIAL_ANISOTROPY_TURN,
  MATERIAL_BASE,
  MATERIAL_BASE_TEXTURE,
  MATERIAL_BYTES,
  MATERIAL_COAT,
  MATERIAL_COAT_ROUGHNESS,
  MATERIAL_EMISSIVE,
  MATERIAL_EMISSIVE_TEXTURE,
  MATERIAL_FLAGS,
  MATERIAL_INDEX,
  MATERIAL_LAMP,
  MATERIAL_METALLIC,
  MATERIAL_NORMAL_SCALE,
  MATERIAL_NORMAL_TEXTURE,
  MATERIAL_NUMBER,
  MATERIAL_ROUGHNESS,
  MATERIAL_SHEEN,
  MATERIAL_SHEEN_ROUGHNESS,
  MATERIAL_SPECULAR,
  MATERIAL_SPECULAR_COLOUR,
  MATERIAL_SURFACE_TEXTURE,
  MATERIAL_TRANSMISSION,
  MATERIAL_WEAR,
  PARAM_MATERIALS,
  PARAM_NORMALS,
  PARAM_PARTS,
  PARAM_POSITIONS,
  PARAM_TANGENTS,
  PARAM_TRIANGLES,
  PARAM_COLOURS,
  PARAM_SRGB_TABLE,
  PARAM_UVS,
  PART_BYTES,
  PART_MATERIAL,
  SLOT_MATRIX,
  TRIANGLE_BYTES,
} from "./layout";

export let px: f32 = 0,
  py: f32 = 0,
  pz: f32 = 0;
export let gx: f32 = 0,
  gy: f32 = 0,
  gz: f32 = 0; // geometric normal, towards the viewer
export let sx: f32 = 0,
  sy: f32 = 0,
  sz: f32 = 0; // interpolated normal, on the viewer's side
export let nx: f32 = 0,
  ny: f32 = 0,
  nz: f32 = 0; // the same bent by the normal texture
export let tx: f32 = 1,
  ty: f32 = 0,
  tz: f32 = 0; // tangent, where the material has a grain
export let liftX: f32 = 0,
  liftY: f32 = 0,
  liftZ: f32 = 0; // from the point to the smooth surface that the facets stand for
export let offset: f32 = 0; // distance by which rays leave the surface
export let part: u32 = 0;
export let material: u32 = 0;
export let prop: u32 = 0;
export let front = true; // met from outside
export let baseR: f32 = 0,
  baseG: f32 = 0,
  baseB: f32 = 0;
export let emitR: f32 = 0,
  emitG: f32 = 0,
  emitB: f32 = 0;
export let metallic: f32 = 0,
  roughness: f32 = 1;
export let flags: u32 = 0;
export let index: f32 = 1.5,
  specular: f32 = 1,
  specularR: f32 = 1,
  specularG: f32 = 1,
  specularB: f32 = 1;
export let transmission: f32 = 0,
  coat: f32 = 0,
  coatRoughness: f32 = 0,
  sheenR: f32 = 0,
  sheenG: f32 = 0,
  sheenB: f32 = 0,
  sheenRoughness: f32 = 0;
export let anisotropy: f32 = 0;

const ONE: f32 = 1;

// Texture coordinates of the point, their derivatives along the triangle's edges, and the detail that a ray needs.
let texU: f32 = 0,
  texV: f32 = 0,
  s1: f32 = 0,
  t1: f32 = 0,
  s2: f32 = 0,
  t2: f32 = 0;
let footprint: f32 = -100;

// @ts-ignore: decorator
@inline
function normalizeShading(): void {
  const s = ONE / sqrt<f32>(max<f32>(nx * nx + ny * ny + nz * nz, 1e-20));
  nx *= s;
  ny *= s;
  nz *= s;
}

function takeCoordinates(triangle: u32, u: f32, v: f32): void {
  const uvs = paramU(PARAM_UVS),
    a = uvs + load<u32>(triangle) * 8,
    b = uvs + load<u32>(triangle, 4) * 8,
    c = uvs + load<u32>(triangle, 8) * 8;
  const s0 = load<f32>(a),
    t0 = load<f32>(a, 4);
  s1 = load<f32>(b) - s0;
  t1 = load<f32>(b, 4) - t0;
  s2 = load<f32>(c) - s0;
  t2 = load<f32>(c, 4) - t0;
  texU = s0 + u * s1 + v * s2;
  texV = t0 + u * t1 + v * t2;
}

/** Multiplies the base colour by the colours of a triangle's corners, mixed in linear light. */
function tintByCorners(a: u32, b: u32, c: u32, w: f32, u: f32, v: f32): void {
  const table = paramU(PARAM_SRGB_TABLE);
  baseR *= mixedByte(table, a, b, c, w, u, v);
  baseG *= mixedByte(table, a + 1, b + 1, c + 1, w, u, v);
  baseB *= mixedByte(table, a + 2, b + 2, c + 2, w, u, v);
}

// @ts-ignore: decorator
@inline
function mixedByte(table: u32, a: u32, b: u32, c: u32, w: f32, u: f32, v: f32): f32 {
  return (
    w * load<f32>(table + ((<u32>load<u8>(a)) << 2)) +
    u * load<f32>(table + ((<u32>load<u8>(b)) << 2)) +
    v * load<f32>(table + ((<u32>load<u8>(c)) << 2))
  );
}

/** Samples a texture slot at the coordinates taken. */
function sampleSlot(slot: u32, texture: u32, srgb: bool): void {
  const m = slot + SLOT_MATRIX;
  const a = load<f32>(m),
    b = load<f32>(m, 4),
    d = load<f32>(m, 12),
    e = load<f32>(m, 16);
  const u = a * texU + b * texV + load<f32>(m, 8),
    v = d * texU + e * texV + load<f32>(m, 20);
  let detail: f32 = 0;
  if (footprint > -50)
    detail = footprint + textureScale(texture - 1) + <f32>0.5 * Mathf.log2(max<f32>(1e-12, abs<f32>(a * e - b * d)));
  sampleTexture(texture - 1, u, v, srgb, detail);
}

/** Light that a triangle of an emissive material sends out at barycentrics: `emitR` to `emitB`, nothing else is loaded. */
export function loadEmission(id: u32, u: f32, v: f32): void {
  const triangle = paramU(PARAM_TRIANGLES) + id * TRIANGLE_BYTES;
  const m =
    paramU(PARAM_MATERIALS) +
    load<u32>(paramU(PARAM_PARTS) + load<u32>(triangle, 12) * PART_BYTES, PART_MATERIAL) * MATERIAL_BYTES;
  emitR = load<f32>(m, MATERIAL_EMISSIVE);
  emitG = load<f32>(m, MATERIAL_EMISSIVE + 4);
  emitB = load<f32>(m, MATERIAL_EMISSIVE + 8);
  const slot = m + MATERIAL_EMISSIVE_TEXTURE,
    texture = load<u32>(slot);
  if (!texture) return;
  takeCoordinates(triangle, u, v);
  footprint = -100;
  sampleSlot(slot, texture, true);
  emitR *= texelR();
  emitG *= texelG();
  emitB *= texelB();
}

/**
 * Loads geometry and material of triangle `id` at barycentrics (u, v), in the world for an instance (0 for the set), for
 * a ray going (dx, dy, dz) whose cone is `width` wide there.
 */
export function loadSurface(id: u32, u: f32, v: f32, instance: u32, dx: f32, dy: f32, dz: f32, width: f32): void {
  const triangle = paramU(PARAM_TRIANGLES) + id * TRIANGLE_BYTES;
  const i0 = load<u32>(triangle),
    i1 = load<u32>(triangle, 4),
    i2 = load<u32>(triangle, 8);
  part = paramU(PARAM_PARTS) + load<u32>(triangle, 12) * PART_BYTES;
  const positions = paramU(PARAM_POSITIONS);
  const a = positions + i0 * 12,
    b = positions + i1 * 12,
    c = positions + i2 * 12;
  const x0 = load<f32>(a),
    y0 = load<f32>(a, 4),
    z0 = load<f32>(a, 8);
  let e1x = load<f32>(b) - x0,
    e1y = load<f32>(b, 4) - y0,
    e1z = load<f32>(b, 8) - z0;
  let e2x = load<f32>(c) - x0,
    e2y = load<f32>(c, 4) - y0,
    e2z = load<f32>(c, 8) - z0;
  px = x0 + u * e1x + v * e2x;
  py = y0 + u * e1y + v * e2y;
  pz = z0 + u * e1z + v * e2z;
  const w = ONE - u - v,
    normals = paramU(PARAM_NORMALS);
  const na = normals + i0 * 12,
    nb = normals + i1 * 12,
    nc = normals + i2 * 12;
  const ax = load<f32>(na),
    ay = load<f32>(na, 4),
    az = load<f32>(na, 8),
    bx = load<f32>(nb),
    by = load<f32>(nb, 4),
    bz = load<f32>(nb, 8);
  const cx = load<f32>(nc),
    cy = load<f32>(nc, 4),
    cz = load<f32>(nc, 8);
  sx = w * ax + u * bx + v * cx;
  sy = w * ay + u * by + v * cy;
  sz = w * az + u * bz + v * cz;
  gx = e1y * e2z - e1z * e2y;
  gy = e1z * e2x - e1x * e2z;
  gz = e1x * e2y - e1y * e2x;
  // Shadow terminator: the point on the surface that the vertex normals stand for (Hanika 2021, Ray Tracing Gems II, chapter 4).
  const da = (px - x0) * ax + (py - y0) * ay + (pz - z0) * az;
  const db = (px - x0 - e1x) * bx + (py - y0 - e1y) * by + (pz - z0 - e1z) * bz;
  const dc = (px - x0 - e2x) * cx + (py - y0 - e2y) * cy + (pz - z0 - e2z) * cz;
  const ka = w * min<f32>(0, da),
    kb = u * min<f32>(0, db),
    kc = v * min<f32>(0, dc);
  liftX = -ka * ax - kb * bx - kc * cx;
  liftY = -ka * ay - kb * by - kc * cy;
  liftZ = -ka * az - kb * bz - kc * cz;
  // Where it is in the model's own coordinates, and what way it faces there.
  const mx = px,
    my = py,
    mz = pz,
    mgx = gx,
    mgy = gy,
    mgz = gz;
  prop = 0;
  if (instance) {
    prop = load<u32>(instance, INSTANCE_PROP);
    holdInstance(instance);
    pointOut(px, py, pz);
    px = pointX;
    py = pointY;
    pz = pointZ;
    directionOut(e1x, e1y, e1z);
    e1x = pointX;
    e1y = pointY;
    e1z = pointZ;
    directionOut(e2x, e2y, e2z);
    e2x = pointX;
    e2y = pointY;
    e2z = pointZ;
    directionOut(liftX, liftY, liftZ);
    liftX = pointX;
    liftY = pointY;
    liftZ = pointZ;
    normalOut(gx, gy, gz);
    gx = pointX;
    gy = pointY;
    gz = pointZ;
    normalOut(sx, sy, sz);
    sx = pointX;
    sy = pointY;
    sz = pointZ;
  }
  offset = <f32>5e-5 + <f32>1e-5 * (abs<f32>(px) + abs<f32>(py) + abs<f32>(pz));
  let s = ONE / sqrt<f32>(max<f32>(gx * gx + gy * gy + gz * gz, 1e-30));
  front = gx * dx + gy * dy + gz * dz <= 0;
  if (!front) {
    s = -s;
    // Seen from inside, the bulge lies the other way.
    liftX = 0;
    liftY = 0;
    liftZ = 0;
  }
  gx *= s;
  gy *= s;
  gz *= s;
  s = ONE / sqrt<f32>(max<f32>(sx * sx + sy * sy + sz * sz, 1e-20));
  if (sx * gx + sy * gy + sz * gz < 0) s = -s;
  sx *= s;
  sy *= s;
  sz *= s;
  nx = sx;
  ny = sy;
  nz = sz;
  material = paramU(PARAM_MATERIALS) + load<u32>(part, PART_MATERIAL) * MATERIAL_BYTES;
  const m = material;
  flags = load<u32>(m, MATERIAL_FLAGS);
  baseR = load<f32>(m, MATERIAL_BASE);
  baseG = load<f32>(m, MATERIAL_BASE + 4);
  baseB = load<f32>(m, MATERIAL_BASE + 8);
  const colours = paramU(PARAM_COLOURS);
  if (colours && instance) tintByCorners(colours + i0 * 4, colours + i1 * 4, colours + i2 * 4, w, u, v);
  emitR = load<f32>(m, MATERIAL_EMISSIVE);
  emitG = load<f32>(m, MATERIAL_EMISSIVE + 4);
  emitB = load<f32>(m, MATERIAL_EMISSIVE + 8);
  metallic = load<f32>(m, MATERIAL_METALLIC);
  roughness = load<f32>(m, MATERIAL_ROUGHNESS);
  index = load<f32>(m, MATERIAL_INDEX);
  specular = load<f32>(m, MATERIAL_SPECULAR);
  specularR = load<f32>(m, MATERIAL_SPECULAR_COLOUR);
  specularG = load<f32>(m, MATERIAL_SPECULAR_COLOUR + 4);
  specularB = load<f32>(m, MATERIAL_SPECULAR_COLOUR + 8);
  transmission = load<f32>(m, MATERIAL_TRANSMISSION);
  coat = load<f32>(m, MATERIAL_COAT);
  coatRoughness = load<f32>(m, MATERIAL_COAT_ROUGHNESS);
  sheenR = load<f32>(m, MATERIAL_SHEEN);
  sheenG = load<f32>(m, MATERIAL_SHEEN + 4);
  sheenB = load<f32>(m, MATERIAL_SHEEN + 8);
  sheenRoughness = load<f32>(m, MATERIAL_SHEEN_ROUGHNESS);
  anisotropy = load<f32>(m, MATERIAL_ANISOTROPY);
  const baseTexture = load<u32>(m, MATERIAL_BASE_TEXTURE),
    surfaceTexture = load<u32>(m, MATERIAL_SURFACE_TEXTURE);
  const normalTexture = load<u32>(m, MATERIAL_NORMAL_TEXTURE),
    emissiveTexture = load<u32>(m, MATERIAL_EMISSIVE_TEXTURE);
  if (baseTexture | surfaceTexture | normalTexture | emissiveTexture || anisotropy > 0) {
    takeCoordinates(triangle, u, v);
    // Ray cones (Akenine-Moller et al. 2021, JCGT 10(1)); the footprint's two axes differ by the cosine, taken half way.
    const crossX = e1y * e2z - e1z * e2y,
      crossY = e1z * e2x - e1x * e2z,
      crossZ = e1x * e2y - e1y * e2x;
    const world2 = crossX * crossX + crossY * crossY + crossZ * crossZ,
      picture = abs<f32>(s1 * t2 - s2 * t1);
    footprint = -100;
    if (width > 0 && world2 > 0 && picture > 0) {
      const cosine = max<f32>(<f32>0.02, abs<f32>(dx * gx + dy * gy + dz * gz));
      footprint = Mathf.log2(width) + <f32>0.5 * Mathf.log2(picture / (sqrt<f32>(world2) * cosine));
    }
    if (baseTexture) {
      sampleSlot(m + MATERIAL_BASE_TEXTURE, baseTexture, true);
      baseR *= texelR();
      baseG *= texelG();
      baseB *= texelB();
    }
    if (surfaceTexture) {
      sampleSlot(m + MATERIAL_SURFACE_TEXTURE, surfaceTexture, false);
      roughness *= texelG();
      metallic *= texelB();
    }
    if (emissiveTexture) {
      sampleSlot(m + MATERIAL_EMISSIVE_TEXTURE, emissiveTexture, true);
      emitR *= texelR();
      emitG *= texelG();
      emitB *= texelB();
    }
    if (anisotropy > 0) takeTangent(i0, i1, i2, w, u, v, instance);
    if (normalTexture) {
      sampleSlot(m + MATERIAL_NORMAL_TEXTURE, normalTexture, false);
      const scale = load<f32>(m, MATERIAL_NORMAL_SCALE);
      bendNormal(
        (texelR() * 2 - 1) * scale,
        (texelG() * 2 - 1) * scale,
        texelB() * 2 - 1,
        e1x,
        e1y,
        e1z,
        e2x,
        e2y,
        e2z,
      );
    }
  }
  if (instance && load<f32>(m, MATERIAL_WEAR + 20) > 0) {
    const open: f32 = colours ? openByCorners(colours + i0 * 4, colours + i1 * 4, colours + i2 * 4, w, u, v) : 1;
    wearSurface(m + MATERIAL_WEAR, mx, my, mz, mgx, mgy, mgz, open, width);
  }
}

/** Share of the sky over a triangle's corners, which the fourth bytes of their colours are. */
function openByCorners(a: u32, b: u32, c: u32, w: f32, u: f32, v: f32): f32 {
  return (w * <f32>load<u8>(a, 3) + u * <f32>load<u8>(b, 3) + v * <f32>load<u8>(c, 3)) * <f32>(1.0 / 255.0);
}

// @ts-ignore: decorator
@inline
function mixed(a: f32, b: f32, t: f32): f32 {
  return a + (b - a) * t;
}

/** Makes what is under a share of something else give way to it: a rough matt coat without polish or light through it. */
function coverBy(share: f32, r: f32, g: f32, b: f32, rough: f32): void {
  baseR = mixed(baseR, r, share);
  baseG = mixed(baseG, g, share);
  baseB = mixed(baseB, b, share);
  roughness = mixed(roughness, rough, share);
  metallic *= ONE - share;
  transmission *= ONE - share;
  coat *= ONE - share;
  sheenR *= ONE - share;
  sheenG *= ONE - share;
  sheenB *= ONE - share;
}

/** Wears the surface loaded last: first what happened to its own matter, then what lies on it. */
function wearSurface(wear: u32, x: f32, y: f32, z: f32, ox: f32, oy: f32, oz: f32, open: f32, width: f32): void {
  const dirt = load<f32>(wear),
    rust = load<f32>(wear, 4),
    scratches = load<f32>(wear, 8);
  const size = load<f32>(wear, 20);
  if (scratches > 0) {
    const share = scratchAt(scratches, x, y, z, ox, oy, oz, size, max<f32>(width, 0));
    // Bare matter under paint or polish: lighter and rougher; metal stays metal.
    baseR = mixed(baseR, baseR * <f32>0.6 + <f32>0.3, share);
    baseG = mixed(baseG, baseG * <f32>0.6 + <f32>0.3, share);
    baseB = mixed(baseB, baseB * <f32>0.6 + <f32>0.3, share);
    roughness = mixed(roughness, max<f32>(roughness, <f32>0.5), share);
    coat *= ONE - share;
  }
  if (rust > 0) {
    const share = rustAt(rust, x, y, z, size);
    const t = grain((x / size) * 40, (y / size) * 40, (z / size) * 40);
    coverBy(
      share,
      mixed(<f32>0.05, <f32>0.26, t),
      mixed(<f32>0.018, <f32>0.085, t),
      mixed(<f32>0.01, <f32>0.028, t),
      0.9,
    );
  }
  if (dirt > 0) {
    const above = max<f32>(0, z - load<f32>(wear, 12)) / max<f32>(<f32>1e-6, load<f32>(wear, 16));
    const share = dirtAt(dirt, x, y, z, size, above, open);
    coverBy(share * <f32>0.9, <f32>0.1, <f32>0.08, <f32>0.058, 0.95);
  }
}

/** Luminance by which the emitting triangle loaded last is drawn as a lamp; 0 where it is not. */
export function lampLuminance(): f32 {
  return load<f32>(material, MATERIAL_LAMP);
}
export function materialNumber(): u32 {
  return load<u32>(material, MATERIAL_NUMBER);
}
export function absorption(channel: u32): f32 {
  return load<f32>(material + (channel << 2), MATERIAL_ABSORPTION);
}

/** Direction of the grain: the texture's u turned by the material's angle, in the surface. */
function takeTangent(i0: u32, i1: u32, i2: u32, w: f32, u: f32, v: f32, instance: u32): void {
  const tangents = paramU(PARAM_TANGENTS),
    a = tangents + i0 * 12,
    b = tangents + i1 * 12,
    c = tangents + i2 * 12;
  let ux = w * load<f32>(a) + u * load<f32>(b) + v * load<f32>(c);
  let uy = w * load<f32>(a, 4) + u * load<f32>(b, 4) + v * load<f32>(c, 4);
  let uz = w * load<f32>(a, 8) + u * load<f32>(b, 8) + v * load<f32>(c, 8);
  if (!tangents || ux * ux + uy * uy + uz * uz < 1e-12) {
    anisotropy = 0;
    return;
  }
  if (instance) {
    directionOut(ux, uy, uz);
    ux = pointX;
    uy = pointY;
    uz = pointZ;
  }
  const determinant = s1 * t2 - s2 * t1;
  const along = ux * sx + uy * sy + uz * sz;
  ux -= along * sx;
  uy -= along * sy;
  uz -= along * sz;
  const s = ONE / sqrt<f32>(max<f32>(ux * ux + uy * uy + uz * uz, 1e-20));
  ux *= s;
  uy *= s;
  uz *= s;
  const side: f32 = determinant > 0 ? -1 : 1;
  const vx = (sy * uz - sz * uy) * side,
    vy = (sz * ux - sx * uz) * side,
    vz = (sx * uy - sy * ux) * side;
  const turn = load<f32>(material, MATERIAL_ANISOTROPY_TURN),
    aside = load<f32>(material, MATERIAL_ANISOTROPY_TURN + 4);
  tx = turn * ux + aside * vx;
  ty = turn * uy + aside * vy;
  tz = turn * uz + aside * vz;
}

/** Tilts the shading normal by a tangent-space normal; tangents follow the texture's directions on the triangle. */
function bendNormal(x: f32, y: f32, z: f32, e1x: f32, e1y: f32, e1z: f32, e2x: f32, e2y: f32, e2z: f32): void {
  const determinant = s1 * t2 - s2 * t1;
  if (abs<f32>(determinant) < 1e-12) return;
  const r = ONE / determinant;
  let ux = (e1x * t2 - e2x * t1) * r,
    uy = (e1y * t2 - e2y * t1) * r,
    uz = (e1z * t2 - e2z * t1) * r;
  const along = ux * nx + uy * ny + uz * nz;
  ux -= along * nx;
  uy -= along * ny;
  uz -= along * nz;
  const s = ONE / sqrt<f32>(max<f32>(ux * ux + uy * uy + uz * uz, 1e-20));
  ux *= s;
  uy *= s;
  uz *= s;
  // glTF: green points up in the picture, against the direction of v.
  const side: f32 = determinant > 0 ? -1 : 1;
  const bx = (ny * uz - nz * uy) * side,
    by = (nz * ux - nx * uz) * side,
    bz = (nx * uy - ny * ux) * side;
  const mx = x * ux + y * bx + z * nx,
    my = x * uy + y * by + z * ny,
    mz = x * uz + y * bz + z * nz;
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
  setBase(r, g, b);
}

/** Gives the surface loaded last a colour of its own. */
export function setBase(r: f32, g: f32, b: f32): void {
  baseR = r;
  baseG = g;
  baseB = b;
}

/**
 * Makes the surface loaded last a bare dielectric coat: the gloss of a catcher. At normal incidence it reflects `weight`
 * of what index 1.5 does; the index that does so gives the other angles by Fresnel's equations.
 */
export function makeGloss(weight: f32, rough: f32): void {
  setBase(0, 0, 0);
  flags = 0;
  front = true;
  metallic = 0;
  roughness = rough;
  const root: f32 = <f32>0.2 * sqrt<f32>(weight);
  index = (1 + root) / (1 - root);
  specular = 1;
  specularR = 1;
  specularG = 1;
  specularB = 1;
  transmission = 0;
  coat = 0;
  anisotropy = 0;
  sheenR = 0;
  sheenG = 0;
  sheenB = 0;
}
