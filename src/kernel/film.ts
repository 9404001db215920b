// Camera samples of a tile, and what each adds to the film: props, and catchers with and without the props.
import { paramF, paramU, setParams } from "./params";
import { aimAtFour, aimAtPixel, lensX, lensY, lensZ, rayX, rayY, rayZ, takeRay, throughLens } from "./lens";
import { draw, draw1, draw2, seekDimension, startSample } from "./sampler";
import { drawCosine, localX, localY, localZ, setFrame, toWorld, worldX, worldY, worldZ } from "./frame";
import { setMoment } from "./motion";
import { lightScratch, rayScratch } from "./traversal";
import { fresnel, throughB, throughG, throughR } from "./ask";
import * as surface from "./surface";
import * as bsdf from "./bsdf";
import * as light from "./light";
import { shownB, shownG, shownR, takeShown } from "./shown";
import { NOT_DRAWN, beginDraws, drawnGroup, drawnShare, nextDraw } from "./draws";
import {
  FROM_CAMERA,
  FROM_GLOSS,
  FROM_MATT,
  FROM_PLACE,
  TAKEN_LAMPS,
  TAKEN_SUN,
  clearLimited,
  findBefore,
  findNearest,
  followPath,
  holdHit,
  keptShare,
  limited,
  metInstance,
  metT,
  metTriangle,
  metU,
  metV,
  ownB,
  ownG,
  ownR,
  radianceB,
  radianceG,
  radianceR,
  returnToHit,
  spareFirst,
  splitLight,
} from "./path";
import {
  EXTRA_EMISSION,
  EXTRA_OCCLUSION,
  EXTRA_OCCLUSION_SAMPLES,
  EXTRA_POSITION,
  FEATURE_ALBEDO,
  FEATURE_NORMAL,
  FEATURE_SHOWN,
  FILM_ADDED,
  FILM_ALPHA,
  FILM_CATCHER,
  FILM_DEPTH,
  FILM_GLOSS,
  FILM_LIMITED,
  FILM_PROP,
  FILM_SAMPLES,
  FILM_SET,
  FILTER_CELLS,
  GROUP_BOUNCE,
  GROUP_LAMPS,
  GROUP_SKY,
  GROUP_SUN,
  HALF_ADDED,
  HALF_ALPHA,
  HALF_CATCHER,
  HALF_GLOSS,
  HALF_PROP,
  HALF_W,
  HALF_W0,
  LIGHT_FLOATS,
  MAX_LIGHT_GROUPS,
  PARAM_CANCEL,
  PARAM_FILM,
  PARAM_FILM_EXTRAS,
  PARAM_FILM_FEATURES,
  PARAM_FILM_HALF,
  PARAM_FILM_LIGHTS,
  PARAM_FILM_MATERIALS,
  PARAM_FILM_PROPS,
  PARAM_FILM_PROP_LIGHTS,
  PARAM_FILM_STRIDE,
  PARAM_FILTER,
  PARAM_FRAME_HEIGHT,
  PARAM_FRAME_WIDTH,
  PARAM_GENERATION,
  PARAM_HEIGHT,
  PARAM_LENS_RADIUS,
  PARAM_OCCLUSION,
  PARAM_PICTURE,
  PARAM_POSITION,
  PARAM_PROP_ROOT,
  PARAM_ROTATION,
  PARAM_SEED,
  PARAM_SHUTTER,
  PARAM_SPREAD,
  PARAM_WIDTH,
  PART_ALBEDO,
  PART_FLAGS,
  PART_GLOW,
  PART_IS_CATCHER,
  PART_ROUGHNESS,
  PART_SPECULAR,
  RAY_CAMERA,
  RAY_SHADOW,
  SET_BLOCKS,
  SET_BOUNCE,
  SET_SEEN,
  SET_SHADOW,
} from "./layout";

const ONE: f32 = 1;
const PI: f32 = 3.141592653589793;
const INV_PI: f32 = 0.3183098861837907;
const FAR: f32 = 1e30;
// Runs of dimensions: pixel, lens and moment 0-2; of the catcher sun 4, hemisphere 5, environment 6-7, shining props 8-9,
// lamps 12 on, reflection 34; ambient occlusion 36; paths from 40 and 160 on.
const LENS_DIMENSION: u32 = 1;
const MOMENT_DIMENSION: u32 = 2;
const CATCHER_DIMENSION: u32 = 4;
const LAMP_DIMENSION: u32 = 12;
const REFLECTION_DIMENSION: u32 = 34;
const OCCLUSION_DIMENSION: u32 = 36;
const PATH_DIMENSION: u32 = 40;
const REFLECTED_PATH_DIMENSION: u32 = 160;

// The pixel at work, and its sums of one sample by light, all groups together.
let pixel: u32 = 0;
let half: u32 = 0;
let lights: u32 = 0;

// @ts-ignore: decorator
@inline
function add(address: u32, r: f32, g: f32, b: f32): void {
  store<f32>(address, load<f32>(address) + r);
  store<f32>(address, load<f32>(address, 4) + g, 4);
  store<f32>(address, load<f32>(address, 8) + b, 8);
}

// @ts-ignore: decorator
@inline
function addOne(address: u32, value: f32): void {
  store<f32>(address, load<f32>(address) + value);
}

