// Camera samples of a tile, and what each adds to the film: props, and catchers with and without the props.
import { paramF, paramU, setParams } from "./params";
import { aimAtPixel, rayX, rayY, rayZ } from "./lens";
import { draw, draw1, draw2, seekDimension, startSample } from "./sampler";
import { drawCosine, localX, localY, localZ, setFrame, toWorld, worldX, worldY, worldZ } from "./frame";
import * as surface from "./surface";
import * as bsdf from "./bsdf";
import * as light from "./light";
import { SUN_SAMPLED, findNearest, followPath, metSet, metT, metTriangle, metU, metV, radianceB, radianceG, radianceR } from "./path";
import {
  FILM_ADDED, FILM_ALPHA, FILM_CATCHER, FILM_DEPTH, FILM_FLOATS, FILM_PROP, FILM_SAMPLES, FILM_W0_BOUNCE, FILM_W0_SKY, FILM_W0_SUN, FILM_W_BOUNCE, FILM_W_SKY,
  FILM_W_SUN, OBJECT_FLAGS, OBJECT_IS_CATCHER, OBJECT_ROUGHNESS, OBJECT_SPECULAR, PARAM_CANCEL, PARAM_FILM, PARAM_FILTER, PARAM_FRAME_HEIGHT, PARAM_FRAME_WIDTH,
  PARAM_GENERATION, PARAM_HEIGHT, PARAM_PICTURE, PARAM_POSITION, PARAM_PROP_ROOT, PARAM_ROTATION, PARAM_SEED, PARAM_SKY, PARAM_SUN_IRRADIANCE, PARAM_WIDTH,
} from "./layout";

const ONE: f32 = 1;
const PI: f32 = 3.141592653589793;
const FAR: f32 = 1e30;
// Runs of dimensions: film 0, sun and hemisphere of the catcher 4, its reflection 8, paths from 16 and 160 on.
const CATCHER_DIMENSION: u32 = 4;
const REFLECTION_DIMENSION: u32 = 8;
const PATH_DIMENSION: u32 = 16;
const REFLECTED_PATH_DIMENSION: u32 = 160;

// @ts-ignore: decorator
@inline
function add(pixel: u32, slot: u32, r: f32, g: f32, b: f32): void {
  const a = pixel + (slot << 2);
  store<f32>(a, load<f32>(a) + r);
  store<f32>(a, load<f32>(a, 4) + g, 4);
  store<f32>(a, load<f32>(a, 8) + b, 8);
}

// @ts-ignore: decorator
@inline
function addOne(pixel: u32, slot: u32, value: f32): void {
  const a = pixel + (slot << 2);
  store<f32>(a, load<f32>(a) + value);
}

/** Light on the catcher point loaded last, with the props and without, from the same random numbers. */
function evaluateCatcher(pixel: u32, u: f32, v: f32, dx: f32, dy: f32, dz: f32): void {
  const gx = surface.gx, gy = surface.gy, gz = surface.gz;
  const x = surface.px + gx * surface.offset, y = surface.py + gy * surface.offset, z = surface.pz + gz * surface.offset;
  const roughness = load<f32>(surface.object, OBJECT_ROUGHNESS), specular = load<f32>(surface.object, OBJECT_SPECULAR);
  const props = paramU(PARAM_PROP_ROOT) != 0;
  addOne(pixel, FILM_CATCHER, 1);
  seekDimension(CATCHER_DIMENSION);
  if (light.hasSun()) {
    light.drawSun();
    const c = light.sunX * gx + light.sunY * gy + light.sunZ * gz;
    if (c > 0 && !light.setBlocks(x, y, z, light.sunX, light.sunY, light.sunZ, FAR)) {
      const e = c * light.maskAtPixel(u, v);
      const er = e * paramF(PARAM_SUN_IRRADIANCE), eg = e * paramF(PARAM_SUN_IRRADIANCE + 4), eb = e * paramF(PARAM_SUN_IRRADIANCE + 8);
      add(pixel, FILM_W0_SUN, er, eg, eb);
      if (!(props && light.propsBlock(x, y, z, light.sunX, light.sunY, light.sunZ, FAR))) add(pixel, FILM_W_SUN, er, eg, eb);
    }
  }
  seekDimension(CATCHER_DIMENSION + 1);
  setFrame(gx, gy, gz);
  drawCosine();
  gatherDirection(pixel, x, y, z, worldX(), worldY(), worldZ(), props);
  if (specular > 0 && props) reflect(pixel, x, y, z, dx, dy, dz, gx, gy, gz, roughness, specular);
}