/** Adds light of a group to the catcher's sum without the props. */
// @ts-ignore: decorator
@inline
function addW0(group: u32, r: f32, g: f32, b: f32): void {
  add(lights + group * (LIGHT_FLOATS << 2) + 12, r, g, b);
  if (half) add(half + (HALF_W0 << 2), r, g, b);
}
/** The same with the props. */
// @ts-ignore: decorator
@inline
function addW(group: u32, r: f32, g: f32, b: f32): void {
  add(lights + group * (LIGHT_FLOATS << 2), r, g, b);
  if (half) add(half + (HALF_W << 2), r, g, b);
}

// The catcher's gloss, if it has any: the direction to the viewer in its own frame.
let glossy = false;
let viewX: f32 = 0,
  viewY: f32 = 0,
  viewZ: f32 = 1;

/** Prepares the catcher's gloss for a viewer. Whatever loads another surface undoes it. */
function prepareGloss(dx: f32, dy: f32, dz: f32, gx: f32, gy: f32, gz: f32, roughness: f32, specular: f32): void {
  surface.makeGloss(specular, roughness);
  setFrame(gx, gy, gz);
  viewX = -localX(dx, dy, dz);
  viewY = -localY(dx, dy, dz);
  viewZ = max<f32>(-localZ(dx, dy, dz), 1e-4);
  bsdf.prepareBsdf(viewZ);
}

// The way to the viewer in the world, and the index of the gloss.
let backX: f32 = 0,
  backY: f32 = 0,
  backZ: f32 = 1,
  glossIndex: f32 = 1;

/** Share of the light from a direction that the gloss lets to the matt part: what is left of it at the half vector, as glTF 2.0 has it. */
function belowGloss(toX: f32, toY: f32, toZ: f32): f32 {
  if (!glossy) return 1;
  const half = <f32>0.5 * (ONE + backX * toX + backY * toY + backZ * toZ);
  return ONE - fresnel(sqrt<f32>(max<f32>(0, half)), glossIndex);
}

/** Adds to the catcher's reflection without the props (r0 to b0), and to how much the props change it. */
// @ts-ignore: decorator
@inline
function addGloss(r0: f32, g0: f32, b0: f32, changeR: f32, changeG: f32, changeB: f32): void {
  add(pixel + (FILM_GLOSS << 2), r0, g0, b0);
  add(pixel + (FILM_ADDED << 2), changeR, changeG, changeB);
  if (!half) return;
  add(half + (HALF_GLOSS << 2), r0, g0, b0);
  add(half + (HALF_ADDED << 2), changeR, changeG, changeB);
}

/**
 * Light drawn in a direction, that reaches the catcher in full where no prop is in the way: radiance over density. Its
 * `cosine`, weighed if it could be found otherwise, counts on the matt part; on the gloss, `density` against the gloss's own.
 */
// @ts-ignore: decorator
@inline
function addDirect(group: u32, props: bool, x: f32, y: f32, z: f32, cosine: f32, density: f32): void {
  const toX = light.toX,
    toY = light.toY,
    toZ = light.toZ,
    r = light.lightR,
    g = light.lightG,
    b = light.lightB;
  const weight = cosine * belowGloss(toX, toY, toZ);
  addW0(group, weight * r, weight * g, weight * b);
  if (!props) {
    addW(group, weight * r, weight * g, weight * b);
    return;
  }
  const blocked = light.propsBlock(x, y, z, toX, toY, toZ, light.reach);
  const tr: f32 = blocked ? 0 : throughR(),
    tg: f32 = blocked ? 0 : throughG(),
    tb: f32 = blocked ? 0 : throughB();
  if (!blocked) addW(group, weight * r * tr, weight * g * tg, weight * b * tb);
  if (!glossy) return;
  setFrame(surface.gx, surface.gy, surface.gz);
  bsdf.evaluateBsdf(viewX, viewY, viewZ, localX(toX, toY, toZ), localY(toX, toY, toZ), localZ(toX, toY, toZ));
  if (!(bsdf.pdf > 0)) return;
  const w = (bsdf.fR * density) / (density + bsdf.pdf),
    fr = w * r,
    fg = w * g,
    fb = w * b;
  addGloss(fr, fg, fb, fr * (tr - ONE), fg * (tg - ONE), fb * (tb - ONE));
}