function gatherDirection(pixel: u32, x: f32, y: f32, z: f32, wx: f32, wy: f32, wz: f32, props: bool): void {
  const met = findNearest(x, y, z, wx, wy, wz, false);
  followPath(x, y, z, wx, wy, wz, false, SUN_SAMPLED, true, PATH_DIMENSION);
  const r0 = PI * radianceR, g0 = PI * radianceG, b0 = PI * radianceB;
  // The endless floor counts as bounce, in both sums alike: equal light must give equal bits.
  const bounce = met || wz < 0;
  add(pixel, bounce ? FILM_W0_BOUNCE : FILM_W0_SKY, r0, g0, b0);
  if (!props) {
    add(pixel, bounce ? FILM_W_BOUNCE : FILM_W_SKY, r0, g0, b0);
    return;
  }
  if (!bounce && !light.propsBlock(x, y, z, wx, wy, wz, FAR)) {
    add(pixel, FILM_W_SKY, r0, g0, b0);
    return;
  }
  followPath(x, y, z, wx, wy, wz, true, SUN_SAMPLED, false, PATH_DIMENSION);
  add(pixel, FILM_W_BOUNCE, PI * radianceR, PI * radianceG, PI * radianceB);
}

/** The catcher's own reflection: adds what it shows with the props less what it showed without them. */
function reflect(pixel: u32, x: f32, y: f32, z: f32, dx: f32, dy: f32, dz: f32, gx: f32, gy: f32, gz: f32, roughness: f32, specular: f32): void {
  surface.baseR = 0;
  surface.baseG = 0;
  surface.baseB = 0;
  surface.metallic = 0;
  surface.f0 = <f32>0.04 * specular;
  surface.alpha = max<f32>(roughness * roughness, 0.002);
  setFrame(gx, gy, gz);
  const vx = -localX(dx, dy, dz), vy = -localY(dx, dy, dz), vz = max<f32>(-localZ(dx, dy, dz), 1e-4);
  bsdf.prepareBsdf(vz);
  seekDimension(REFLECTION_DIMENSION);
  draw();
  if (!bsdf.sampleBsdf(vx, vy, vz, 0, draw1(), draw2())) return;
  bsdf.evaluateBsdf(vx, vy, vz, bsdf.outX, bsdf.outY, bsdf.outZ);
  if (bsdf.pdf <= 0) return;
  const density = bsdf.pdf, weight = bsdf.fR / density;
  toWorld(bsdf.outX, bsdf.outY, bsdf.outZ);
  const wx = worldX(), wy = worldY(), wz = worldZ();
  followPath(x, y, z, wx, wy, wz, true, density, false, REFLECTED_PATH_DIMENSION);
  const r = radianceR, g = radianceG, b = radianceB;
  followPath(x, y, z, wx, wy, wz, false, density, false, REFLECTED_PATH_DIMENSION);
  add(pixel, FILM_ADDED, weight * (r - radianceR), weight * (g - radianceG), weight * (b - radianceB));
}

/**
 * Adds samples `s0` to `s1 - 1` of the pixels [x0, x1) x [y0, y1) to the film. Returns 0, or 1 when the host's
 * generation counter moved on and the tile was left.
 */