/** Light on the catcher point loaded last, with the props and without, from the same random numbers. */
function evaluateCatcher(u: f32, v: f32, dx: f32, dy: f32, dz: f32): void {
  const gx = surface.gx,
    gy = surface.gy,
    gz = surface.gz,
    px = surface.px,
    py = surface.py,
    pz = surface.pz;
  const x = px + gx * surface.offset,
    y = py + gy * surface.offset,
    z = pz + gz * surface.offset;
  const roughness = load<f32>(surface.part, PART_ROUGHNESS),
    specular = load<f32>(surface.part, PART_SPECULAR);
  const props = paramU(PARAM_PROP_ROOT) != 0;
  addOne(pixel + (FILM_CATCHER << 2), 1);
  if (half) addOne(half + (HALF_CATCHER << 2), 1);
  glossy = specular > 0 && props;
  if (glossy) {
    prepareGloss(dx, dy, dz, gx, gy, gz, roughness, specular);
    backX = -dx;
    backY = -dy;
    backZ = -dz;
    glossIndex = surface.index;
  }
  const proper = light.properLamps();
  beginDraws(CATCHER_DIMENSION, CATCHER_DIMENSION + 2, LAMP_DIMENSION, proper, NOT_DRAWN);
  while (nextDraw(x, y, z)) {
    const c = light.toX * gx + light.toY * gy + light.toZ * gz,
      sky = drawnGroup == GROUP_SKY;
    if (c <= 0) continue;
    if (light.setBlocks(sky ? SET_BLOCKS : SET_SHADOW, x, y, z, light.toX, light.toY, light.toZ, light.reach)) continue;
    // Through an open lens the point lies elsewhere in the plate than under the pixel.
    if (drawnGroup == GROUP_SUN)
      light.scaleDrawn(paramF(PARAM_LENS_RADIUS) > 0 ? light.maskAtPoint(px, py, pz) : light.maskAtPixel(u, v));
    const weight = sky ? (c * light.density) / (light.density + c * INV_PI) : c;
    // Paths weigh a lamp that they meet by its density among all lamps.
    addDirect(drawnGroup, props, x, y, z, weight, drawnShare * light.density);
  }
  if (props && light.lampCount() > proper) {
    // Props that shine: light of theirs counts as bounce.
    seekDimension(CATCHER_DIMENSION + 4);
    if (light.drawAnyLamp(x, y, z, proper)) {
      const c = light.toX * gx + light.toY * gy + light.toZ * gz;
      const toX = light.toX,
        toY = light.toY,
        toZ = light.toZ,
        reach = light.reach;
      const density = light.shareFrom(proper) * light.density,
        w = ((c * density) / (density + c * INV_PI)) * belowGloss(toX, toY, toZ);
      if (
        c > 0 &&
        !light.setBlocks(SET_SHADOW, x, y, z, toX, toY, toZ, reach) &&
        !light.propsBlock(x, y, z, toX, toY, toZ, reach)
      ) {
        const r = light.lightR * throughR(),
          g = light.lightG * throughG(),
          b = light.lightB * throughB();
        addW(GROUP_BOUNCE, w * r, w * g, w * b);
        if (glossy) {
          setFrame(gx, gy, gz);
          bsdf.evaluateBsdf(viewX, viewY, viewZ, localX(toX, toY, toZ), localY(toX, toY, toZ), localZ(toX, toY, toZ));
          if (bsdf.pdf > 0) {
            const s = (bsdf.fR * density) / (density + bsdf.pdf);
            addGloss(0, 0, 0, s * r, s * g, s * b);
          }
        }
      }
    }
  }
  setFrame(gx, gy, gz);
  if (glossy) {
    reflect(x, y, z, roughness);
    setFrame(gx, gy, gz);
  }
  seekDimension(CATCHER_DIMENSION + 1);
  const cosine = drawCosine();
  gatherDirection(x, y, z, worldX(), worldY(), worldZ(), cosine, props);
}

function gatherDirection(x: f32, y: f32, z: f32, wx: f32, wy: f32, wz: f32, cosine: f32, props: bool): void {
  const density = cosine * INV_PI;
  const met = findNearest(SET_BOUNCE | SET_BLOCKS, x, y, z, wx, wy, wz, 0);
  // The endless floor counts as bounce, in both sums alike: equal light must give equal bits.
  const bounce = met || wz < 0,
    group = bounce ? GROUP_BOUNCE : GROUP_SKY,
    below = PI * belowGloss(wx, wy, wz);
  if (props) {
    light.clearTouched();
    holdHit();
    findBefore(RAY_SHADOW, x, y, z, wx, wy, wz);
    followPath(x, y, z, wx, wy, wz, true, density, TAKEN_SUN | TAKEN_LAMPS, FROM_MATT, true, 0, 0.25, PATH_DIMENSION);
    const r = below * radianceR,
      g = below * radianceG,
      b = below * radianceB;
    if (!light.touchedProps) {
      addW0(group, r, g, b);
      addW(group, r, g, b);
      return;
    }
    addW(GROUP_BOUNCE, r, g, b);
    returnToHit();
  }
  followPath(x, y, z, wx, wy, wz, false, density, TAKEN_SUN | TAKEN_LAMPS, FROM_MATT, true, 0, 0.25, PATH_DIMENSION);
  const r0 = below * radianceR,
    g0 = below * radianceG,
    b0 = below * radianceB;
  addW0(group, r0, g0, b0);
  if (!props) addW(group, r0, g0, b0);
}

/** What the catcher's gloss, just prepared, shows along one direction of its own, with the props and without. */
function reflect(x: f32, y: f32, z: f32, roughness: f32): void {
  seekDimension(REFLECTION_DIMENSION);
  draw();
  if (!bsdf.sampleBsdf(viewX, viewY, viewZ, 0, draw1(), draw2())) return;
  bsdf.evaluateBsdf(viewX, viewY, viewZ, bsdf.outX, bsdf.outY, bsdf.outZ);
  if (!(bsdf.pdf > 0)) return;
  const density = bsdf.pdf,
    weight = bsdf.fR / density;
  toWorld(bsdf.outX, bsdf.outY, bsdf.outZ);
  const wx = worldX(),
    wy = worldY(),
    wz = worldZ(),
    spread: f32 = <f32>0.5 * roughness * roughness;
  light.clearTouched();
  followPath(x, y, z, wx, wy, wz, true, density, 0, FROM_GLOSS, false, 0, spread, REFLECTED_PATH_DIMENSION);
  const r = radianceR,
    g = radianceG,
    b = radianceB;
  if (!light.touchedProps) {
    addGloss(weight * r, weight * g, weight * b, 0, 0, 0);
    return;
  }
  followPath(x, y, z, wx, wy, wz, false, density, 0, FROM_GLOSS, false, 0, spread, REFLECTED_PATH_DIMENSION);
  addGloss(
    weight * radianceR,
    weight * radianceG,
    weight * radianceB,
    weight * (r - radianceR),
    weight * (g - radianceG),
    weight * (b - radianceB),
  );
}

/** Whether the hemisphere over the surface loaded last is open within a distance, along one direction. */
function occlude(extras: u32, distance: f32): void {
  const x = surface.px + surface.liftX + surface.gx * surface.offset,
    y = surface.py + surface.liftY + surface.gy * surface.offset,
    z = surface.pz + surface.liftZ + surface.gz * surface.offset;
  seekDimension(OCCLUSION_DIMENSION);
  setFrame(surface.sx, surface.sy, surface.sz);
  drawCosine();
  const wx = worldX(),
    wy = worldY(),
    wz = worldZ();
  const open =
    !light.setBlocks(SET_SHADOW, x, y, z, wx, wy, wz, distance) && !light.propsBlock(x, y, z, wx, wy, wz, distance);
  if (open) addOne(extras + (EXTRA_OCCLUSION << 2), 1);
  addOne(extras + (EXTRA_OCCLUSION_SAMPLES << 2), 1);
}

/** Offset within the pixel filter for a number of [0, 1): its inverse cumulated weight, tabulated. */
// @ts-ignore: decorator
@inline
function filtered(table: u32, u: f32): f32 {
  const x = u * <f32>FILTER_CELLS,
    i = min<u32>(FILTER_CELLS - 1, <u32>x),
    a = load<f32>(table + (i << 2));
  return a + (x - <f32>i) * (load<f32>(table + (i << 2), 4) - a);
}

/** Aims the rays of four samples, from sample s of pixel x of row y on: those of one pixel first, then the next one's. */
function aimAhead(rays: u32, x: u32, y: u32, s: u32, s0: u32, s1: u32): void {
  const width = paramU(PARAM_WIDTH),
    seed = paramU(PARAM_SEED),
    filter = paramU(PARAM_FILTER);
  const scaleX = paramF(PARAM_FRAME_WIDTH) / <f32>width,
    scaleY = paramF(PARAM_FRAME_HEIGHT) / <f32>paramU(PARAM_HEIGHT);
  for (let k: u32 = 0; k < 4; k++) {
    startSample(y * width + x, s, seed);
    draw();
    store<f32>(rays + (k << 2), (<f32>x + <f32>0.5 + filtered(filter, draw1())) * scaleX);
    store<f32>(rays + (k << 2), (<f32>y + <f32>0.5 + filtered(filter, draw2())) * scaleY, 16);
    if (++s === s1) {
      s = s0;
      x++;
    }
  }
  aimAtFour(rays);
}

/**
 * Adds samples `s0` to `s1 - 1` of the pixels [x0, x1) x [y0, y1) to the film; sample 0 begins their sums anew. Returns 0, or 1 when the host's
 * generation counter moved on and the tile was left.
 */