export function renderTile(params: u32, x0: u32, y0: u32, x1: u32, y1: u32, s0: u32, s1: u32): u32 {
  setParams(params);
  const width = paramU(PARAM_WIDTH), film = paramU(PARAM_FILM), seed = paramU(PARAM_SEED);
  const scaleX = paramF(PARAM_FRAME_WIDTH) / <f32>width, scaleY = paramF(PARAM_FRAME_HEIGHT) / <f32>paramU(PARAM_HEIGHT);
  const ex = paramF(PARAM_POSITION), ey = paramF(PARAM_POSITION + 4), ez = paramF(PARAM_POSITION + 8);
  const axisX = paramF(PARAM_ROTATION + 24), axisY = paramF(PARAM_ROTATION + 28), axisZ = paramF(PARAM_ROTATION + 32);
  const picture = paramU(PARAM_PICTURE) != 0, cancel = paramU(PARAM_CANCEL), generation = <i32>paramU(PARAM_GENERATION), filter = paramF(PARAM_FILTER);
  for (let y = y0; y < y1; y++) {
    if (cancel && atomic.load<i32>(cancel) != generation) return 1;
    for (let x = x0; x < x1; x++) {
      const pixel = film + (y * width + x) * (FILM_FLOATS << 2);
      for (let s = s0; s < s1; s++) {
        startSample(y * width + x, s, seed);
        draw();
        const u = (<f32>x + <f32>0.5 + (draw1() - <f32>0.5) * filter) * scaleX, v = (<f32>y + <f32>0.5 + (draw2() - <f32>0.5) * filter) * scaleY;
        aimAtPixel(u, v);
        const dx = rayX(), dy = rayY(), dz = rayZ();
        const met = findNearest(ex, ey, ez, dx, dy, dz, true);
        addOne(pixel, FILM_SAMPLES, 1);
        if (picture || (met && !metSet)) {
          const depth = metT * (dx * axisX + dy * axisY + dz * axisZ);
          followPath(ex, ey, ez, dx, dy, dz, true, 0, true, PATH_DIMENSION);
          add(pixel, FILM_PROP, radianceR, radianceG, radianceB);
          if (met) {
            addOne(pixel, FILM_ALPHA, 1);
            addOne(pixel, FILM_DEPTH, depth);
          }
        } else if (met) {
          surface.loadSurface(metTriangle, metU, metV, dx, dy, dz);
          if (load<u32>(surface.object, OBJECT_FLAGS) & OBJECT_IS_CATCHER) evaluateCatcher(pixel, u, v, dx, dy, dz);
        }
      }
    }
  }
  return 0;
}

/** Irradiance without sun and props on the set at cells of a coarse picture of the plate; -1 where no set is seen. */
export function renderFill(params: u32, y0: u32, y1: u32, width: u32, height: u32, samples: u32, out: u32): void {
  setParams(params);
  const scaleX = paramF(PARAM_FRAME_WIDTH) / <f32>width, scaleY = paramF(PARAM_FRAME_HEIGHT) / <f32>height;
  const ex = paramF(PARAM_POSITION), ey = paramF(PARAM_POSITION + 4), ez = paramF(PARAM_POSITION + 8), seed = paramU(PARAM_SEED);
  for (let y = y0; y < y1; y++) {
    for (let x: u32 = 0; x < width; x++) {
      const cell = out + (y * width + x) * 12;
      aimAtPixel((<f32>x + <f32>0.5) * scaleX, (<f32>y + <f32>0.5) * scaleY);
      const dx = rayX(), dy = rayY(), dz = rayZ();
      if (!findNearest(ex, ey, ez, dx, dy, dz, false)) {
        store<f32>(cell, -1);
        store<f32>(cell, -1, 4);
        store<f32>(cell, -1, 8);
        continue;
      }
      surface.loadSurface(metTriangle, metU, metV, dx, dy, dz);
      gatherHemisphere(y * width + x, seed, samples);
      store<f32>(cell, gatherR);
      store<f32>(cell, gatherG, 4);
      store<f32>(cell, gatherB, 8);
    }
  }
}