export function renderTile(params: u32, x0: u32, y0: u32, x1: u32, y1: u32, s0: u32, s1: u32): u32 {
  setParams(params);
  const width = paramU(PARAM_WIDTH),
    film = paramU(PARAM_FILM),
    seed = paramU(PARAM_SEED),
    stride = paramU(PARAM_FILM_STRIDE) << 2;
  const rays = rayScratch();
  const ex = paramF(PARAM_POSITION),
    ey = paramF(PARAM_POSITION + 4),
    ez = paramF(PARAM_POSITION + 8);
  const axisX = paramF(PARAM_ROTATION + 24),
    axisY = paramF(PARAM_ROTATION + 28),
    axisZ = paramF(PARAM_ROTATION + 32);
  const picture = paramU(PARAM_PICTURE) != 0,
    cancel = paramU(PARAM_CANCEL),
    generation = <i32>paramU(PARAM_GENERATION);
  const lens = paramF(PARAM_LENS_RADIUS) > 0,
    shutter = paramU(PARAM_SHUTTER) != 0,
    spread = paramF(PARAM_SPREAD);
  const halfAt = paramU(PARAM_FILM_HALF) << 2,
    featuresAt = paramU(PARAM_FILM_FEATURES) << 2,
    extrasAt = paramU(PARAM_FILM_EXTRAS) << 2;
  const propsAt = paramU(PARAM_FILM_PROPS) << 2,
    materialsAt = paramU(PARAM_FILM_MATERIALS) << 2,
    lightsAt = paramU(PARAM_FILM_LIGHTS) << 2;
  const propLightsAt = paramU(PARAM_FILM_PROP_LIGHTS) << 2,
    groups = GROUP_LAMPS + light.properLamps();
  const occlusion = paramF(PARAM_OCCLUSION);
  setMoment(0);
  for (let y = y0; y < y1; y++) {
    if (cancel && atomic.load<i32>(cancel) != generation) return 1;
    if (s0 == 0) memory.fill(film + (y * width + x0) * stride, 0, (x1 - x0) * stride);
    let ahead: u32 = 4;
    for (let x = x0; x < x1; x++) {
      pixel = film + (y * width + x) * stride;
      lights = pixel + lightsAt;
      for (let s = s0; s < s1; s++) {
        half = halfAt && !(s & 1) ? pixel + halfAt : 0;
        if (ahead === 4) {
          aimAhead(rays, x, y, s, s0, s1);
          ahead = 0;
        }
        startSample(y * width + x, s, seed);
        seekDimension(LENS_DIMENSION);
        const u = load<f32>(rays + (ahead << 2)),
          v = load<f32>(rays + (ahead << 2), 16);
        takeRay(rays, ahead++);
        let ox = ex,
          oy = ey,
          oz = ez;
        if (lens) {
          throughLens();
          ox = lensX();
          oy = lensY();
          oz = lensZ();
        }
        if (shutter) {
          seekDimension(MOMENT_DIMENSION);
          draw();
          setMoment(draw1());
        }
        const dx = rayX(),
          dy = rayY(),
          dz = rayZ();
        const met = findNearest(SET_SEEN, ox, oy, oz, dx, dy, dz, RAY_CAMERA);
        addOne(pixel + (FILM_SAMPLES << 2), 1);
        const instance = metInstance;
        clearLimited();
        if (picture || instance) {
          const depth = metT * (dx * axisX + dy * axisY + dz * axisZ);
          if (met && instance && featuresAt | extrasAt | materialsAt | propsAt) {
            surface.loadSurface(metTriangle, metU, metV, instance, dx, dy, dz, metT * spread);
            noteSurface(featuresAt, extrasAt, surface.baseR, surface.baseG, surface.baseB);
            if (propsAt) addOne(pixel + propsAt + (surface.prop << 2), 1);
            if (materialsAt) addOne(pixel + materialsAt + (surface.materialNumber() << 2), 1);
            if (extrasAt && occlusion > 0) occlude(pixel + extrasAt, occlusion);
            if (featuresAt) noteShown(pixel + featuresAt + (FEATURE_SHOWN << 2), dx, dy, dz, spread);
          }
          if (propLightsAt) splitLight(groups);
          followPath(ox, oy, oz, dx, dy, dz, true, 0, 0, FROM_CAMERA, true, 0, spread, PATH_DIMENSION);
          if (propLightsAt) {
            addByLight(pixel + propLightsAt, groups);
            splitLight(0);
          }
          add(pixel + (FILM_PROP << 2), radianceR, radianceG, radianceB);
          if (half) add(half + (HALF_PROP << 2), radianceR, radianceG, radianceB);
          if (extrasAt) add(pixel + extrasAt + (EXTRA_EMISSION << 2), ownR, ownG, ownB);
          if (met) {
            addOne(pixel + (FILM_ALPHA << 2), 1);
            addOne(pixel + (FILM_DEPTH << 2), depth);
            if (half) addOne(half + (HALF_ALPHA << 2), 1);
          }
        } else if (met) {
          surface.loadSurface(metTriangle, metU, metV, 0, dx, dy, dz, metT * spread);
          addOne(pixel + (FILM_SET << 2), 1);
          // What glows by itself keeps its brightness behind a shadow.
          if (load<u32>(surface.part, PART_FLAGS) & PART_IS_CATCHER && !(load<f32>(surface.part, PART_GLOW) > 0)) {
            if (featuresAt)
              noteSurface(
                featuresAt,
                0,
                load<f32>(surface.part, PART_ALBEDO),
                load<f32>(surface.part, PART_ALBEDO + 4),
                load<f32>(surface.part, PART_ALBEDO + 8),
              );
            if (extrasAt && occlusion > 0) occlude(pixel + extrasAt, occlusion);
            evaluateCatcher(u, v, dx, dy, dz);
          }
        }
        if (limited) addOne(pixel + (FILM_LIMITED << 2), 1);
      }
    }
  }
  return 0;
}

/** Adds the light of the path just followed to a pixel's sums by group. */
function addByLight(address: u32, groups: u32): void {
  const from = lightScratch(),
    count = min<u32>(groups, MAX_LIGHT_GROUPS);
  for (let g: u32 = 0; g < count; g++) {
    const at = from + g * 24;
    add(
      address + g * 12,
      load<f32>(at) + keptShare * load<f32>(at, 12),
      load<f32>(at, 4) + keptShare * load<f32>(at, 16),
      load<f32>(at, 8) + keptShare * load<f32>(at, 20),
    );
  }
}

function noteSurface(featuresAt: u32, extrasAt: u32, r: f32, g: f32, b: f32): void {
  if (featuresAt) {
    add(pixel + featuresAt + (FEATURE_ALBEDO << 2), r, g, b);
    add(pixel + featuresAt + (FEATURE_NORMAL << 2), surface.nx, surface.ny, surface.nz);
  }
  if (extrasAt) add(pixel + extrasAt + (EXTRA_POSITION << 2), surface.px, surface.py, surface.pz);
}

/** Adds what the prop's surface hit last mirrors and lets through; the hit is the nearest one afterwards. */
function noteShown(shown: u32, dx: f32, dy: f32, dz: f32, spread: f32): void {
  holdHit();
  takeShown(dx, dy, dz, spread);
  returnToHit();
  add(shown, shownR, shownG, shownB);
}

/**
 * Light on the set without sun and props at cells of a coarse picture of the plate, -1 where no set is seen: its
 * irradiance, behind that picture a second one of what it would be if the set shone from all around as it does from where
 * it stands, and a third one of its gloss towards the camera, with the sun. Returns as `renderTile` does.
 */
export function renderFill(params: u32, y0: u32, y1: u32, width: u32, height: u32, samples: u32, out: u32): u32 {
  setParams(params);
  setMoment(0);
  splitLight(0);
  const cancel = paramU(PARAM_CANCEL),
    generation = <i32>paramU(PARAM_GENERATION);
  const scaleX = paramF(PARAM_FRAME_WIDTH) / <f32>width,
    scaleY = paramF(PARAM_FRAME_HEIGHT) / <f32>height;
  const ex = paramF(PARAM_POSITION),
    ey = paramF(PARAM_POSITION + 4),
    ez = paramF(PARAM_POSITION + 8),
    seed = paramU(PARAM_SEED);
  for (let y = y0; y < y1; y++) {
    if (cancel && atomic.load<i32>(cancel) != generation) return 1;
    for (let x: u32 = 0; x < width; x++) {
      const cell = out + (y * width + x) * 12,
        around = cell + width * height * 12,
        gloss = around + width * height * 12;
      aimAtPixel((<f32>x + <f32>0.5) * scaleX, (<f32>y + <f32>0.5) * scaleY);
      const dx = rayX(),
        dy = rayY(),
        dz = rayZ();
      if (!findNearest(SET_SEEN, ex, ey, ez, dx, dy, dz, 0)) {
        store<f32>(cell, -1);
        store<f32>(cell, -1, 4);
        store<f32>(cell, -1, 8);
        store<f32>(around, -1);
        store<f32>(around, -1, 4);
        store<f32>(around, -1, 8);
        store<f32>(gloss, -1);
        store<f32>(gloss, -1, 4);
        store<f32>(gloss, -1, 8);
        continue;
      }
      const triangle = metTriangle,
        hitU = metU,
        hitV = metV;
      surface.loadSurface(metTriangle, metU, metV, 0, dx, dy, dz, 0);
      gatherGloss(y * width + x, seed, samples, dx, dy, dz);
      store<f32>(gloss, gatherR);
      store<f32>(gloss, gatherG, 4);
      store<f32>(gloss, gatherB, 8);
      surface.loadSurface(triangle, hitU, hitV, 0, dx, dy, dz, 0);
      gatherHemisphere(y * width + x, seed, samples);
      store<f32>(cell, gatherR);
      store<f32>(cell, gatherG, 4);
      store<f32>(cell, gatherB, 8);
      const closed: f32 = openShare < 1 ? ONE / (ONE - openShare) : 0;
      store<f32>(around, closed * setR);
      store<f32>(around, closed * setG, 4);
      store<f32>(around, closed * setB, 8);
    }
  }
  return 0;
}

let gatherR: f32 = 0,
  gatherG: f32 = 0,
  gatherB: f32 = 0,
  openShare: f32 = 0,
  bounceR: f32 = 0,
  bounceG: f32 = 0,
  bounceB: f32 = 0,
  setR: f32 = 0,
  setG: f32 = 0,
  setB: f32 = 0,
  skyFromR: f32 = 0,
  skyFromG: f32 = 0,
  skyFromB: f32 = 0;
/** Where irradiance by lamp is summed, three f32 each; 0 for nowhere. */
let lampSums: u32 = 0;

/** Gloss towards the camera of the set surface loaded last, seen along (dx, dy, dz): `gatherR` to `gatherB`. */
function gatherGloss(cell: u32, seed: u32, samples: u32, dx: f32, dy: f32, dz: f32): void {
  gatherR = 0;
  gatherG = 0;
  gatherB = 0;
  const roughness = load<f32>(surface.part, PART_ROUGHNESS),
    specular = load<f32>(surface.part, PART_SPECULAR);
  if (!(specular > 0)) return;
  const gx = surface.gx,
    gy = surface.gy,
    gz = surface.gz,
    px = surface.px,
    py = surface.py,
    pz = surface.pz;
  const x = px + gx * surface.offset,
    y = py + gy * surface.offset,
    z = pz + gz * surface.offset;
  const lamps = light.properLamps() > 0;
  for (let s: u32 = 0; s < samples; s++) {
    startSample(cell, s, seed);
    prepareGloss(dx, dy, dz, gx, gy, gz, roughness, specular);
    beginDraws(CATCHER_DIMENSION, CATCHER_DIMENSION + 2, 0, 0, lamps ? LAMP_DIMENSION : NOT_DRAWN);
    while (nextDraw(x, y, z)) {
      if (drawnGroup == GROUP_SUN) light.scaleDrawn(light.maskAtPoint(px, py, pz));
      gatherDrawn(x, y, z, gx, gy, gz);
    }
    setFrame(gx, gy, gz);
    seekDimension(REFLECTION_DIMENSION);
    draw();
    if (!bsdf.sampleBsdf(viewX, viewY, viewZ, 0, draw1(), draw2())) continue;
    bsdf.evaluateBsdf(viewX, viewY, viewZ, bsdf.outX, bsdf.outY, bsdf.outZ);
    if (!(bsdf.pdf > 0)) continue;
    const density = bsdf.pdf,
      weight = bsdf.fR / density;
    toWorld(bsdf.outX, bsdf.outY, bsdf.outZ);
    followPath(
      x,
      y,
      z,
      worldX(),
      worldY(),
      worldZ(),
      false,
      density,
      0,
      FROM_GLOSS,
      false,
      0,
      <f32>0.5 * roughness * roughness,
      REFLECTED_PATH_DIMENSION,
    );
    gatherR += weight * radianceR;
    gatherG += weight * radianceG;
    gatherB += weight * radianceB;
  }
  const n = ONE / <f32>samples;
  gatherR *= n;
  gatherG *= n;
  gatherB *= n;
}