let gatherR: f32 = 0, gatherG: f32 = 0, gatherB: f32 = 0, openShare: f32 = 0, bounceR: f32 = 0, bounceG: f32 = 0, bounceB: f32 = 0;

function gatherHemisphere(cell: u32, seed: u32, samples: u32): void {
  const gx = surface.gx, gy = surface.gy, gz = surface.gz;
  const x = surface.px + gx * surface.offset, y = surface.py + gy * surface.offset, z = surface.pz + gz * surface.offset;
  let open: f32 = 0, br: f32 = 0, bg: f32 = 0, bb: f32 = 0;
  for (let s: u32 = 0; s < samples; s++) {
    startSample(cell, s, seed);
    seekDimension(CATCHER_DIMENSION + 1);
    setFrame(gx, gy, gz);
    drawCosine();
    const wx = worldX(), wy = worldY(), wz = worldZ();
    if (!findNearest(x, y, z, wx, wy, wz, false)) {
      open += 1;
      continue;
    }
    followPath(x, y, z, wx, wy, wz, false, SUN_SAMPLED, true, PATH_DIMENSION);
    br += radianceR;
    bg += radianceG;
    bb += radianceB;
  }
  const n = ONE / <f32>samples;
  openShare = open * n;
  bounceR = PI * br * n;
  bounceG = PI * bg * n;
  bounceB = PI * bb * n;
  gatherR = bounceR + PI * openShare * paramF(PARAM_SKY);
  gatherG = bounceG + PI * openShare * paramF(PARAM_SKY + 4);
  gatherB = bounceB + PI * openShare * paramF(PARAM_SKY + 8);
}

/**
 * Light on the set where plate pixels show it. `pixels` holds two f32 each; `out` takes six each: the share of the
 * cosine-weighted hemisphere that is open sky, irradiance from the set (3), the share of the sun's disc in view, and
 * the cosine to the sun. A pixel that shows no set gets an open share of -1.
 */
export function probePixels(params: u32, pixels: u32, count: u32, samples: u32, out: u32): void {
  setParams(params);
  const ex = paramF(PARAM_POSITION), ey = paramF(PARAM_POSITION + 4), ez = paramF(PARAM_POSITION + 8), seed = paramU(PARAM_SEED);
  for (let i: u32 = 0; i < count; i++) {
    const to = out + i * 24;
    aimAtPixel(load<f32>(pixels + (i << 3)), load<f32>(pixels + (i << 3), 4));
    const dx = rayX(), dy = rayY(), dz = rayZ();
    if (!findNearest(ex, ey, ez, dx, dy, dz, false)) {
      store<f32>(to, -1);
      continue;
    }
    surface.loadSurface(metTriangle, metU, metV, dx, dy, dz);
    const gx = surface.gx, gy = surface.gy, gz = surface.gz;
    const x = surface.px + gx * surface.offset, y = surface.py + gy * surface.offset, z = surface.pz + gz * surface.offset;
    gatherHemisphere(i, seed, samples);
    store<f32>(to, openShare);
    store<f32>(to, bounceR, 4);
    store<f32>(to, bounceG, 8);
    store<f32>(to, bounceB, 12);
    let seen: f32 = 0, cosine: f32 = 0;
    for (let s: u32 = 0; s < 64; s++) {
      startSample(i, s, seed);
      light.drawSun();
      const c = light.sunX * gx + light.sunY * gy + light.sunZ * gz;
      cosine += c;
      if (c > 0 && !light.setBlocks(x, y, z, light.sunX, light.sunY, light.sunZ, FAR)) seen += 1;
    }
    store<f32>(to, seen / 64, 16);
    store<f32>(to, cosine / 64, 20);
  }
}