function gatherDrawn(x: f32, y: f32, z: f32, gx: f32, gy: f32, gz: f32): void {
  const toX = light.toX,
    toY = light.toY,
    toZ = light.toZ,
    kind = drawnGroup == GROUP_SKY ? SET_BLOCKS : SET_SHADOW;
  if (toX * gx + toY * gy + toZ * gz <= 0 || light.setBlocks(kind, x, y, z, toX, toY, toZ, light.reach)) return;
  setFrame(gx, gy, gz);
  bsdf.evaluateBsdf(viewX, viewY, viewZ, localX(toX, toY, toZ), localY(toX, toY, toZ), localZ(toX, toY, toZ));
  if (!(bsdf.pdf > 0)) return;
  const w = (bsdf.fR * light.density) / (light.density + bsdf.pdf);
  gatherR += w * light.lightR;
  gatherG += w * light.lightG;
  gatherB += w * light.lightB;
}

function gatherHemisphere(cell: u32, seed: u32, samples: u32): void {
  const gx = surface.gx,
    gy = surface.gy,
    gz = surface.gz;
  const x = surface.px + gx * surface.offset,
    y = surface.py + gy * surface.offset,
    z = surface.pz + gz * surface.offset;
  let open: f32 = 0,
    br: f32 = 0,
    bg: f32 = 0,
    bb: f32 = 0,
    sr: f32 = 0,
    sg: f32 = 0,
    sb: f32 = 0,
    lr: f32 = 0,
    lg: f32 = 0,
    lb: f32 = 0;
  const proper = light.properLamps();
  for (let s: u32 = 0; s < samples; s++) {
    startSample(cell, s, seed);
    beginDraws(NOT_DRAWN, CATCHER_DIMENSION + 2, LAMP_DIMENSION, proper, NOT_DRAWN);
    while (nextDraw(x, y, z)) {
      const c = light.toX * gx + light.toY * gy + light.toZ * gz,
        sky = drawnGroup == GROUP_SKY;
      if (c <= 0) continue;
      if (light.setBlocks(sky ? SET_BLOCKS : SET_SHADOW, x, y, z, light.toX, light.toY, light.toZ, light.reach))
        continue;
      if (sky) {
        const w = (c * light.density) / (light.density + c * INV_PI);
        sr += w * light.lightR;
        sg += w * light.lightG;
        sb += w * light.lightB;
      } else {
        lr += c * light.lightR;
        lg += c * light.lightG;
        lb += c * light.lightB;
        if (lampSums)
          add(lampSums + (drawnGroup - GROUP_LAMPS) * 12, c * light.lightR, c * light.lightG, c * light.lightB);
      }
    }
    seekDimension(CATCHER_DIMENSION + 1);
    setFrame(gx, gy, gz);
    const cosine = drawCosine();
    const wx = worldX(),
      wy = worldY(),
      wz = worldZ();
    const met = findNearest(SET_BOUNCE | SET_BLOCKS, x, y, z, wx, wy, wz, 0);
    followPath(
      x,
      y,
      z,
      wx,
      wy,
      wz,
      false,
      cosine * INV_PI,
      TAKEN_SUN | TAKEN_LAMPS,
      FROM_MATT,
      true,
      0,
      0.25,
      PATH_DIMENSION,
    );
    if (met || wz <= 0) {
      br += PI * radianceR;
      bg += PI * radianceG;
      bb += PI * radianceB;
    } else {
      // What casts the plate's marked shades is no sky: it counts with the set.
      light.meetCasters(x, y, z, wx, wy, wz);
      open += light.openShare;
      br += PI * light.casterR;
      bg += PI * light.casterG;
      bb += PI * light.casterB;
      sr += PI * (radianceR - light.casterR);
      sg += PI * (radianceG - light.casterG);
      sb += PI * (radianceB - light.casterB);
    }
  }
  const n = ONE / <f32>samples;
  openShare = open * n;
  setR = br * n;
  setG = bg * n;
  setB = bb * n;
  skyFromR = sr * n;
  skyFromG = sg * n;
  skyFromB = sb * n;
  bounceR = (br + lr) * n;
  bounceG = (bg + lg) * n;
  bounceB = (bb + lb) * n;
  gatherR = bounceR + sr * n;
  gatherG = bounceG + sg * n;
  gatherB = bounceB + sb * n;
}

/**
 * Light on the set where plate pixels show it. `pixels` holds two f32 each; `out` takes twelve each, and three more for
 * every lamp: the share of the cosine-weighted hemisphere that is open sky, irradiance from the set (3), the share of the
 * sun that comes there, the cosine to it, irradiance from the sky (3), the radiance of its gloss towards the camera (3),
 * and irradiance from each lamp (3). A pixel that shows no set gets an open share of -1.
 */
export function probePixels(params: u32, pixels: u32, count: u32, samples: u32, out: u32): void {
  setParams(params);
  const ex = paramF(PARAM_POSITION),
    ey = paramF(PARAM_POSITION + 4),
    ez = paramF(PARAM_POSITION + 8),
    seed = paramU(PARAM_SEED);
  const lamps = light.properLamps(),
    stride = (12 + 3 * lamps) << 2;
  for (let i: u32 = 0; i < count; i++) {
    const to = out + i * stride;
    memory.fill(to, 0, stride);
    aimAtPixel(load<f32>(pixels + (i << 3)), load<f32>(pixels + (i << 3), 4));
    const dx = rayX(),
      dy = rayY(),
      dz = rayZ();
    if (!findNearest(SET_SEEN, ex, ey, ez, dx, dy, dz, 0)) {
      store<f32>(to, -1);
      continue;
    }
    const triangle = metTriangle,
      u = metU,
      v = metV;
    surface.loadSurface(triangle, u, v, 0, dx, dy, dz, 0);
    const gx = surface.gx,
      gy = surface.gy,
      gz = surface.gz;
    const x = surface.px + gx * surface.offset,
      y = surface.py + gy * surface.offset,
      z = surface.pz + gz * surface.offset;
    lampSums = to + 48;
    gatherHemisphere(i, seed, samples);
    lampSums = 0;
    const each = ONE / <f32>samples;
    for (let l: u32 = 0; l < 3 * lamps; l++) {
      const at = to + 48 + (l << 2);
      store<f32>(at, each * load<f32>(at));
    }
    store<f32>(to, openShare);
    store<f32>(to, setR, 4);
    store<f32>(to, setG, 8);
    store<f32>(to, setB, 12);
    store<f32>(to, skyFromR, 24);
    store<f32>(to, skyFromG, 28);
    store<f32>(to, skyFromB, 32);
    let seen: f32 = 0,
      cosine: f32 = 0;
    for (let s: u32 = 0; s < 64; s++) {
      startSample(i, s, seed);
      light.drawSun();
      const c = light.sunX * gx + light.sunY * gy + light.sunZ * gz;
      cosine += c;
      if (c > 0 && !light.setBlocks(SET_SHADOW, x, y, z, light.sunX, light.sunY, light.sunZ, FAR)) seen += 1;
    }
    store<f32>(to, (light.maskAtPixel(load<f32>(pixels + (i << 3)), load<f32>(pixels + (i << 3), 4)) * seen) / 64, 16);
    store<f32>(to, cosine / 64, 20);
    surface.loadSurface(triangle, u, v, 0, dx, dy, dz, 0);
    gatherGloss(i, seed, samples, dx, dy, dz);
    store<f32>(to, gatherR, 36);
    store<f32>(to, gatherG, 40);
    store<f32>(to, gatherB, 44);
  }
}

/**
 * Adds what comes to a point along directions, three f32 each, to `out`, three f32 each: light of the set, the lamps and
 * the sky, without props and without the sun's own disc. `unlit` are the light groups that are left out there.
 */
export function lookFrom(
  params: u32,
  x: f32,
  y: f32,
  z: f32,
  directions: u32,
  count: u32,
  sample: u32,
  unlit: u32,
  out: u32,
): void {
  setParams(params);
  setMoment(0);
  splitLight(0);
  spareFirst(unlit);
  const seed = paramU(PARAM_SEED);
  for (let i: u32 = 0; i < count; i++) {
    const way = directions + i * 12;
    startSample(i, sample, seed);
    followPath(
      x,
      y,
      z,
      load<f32>(way),
      load<f32>(way, 4),
      load<f32>(way, 8),
      false,
      0,
      0,
      FROM_PLACE,
      false,
      0,
      0,
      PATH_DIMENSION,
    );
    add(out + i * 12, radianceR, radianceG, radianceB);
  }
}

let pickedT: f32 = 0,
  pickedProp: i32 = -1;

/**
 * What the plate pixel shows: the distance along the view axis in metres, 0 for nothing. `pickedPropNumber` is then the
 * prop's number, or -1 for the set.
 */
export function pickPixel(params: u32, u: f32, v: f32): f32 {
  setParams(params);
  setMoment(0);
  startSample(0, 0, 1);
  aimAtPixel(u, v);
  const dx = rayX(),
    dy = rayY(),
    dz = rayZ();
  pickedProp = -1;
  if (
    !findNearest(
      SET_SEEN,
      paramF(PARAM_POSITION),
      paramF(PARAM_POSITION + 4),
      paramF(PARAM_POSITION + 8),
      dx,
      dy,
      dz,
      RAY_CAMERA,
    )
  )
    return 0;
  pickedT =
    metT * (dx * paramF(PARAM_ROTATION + 24) + dy * paramF(PARAM_ROTATION + 28) + dz * paramF(PARAM_ROTATION + 32));
  if (metInstance) {
    surface.loadSurface(metTriangle, metU, metV, metInstance, dx, dy, dz, 0);
    pickedProp = <i32>surface.prop;
  }
  return pickedT;
}
export function pickedPropNumber(): i32 {
  return pickedProp;
}

/**
 * Batch for tests: `count` draws of the material of triangle 0 for a viewer in the local frame; `out` takes seven f32
 * each: direction, value times cosine, density (0 where absorbed).
 */
export function drawBsdf(params: u32, vx: f32, vy: f32, vz: f32, front: u32, count: u32, out: u32): void {
  setParams(params);
  surface.loadSurface(0, 0.3, 0.3, 0, 0, 0, front ? <f32>-1 : <f32>1, 0);
  bsdf.prepareBsdf(vz);
  for (let i: u32 = 0; i < count; i++) {
    const to = out + i * 28;
    memory.fill(to, 0, 28);
    startSample(7, i, 11);
    draw();
    const lobe = draw1();
    draw();
    if (!bsdf.sampleBsdf(vx, vy, vz, lobe, draw1(), draw2())) continue;
    bsdf.evaluateBsdf(vx, vy, vz, bsdf.outX, bsdf.outY, bsdf.outZ);
    store<f32>(to, bsdf.outX);
    store<f32>(to, bsdf.outY, 4);
    store<f32>(to, bsdf.outZ, 8);
    store<f32>(to, bsdf.fR, 12);
    store<f32>(to, bsdf.fG, 16);
    store<f32>(to, bsdf.fB, 20);
    store<f32>(to, bsdf.pdf, 24);
  }
}
