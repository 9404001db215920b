// Radiance along a ray, with the props or without them.
//
// A set surface that the camera sees shows the plate, so its radiance without props is known: the plate's own colour.
// With props it is scaled by how much of its irradiance they take away, and the light they return is followed on. What
// the camera sees of its gloss is no light that others get: it is taken off, and each way gets the gloss of its own.
// Surfaces that the plate does not show, and the endless floor, are Lambert in a colour given for them.
//
// Light that goes through glass towards a surface that was already lit straight through it (see ask.ts) is not counted
// again on the refracted way.
import { paramF, paramU } from "./params";
import { closest, closestInstance, countRay, hitInstance, hitT, hitU, hitV, lightScratch } from "./traversal";
import { askSet, throughB, throughG, throughR } from "./ask";
import { draw, draw1, draw2, seekDimension } from "./sampler";
import { drawCosine, localX, localY, localZ, setFrame, setFrameAlong, toWorld, worldX, worldY, worldZ } from "./frame";
import { projectPoint, projectedX, projectedY } from "./lens";
import { samplePicture, texelB, texelG, texelR } from "./images";
import * as surface from "./surface";
import * as bsdf from "./bsdf";
import * as light from "./light";
import { beginDraws, drawnGroup, nextDraw } from "./draws";
import {
  GROUP_BOUNCE,
  GROUP_SKY,
  GROUP_SUN,
  INSTANCE_FLAGS,
  INSTANCE_MOVES,
  INSTANCE_UNLIT,
  MATERIAL_SEES_BACKDROP,
  MATERIAL_THIN,
  MATERIAL_TRANSMITS,
  MAX_LIGHT_GROUPS,
  PARAM_FILL,
  PARAM_FILL_HEIGHT,
  PARAM_FILL_WIDTH,
  PARAM_FLOOR_ALBEDO,
  PARAM_FLOOR_HEIGHT,
  PARAM_FLOOR_ON,
  PARAM_FRAME_HEIGHT,
  PARAM_FRAME_WIDTH,
  PARAM_LIMIT,
  PARAM_MAX_DEPTH,
  PARAM_PLATE,
  PARAM_PLATE_HEIGHT,
  PARAM_PLATE_WIDTH,
  PARAM_POSITION,
  PARAM_PROP_ROOT,
  PARAM_SET_ROOT,
  PARAM_SUN_IRRADIANCE,
  PART_ALBEDO,
  PART_FLAGS,
  PART_GLOW,
  PART_GLOW_COLOUR,
  PART_IS_SET,
  PART_OWN_COLOUR,
  PART_ROUGHNESS,
  PART_SPECULAR,
  RAY_BOUNCE,
  RAY_CAMERA,
  RAY_REFLECTION,
  RAY_SHADOW,
  SET_BLOCKS,
  SET_BOUNCE,
  SET_REFLECTION,
  SET_SEEN,
  SET_SHADOW,
} from "./layout";

const ONE: f32 = 1;
const PI: f32 = 3.141592653589793;
const INV_PI: f32 = 0.3183098861837907;
const FAR: f32 = 1e30;
/** Dimensions of a bounce: sun 0, environment 1-2, lamps 3-4, lobe 5, direction 6, roulette 7. */
const BOUNCE_DIMENSIONS: u32 = 8;
/** Up to so many lamps are all drawn at what the camera sees, mirrored or through glass too; elsewhere one of them. */
const EVERY_LAMP: u32 = 8;
const EVERY_LAMP_DIMENSION: u32 = 400;
/** Share of the paths that follow the gloss of the set on, where it has any. */
const GLOSS_SHARE: f32 = 0.25;
/** Density below which a lobe scatters as a matt surface does. */
const BROAD: f32 = 5;

/** Lights that the surface before has counted in full by itself: a path that meets them adds nothing. */
export const TAKEN_SUN: u32 = 1;
export const TAKEN_LAMPS: u32 = 2;

/** What a path starts from. */
export const FROM_CAMERA: u32 = 0;
export const FROM_GLOSS: u32 = 1;
export const FROM_MATT: u32 = 2;
/** A place that is looked around from: as what a mirror there shows. */
export const FROM_PLACE: u32 = 3;

export let radianceR: f32 = 0,
  radianceG: f32 = 0,
  radianceB: f32 = 0;
/** Light that the first surface sends out by itself, within the radiance. */
export let ownR: f32 = 0,
  ownG: f32 = 0,
  ownB: f32 = 0;
/** True once the limit has cut light off since it was last cleared. */
export let limited = false;
/** Share that the limit left of what it may cut, of the path just followed. */
export let keptShare: f32 = 1;
export function clearLimited(): void {
  limited = false;
}

// The nearest hit of the ray just traced.
export let metTriangle: i32 = -1;
export let metT: f32 = 0,
  metU: f32 = 0,
  metV: f32 = 0;
export let metInstance: u32 = 0;

/** Traces the set as rays of a kind (SET_*) meet it, and those props in front of it that rays of a kind in `mask` meet; 0 for no props. True if anything is met. */
export function findNearest(kind: u32, ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32, mask: u32): bool {
  countRay();
  metTriangle = -1;
  metT = FAR;
  metInstance = 0;
  askSet(kind);
  const s = closest(paramU(PARAM_SET_ROOT), ox, oy, oz, dx, dy, dz, 0, FAR);
  if (s >= 0) {
    metTriangle = s;
    metT = hitT();
    metU = hitU();
    metV = hitV();
  }
  if (mask) findBefore(mask, ox, oy, oz, dx, dy, dz);
  return metTriangle >= 0;
}

/** Looks for props that rays of a kind in `mask` meet before the nearest hit of the same ray, and makes the first of them that hit. */
export function findBefore(mask: u32, ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32): void {
  const p = closestInstance(paramU(PARAM_PROP_ROOT), mask, ox, oy, oz, dx, dy, dz, 0, metT);
  if (p < 0) return;
  light.touchProps();
  metTriangle = p;
  metT = hitT();
  metU = hitU();
  metV = hitV();
  metInstance = hitInstance();
}

let heldTriangle: i32 = -1;
let heldT: f32 = 0,
  heldU: f32 = 0,
  heldV: f32 = 0;
let heldInstance: u32 = 0;
/** Keeps the nearest hit while others are asked for. */
export function holdHit(): void {
  heldTriangle = metTriangle;
  heldT = metT;
  heldU = metU;
  heldV = metV;
  heldInstance = metInstance;
}
export function returnToHit(): void {
  metTriangle = heldTriangle;
  metT = heldT;
  metU = heldU;
  metV = heldV;
  metInstance = heldInstance;
}

/** What of the set a path's ray meets, by the kind of ray that props see in it. */
// @ts-ignore: decorator
@inline
function setKindOf(mask: u32): u32 {
  return mask == RAY_CAMERA ? SET_SEEN : mask == RAY_REFLECTION ? SET_REFLECTION : SET_BOUNCE | SET_BLOCKS;
}

/** True if the plate shows the surface point loaded last; its pixel is then `projectedX`, `projectedY`. */
export function plateShows(): bool {
  // What the camera looks through, or what has a colour of its own, is not what was photographed there.
  if (!paramU(PARAM_PLATE) || (load<u32>(surface.part, PART_FLAGS) & (SET_SEEN | PART_OWN_COLOUR)) != SET_SEEN)
    return false;
  const x = surface.px + surface.gx * surface.offset,
    y = surface.py + surface.gy * surface.offset,
    z = surface.pz + surface.gz * surface.offset;
  const dx = paramF(PARAM_POSITION) - x,
    dy = paramF(PARAM_POSITION + 4) - y,
    dz = paramF(PARAM_POSITION + 8) - z;
  // The side that faces away from the camera is not the side that was photographed.
  if (dx * surface.gx + dy * surface.gy + dz * surface.gz <= 0) return false;
  return cameraSees(surface.px, surface.py, surface.pz, x, y, z);
}

/** True if a point lies in the frame and nothing of the set stands before it, seen from (x, y, z) beside it. */
function cameraSees(px: f32, py: f32, pz: f32, x: f32, y: f32, z: f32): bool {
  if (projectPoint(px, py, pz) <= 0) return false;
  const u = projectedX(),
    v = projectedY();
  if (u < 0 || v < 0 || u > paramF(PARAM_FRAME_WIDTH) || v > paramF(PARAM_FRAME_HEIGHT)) return false;
  const dx = paramF(PARAM_POSITION) - x,
    dy = paramF(PARAM_POSITION + 4) - y,
    dz = paramF(PARAM_POSITION + 8) - z;
  const distance = sqrt<f32>(dx * dx + dy * dy + dz * dz),
    s = ONE / distance;
  return !light.setBlocks(SET_SEEN, x, y, z, dx * s, dy * s, dz * s, distance);
}

/** Takes the plate's colour at the pixel projected last: `texelR` to `texelB`. */
export function takePlate(): void {
  const w = paramU(PARAM_PLATE_WIDTH),
    h = paramU(PARAM_PLATE_HEIGHT);
  samplePicture(
    paramU(PARAM_PLATE),
    w,
    h,
    (projectedX() / paramF(PARAM_FRAME_WIDTH)) * <f32>w,
    (projectedY() / paramF(PARAM_FRAME_HEIGHT)) * <f32>h,
  );
}

// Sums of the path in progress: what the limit leaves alone, and what it may cut.
let freeR: f32 = 0,
  freeG: f32 = 0,
  freeB: f32 = 0,
  boundR: f32 = 0,
  boundG: f32 = 0,
  boundB: f32 = 0;

// The light's group, and where the light of the path is kept by group, 0 for nowhere.
let group: u32 = 0;
let split: u32 = 0;

/** Keeps the light of the next paths by group, of which there are `groups`; 0 ends it. */
export function splitLight(groups: u32): void {
  split = groups ? lightScratch() : 0;
  if (split) memory.fill(split, 0, min<u32>(groups, MAX_LIGHT_GROUPS) * 24);
}

// @ts-ignore: decorator
@inline
function gain(matt: bool, r: f32, g: f32, b: f32): void {
  if (split && group < <u32>MAX_LIGHT_GROUPS) {
    const at = split + group * 24 + (matt ? 12 : 0);
    store<f32>(at, load<f32>(at) + r);
    store<f32>(at, load<f32>(at, 4) + g, 4);
    store<f32>(at, load<f32>(at, 8) + b, 8);
  }
  if (matt) {
    boundR += r;
    boundG += g;
    boundB += b;
  } else {
    freeR += r;
    freeG += g;
    freeB += b;
  }
}

/**
 * Adds the light drawn last to the path if the BSDF sends it on and nothing is in the way; weighed, since the BSDF could
 * find it too. Without the props those that shine are dark.
 */
function gainLight(matt: bool, props: bool, through: bool, tr: f32, tg: f32, tb: f32, vx: f32, vy: f32, vz: f32): void {
  const toX = light.toX,
    toY = light.toY,
    toZ = light.toZ,
    density = light.density;
  const side = toX * surface.sx + toY * surface.sy + toZ * surface.sz;
  if (side <= 0 && !through) return;
  const lx = localX(toX, toY, toZ),
    ly = localY(toX, toY, toZ),
    lz = localZ(toX, toY, toZ);
  if (side > 0 != lz > 0) return;
  bsdf.evaluateBsdf(vx, vy, vz, lx, ly, lz);
  if (!(bsdf.pdf > 0)) return;
  const w = density / (density + bsdf.pdf);
  const fr = bsdf.fR * w * light.lightR,
    fg = bsdf.fG * w * light.lightG,
    fb = bsdf.fB * w * light.lightB;
  if (fr + fg + fb <= 0) return;
  let x = surface.px + surface.liftX + surface.gx * surface.offset,
    y = surface.py + surface.liftY + surface.gy * surface.offset,
    z = surface.pz + surface.liftZ + surface.gz * surface.offset;
  if (side < 0) {
    x = surface.px - surface.gx * surface.offset;
    y = surface.py - surface.gy * surface.offset;
    z = surface.pz - surface.gz * surface.offset;
  }
  // From a lifted start the lamp is nearer, and a prop that shines would hide itself.
  const reach = light.reach,
    far = side < 0 ? reach : reach - (surface.liftX * toX + surface.liftY * toY + surface.liftZ * toZ);
  group = drawnGroup;
  if (light.setBlocks(group == GROUP_SKY ? SET_BLOCKS : SET_SHADOW, x, y, z, toX, toY, toZ, far)) return;
  if (props) {
    if (group == GROUP_BOUNCE) light.touchProps();
    if (light.propsBlock(x, y, z, toX, toY, toZ, far)) return;
    gain(matt, tr * fr * throughR(), tg * fg * throughG(), tb * fb * throughB());
  } else if (group != GROUP_BOUNCE) gain(matt, tr * fr, tg * fg, tb * fb);
}

/** Sets the frame of the surface loaded last, along its grain if it has one. */
function setShadingFrame(): void {
  if (surface.anisotropy > 0) setFrameAlong(surface.nx, surface.ny, surface.nz, surface.tx, surface.ty, surface.tz);
  else setFrame(surface.nx, surface.ny, surface.nz);
}

/** True if a light group is among those that a prop is not lit by. */
// @ts-ignore: decorator
@inline
function leavesOut(unlit: u32, lightGroup: u32): bool {
  return lightGroup < 32 && ((unlit >> lightGroup) & 1) != 0;
}

// Towards the viewer, in the frame of the plate's gloss.
let viewX: f32 = 0,
  viewY: f32 = 0,
  viewZ: f32 = 1;

/** Adds the drawn lights' reflection in the gloss of the set surface loaded last, which the plate shows at pixel (u, v). */
function gainGloss(
  matt: bool,
  props: bool,
  tr: f32,
  tg: f32,
  tb: f32,
  dx: f32,
  dy: f32,
  dz: f32,
  x: f32,
  y: f32,
  z: f32,
  u: f32,
  v: f32,
  start: u32,
): void {
  const roughness = load<f32>(surface.part, PART_ROUGHNESS),
    specular = load<f32>(surface.part, PART_SPECULAR);
  surface.makeGloss(specular, roughness);
  setFrame(surface.gx, surface.gy, surface.gz);
  viewX = -localX(dx, dy, dz);
  viewY = -localY(dx, dy, dz);
  viewZ = max<f32>(-localZ(dx, dy, dz), 1e-4);
  bsdf.prepareBsdf(viewZ);
  beginLights(start, drawsEveryLamp(matt) ? light.properLamps() : 0);
  while (nextDraw(x, y, z)) {
    setFrame(surface.gx, surface.gy, surface.gz);
    if (drawnGroup == GROUP_SUN) light.scaleDrawn(light.maskAtPixel(u, v));
    gainLight(matt, props, false, tr, tg, tb, viewX, viewY, viewZ);
  }
  setFrame(surface.gx, surface.gy, surface.gz);
}

/** Begins drawing all lights at a surface of a path, whose random numbers are from `start` on. */
function beginLights(start: u32, every: u32): void {
  beginDraws(start, start + 1, EVERY_LAMP_DIMENSION + start * EVERY_LAMP, every, start + 3);
}

/** True if a surface draws every lamp: `matt` tells that the path to it has scattered. */
function drawsEveryLamp(matt: bool): bool {
  return !matt && light.properLamps() <= EVERY_LAMP;
}

let hiddenR: f32 = 0,
  hiddenG: f32 = 0,
  hiddenB: f32 = 0;

/**
 * Light that a prop hides in a direction from the set surface point at pixel (u, v): the sky, or of the set what the plate
 * shows, where it does not the mean of what the set sends here. Lamps and sun count as far as a direction of density `density` has to find them, 0 for not at all; `every` as in `drawsEveryLamp`.
 */
function loadHidden(
  x: f32,
  y: f32,
  z: f32,
  dx: f32,
  dy: f32,
  dz: f32,
  u: f32,
  v: f32,
  density: f32,
  every: bool,
): void {
  askSet(SET_BOUNCE | SET_BLOCKS);
  const met = closest(paramU(PARAM_SET_ROOT), x, y, z, dx, dy, dz, 0, FAR) >= 0,
    far = met ? hitT() : FAR;
  countRay();
  if (light.properLamps() && light.meetLamp(x, y, z, dx, dy, dz, far)) {
    const w: f32 =
      density > 0
        ? density / (density + (every ? light.density / light.shareOf(light.lampAt(light.lampNumber)) : light.density))
        : 0;
    group = light.lampGroup();
    hiddenR = w * light.lightR;
    hiddenG = w * light.lightG;
    hiddenB = w * light.lightB;
    return;
  }
  if (!met && dz > 0) {
    group = GROUP_SKY;
    light.loadSky(x, y, z, dx, dy, dz, false);
    const w: f32 =
      density > 0 && light.hasEnvironment() ? density / (density + light.environmentPdf(x, y, z, dx, dy, dz)) : ONE;
    hiddenR = w * light.skyR;
    hiddenG = w * light.skyG;
    hiddenB = w * light.skyB;
    if (density > 0 && light.hasSun() && light.inSun(dx, dy, dz)) {
      const p = light.sunPdf(),
        q = (light.maskAtPixel(u, v) * p * density) / (density + p);
      hiddenR += q * paramF(PARAM_SUN_IRRADIANCE);
      hiddenG += q * paramF(PARAM_SUN_IRRADIANCE + 4);
      hiddenB += q * paramF(PARAM_SUN_IRRADIANCE + 8);
    }
    return;
  }
  group = GROUP_BOUNCE;
  if (met) {
    const near = far - max<f32>(1e-4, <f32>5e-4 * far);
    if (cameraSees(x + far * dx, y + far * dy, z + far * dz, x + near * dx, y + near * dy, z + near * dz)) {
      takePlate();
      hiddenR = texelR();
      hiddenG = texelG();
      hiddenB = texelB();
      return;
    }
  }
  const fw = paramU(PARAM_FILL_WIDTH),
    fh = paramU(PARAM_FILL_HEIGHT);
  samplePicture(
    paramU(PARAM_FILL) + fw * fh * 12,
    fw,
    fh,
    (u / paramF(PARAM_FRAME_WIDTH)) * <f32>fw,
    (v / paramF(PARAM_FRAME_HEIGHT)) * <f32>fh,
  );
  hiddenR = INV_PI * texelR();
  hiddenG = INV_PI * texelG();
  hiddenB = INV_PI * texelB();
}

/**
 * Adds the light drawn last to the path as a Lambert surface of the colour loaded returns it; its colour is in the
 * throughput already. The sun is found by drawing alone. Without the props those that shine are dark.
 */
function gainMatt(props: bool, tr: f32, tg: f32, tb: f32, x: f32, y: f32, z: f32, bound: bool): void {
  const toX = light.toX,
    toY = light.toY,
    toZ = light.toZ,
    reach = light.reach,
    density = light.density;
  group = drawnGroup;
  if (!props && group == GROUP_BOUNCE) return;
  const c = (toX * surface.gx + toY * surface.gy + toZ * surface.gz) * INV_PI;
  if (c <= 0 || light.setBlocks(group == GROUP_SKY ? SET_BLOCKS : SET_SHADOW, x, y, z, toX, toY, toZ, reach)) return;
  let e = c * (group == GROUP_SUN ? ONE : density / (density + c));
  let er = e * light.lightR,
    eg = e * light.lightG,
    eb = e * light.lightB;
  if (props) {
    if (group == GROUP_BOUNCE) light.touchProps();
    if (light.propsBlock(x, y, z, toX, toY, toZ, reach)) return;
    er *= throughR();
    eg *= throughG();
    eb *= throughB();
  }
  gain(bound, tr * er, tg * eg, tb * eb);
}

/** Lights that are left out where a place is looked around from. */
let sparedFirst: u32 = 0;
export function spareFirst(unlit: u32): void {
  sparedFirst = unlit;
}

/**
 * Radiance arriving along the ray: `radianceR` to `radianceB`. `pdfFirst` is the density with which the direction was
 * drawn, 0 for a camera ray; `takenFirst` tells the lights that the start has counted by itself; `from` what the start
 * is. `known` takes the hit of `findNearest` as the first one. Where it left `light.touchedProps` alone, the props' absence
 * would have given the same bits. `width` and `spread` are the ray's cone. Dimensions are
 * drawn from `dimension` on.
 */
export function followPath(
  rox: f32,
  roy: f32,
  roz: f32,
  rdx: f32,
  rdy: f32,
  rdz: f32,
  withProps: bool,
  pdfFirst: f32,
  takenFirst: u32,
  from: u32,
  known: bool,
  widthFirst: f32,
  spreadFirst: f32,
  dimension: u32,
): void {
  let ox = rox,
    oy = roy,
    oz = roz,
    dx = rdx,
    dy = rdy,
    dz = rdz,
    pdfBefore = pdfFirst,
    taken = takenFirst,
    width = widthFirst,
    spread = spreadFirst;
  let tr: f32 = 1,
    tg: f32 = 1,
    tb: f32 = 1;
  let insideR: f32 = 0,
    insideG: f32 = 0,
    insideB: f32 = 0;
  // Whether the surface before drew every lamp, and not one of them.
  let everyBefore = false;
  // Lights that do not light the surface before.
  let unlit: u32 = from == FROM_PLACE ? sparedFirst : 0;
  let backdrop = from == FROM_CAMERA,
    matt = from == FROM_MATT,
    straight = from != FROM_CAMERA,
    bent = false;
  let mask: u32 = from == FROM_CAMERA ? RAY_CAMERA : from == FROM_MATT ? RAY_SHADOW : RAY_REFLECTION;
  freeR = 0;
  freeG = 0;
  freeB = 0;
  boundR = 0;
  boundG = 0;
  boundB = 0;
  ownR = 0;
  ownG = 0;
  ownB = 0;
  const maxDepth = paramU(PARAM_MAX_DEPTH);
  const sunOn = light.hasSun(),
    proper = light.properLamps() != 0,
    environment = light.hasEnvironment();
  const props = withProps && paramU(PARAM_PROP_ROOT) != 0;
  const sr = paramF(PARAM_SUN_IRRADIANCE),
    sg = paramF(PARAM_SUN_IRRADIANCE + 4),
    sb = paramF(PARAM_SUN_IRRADIANCE + 8);
  for (let depth: u32 = 0; depth < maxDepth; depth++) {
    const start = dimension + depth * BOUNCE_DIMENSIONS;
    const met =
      depth == 0 && known ? metTriangle >= 0 : findNearest(setKindOf(mask), ox, oy, oz, dx, dy, dz, props ? mask : 0);
    const t = metT,
      instance = metInstance;
    // A lamp ends the path: what the plate shows behind it, as a window's panes, is the lamp itself.
    if (proper && (depth > 0 || from != FROM_CAMERA) && light.meetLamp(ox, oy, oz, dx, dy, dz, met ? t : FAR)) {
      if (taken & TAKEN_LAMPS) break;
      const p = everyBefore ? light.density / light.shareOf(light.lampAt(light.lampNumber)) : light.density;
      const w = pdfBefore > 0 ? pdfBefore / (pdfBefore + p) : ONE;
      group = light.lampGroup();
      if (!leavesOut(unlit, group)) gain(matt, tr * w * light.lightR, tg * w * light.lightG, tb * w * light.lightB);
      break;
    }
    if (insideR + insideG + insideB > 0 && met) {
      tr *= Mathf.exp(-insideR * t);
      tg *= Mathf.exp(-insideG * t);
      tb *= Mathf.exp(-insideB * t);
    }
    let lambert = false;
    if (!met) {
      const floorZ = paramF(PARAM_FLOOR_HEIGHT);
      const onFloor = paramU(PARAM_FLOOR_ON) && dz < -1e-6 && oz > floorZ;
      // Mirrors and glass show the plate behind the set too, as far as the camera sees there.
      if (!matt && (depth > 0 || from == FROM_PLACE) && paramU(PARAM_PLATE)) {
        const far: f32 = onFloor ? (floorZ - oz) / dz : 1e4;
        const x = ox + far * dx,
          y = oy + far * dy,
          z = oz + far * dz;
        if (cameraSees(x, y, z, x, y, onFloor ? z + <f32>1e-3 : z)) {
          takePlate();
          group = GROUP_BOUNCE;
          gain(false, tr * texelR(), tg * texelG(), tb * texelB());
          break;
        }
      }
      if (onFloor) {
        const far = (floorZ - oz) / dz;
        surface.loadFloor(
          ox + far * dx,
          oy + far * dy,
          floorZ,
          paramF(PARAM_FLOOR_ALBEDO),
          paramF(PARAM_FLOOR_ALBEDO + 4),
          paramF(PARAM_FLOOR_ALBEDO + 8),
        );
        lambert = true;
      } else {
        light.loadSky(ox, oy, oz, dx, dy, dz, backdrop);
        const w: f32 =
          environment && pdfBefore > 0 ? pdfBefore / (pdfBefore + light.environmentPdf(ox, oy, oz, dx, dy, dz)) : ONE;
        group = GROUP_SKY;
        if (!leavesOut(unlit, GROUP_SKY))
          gain(matt && depth > 0, tr * w * light.skyR, tg * w * light.skyG, tb * w * light.skyB);
        if (sunOn && !(taken & TAKEN_SUN) && pdfBefore > 0 && !leavesOut(unlit, GROUP_SUN) && light.inSun(dx, dy, dz)) {
          const p = light.sunPdf(),
            q = (light.maskAlongSun(ox, oy, oz) * p * pdfBefore) / (pdfBefore + p);
          group = GROUP_SUN;
          gain(matt, tr * q * sr, tg * q * sg, tb * q * sb);
        }
        break;
      }
    } else {
      width += spread * t;
      surface.loadSurface(metTriangle, metU, metV, instance, dx, dy, dz, width);
    }

    const set = met && !instance && (load<u32>(surface.part, PART_FLAGS) & PART_IS_SET) != 0;
    // A prop that only casts a shadow: nothing comes back from it.
    if (instance && mask == RAY_SHADOW && !(load<u32>(instance, INSTANCE_FLAGS) & RAY_BOUNCE)) break;
    if (set) {
      const setFlags = load<u32>(surface.part, PART_FLAGS),
        glow = load<f32>(surface.part, PART_GLOW);
      if (mask == RAY_SHADOW && !(setFlags & SET_BLOCKS)) {
        // Outside light comes through it, and adds to what it returns itself.
        if (dz > 0 && !leavesOut(unlit, GROUP_SKY) && !light.setBlocks(SET_BLOCKS, ox, oy, oz, dx, dy, dz, FAR)) {
          light.loadSky(ox, oy, oz, dx, dy, dz, false);
          const w: f32 =
            environment && pdfBefore > 0 ? pdfBefore / (pdfBefore + light.environmentPdf(ox, oy, oz, dx, dy, dz)) : ONE;
          group = GROUP_SKY;
          gain(matt && depth > 0, tr * w * light.skyR, tg * w * light.skyG, tb * w * light.skyB);
        }
      } else if (mask == RAY_SHADOW && !(setFlags & SET_BOUNCE)) break;
      if (glow > 0) {
        group = GROUP_BOUNCE;
        if (plateShows()) {
          takePlate();
          gain(matt && depth > 0, tr * glow * texelR(), tg * glow * texelG(), tb * glow * texelB());
        } else {
          const colour = surface.part + PART_GLOW_COLOUR;
          gain(
            matt && depth > 0,
            tr * glow * load<f32>(colour),
            tg * glow * load<f32>(colour, 4),
            tb * glow * load<f32>(colour, 8),
          );
        }
        break;
      }
      if (plateShows()) {
        const u = projectedX(),
          v = projectedY();
        takePlate();
        let cr = texelR(),
          cg = texelG(),
          cb = texelB();
        // Through a thin pane the camera sees the gloss that it photographed; thick glass bends the way.
        const glossy = paramU(PARAM_FILL) && load<f32>(surface.part, PART_SPECULAR) > 0,
          direct = mask == RAY_CAMERA && !bent;
        if (!paramU(PARAM_FILL) || (!props && (direct || !glossy))) {
          group = GROUP_BOUNCE;
          gain(false, tr * cr, tg * cg, tb * cb);
          break;
        }
        const fw = paramU(PARAM_FILL_WIDTH),
          fh = paramU(PARAM_FILL_HEIGHT);
        samplePicture(
          paramU(PARAM_FILL),
          fw,
          fh,
          (u / paramF(PARAM_FRAME_WIDTH)) * <f32>fw,
          (v / paramF(PARAM_FRAME_HEIGHT)) * <f32>fh,
        );
        const fillR = texelR(),
          fillG = texelG(),
          fillB = texelB();
        const x = surface.px + surface.gx * surface.offset,
          y = surface.py + surface.gy * surface.offset,
          z = surface.pz + surface.gz * surface.offset;
        const every = drawsEveryLamp(matt);
        let onGloss = false;
        if (glossy) {
          samplePicture(
            paramU(PARAM_FILL) + fw * fh * 24,
            fw,
            fh,
            (u / paramF(PARAM_FRAME_WIDTH)) * <f32>fw,
            (v / paramF(PARAM_FRAME_HEIGHT)) * <f32>fh,
          );
          const gr = min<f32>(cr, texelR()),
            gg = min<f32>(cg, texelG()),
            gb = min<f32>(cb, texelB());
          cr -= gr;
          cg -= gg;
          cb -= gb;
          if (direct) {
            group = GROUP_BOUNCE;
            gain(false, tr * gr, tg * gg, tb * gb);
            // Less what the props hide of the lights in it; where they hide nothing the two are the same.
            gainGloss(matt, true, tr, tg, tb, dx, dy, dz, x, y, z, u, v, start);
            gainGloss(matt, false, -tr, -tg, -tb, dx, dy, dz, x, y, z, u, v, start);
          } else gainGloss(matt, props, tr, tg, tb, dx, dy, dz, x, y, z, u, v, start);
          seekDimension(start + 5);
          draw();
          onGloss = draw1() < GLOSS_SHARE;
        }
        let er = fillR,
          eg = fillG,
          eb = fillB,
          lossR: f32 = 0,
          lossG: f32 = 0,
          lossB: f32 = 0;
        if (props && sunOn) {
          seekDimension(start);
          light.drawSun();
          const c = light.sunX * surface.gx + light.sunY * surface.gy + light.sunZ * surface.gz;
          if (c > 0 && !light.setBlocks(SET_SHADOW, x, y, z, light.sunX, light.sunY, light.sunZ, FAR)) {
            const e = c * light.maskAtPixel(u, v);
            er += e * sr;
            eg += e * sg;
            eb += e * sb;
            const blocked = light.propsBlock(x, y, z, light.sunX, light.sunY, light.sunZ, FAR);
            lossR = e * sr * (blocked ? ONE : ONE - throughR());
            lossG = e * sg * (blocked ? ONE : ONE - throughG());
            lossB = e * sb * (blocked ? ONE : ONE - throughB());
          }
        }
        if (props && proper) {
          // The lamps' light is in the fill; here only what a prop takes of it.
          const lampsDrawn = every ? light.properLamps() : 1;
          for (let i: u32 = 0; i < lampsDrawn; i++) {
            seekDimension(every ? EVERY_LAMP_DIMENSION + start * EVERY_LAMP + i : start + 3);
            if (!(every ? light.drawLamp(light.lampAt(i), x, y, z) : light.drawAnyLamp(x, y, z, 0))) continue;
            const c = light.toX * surface.gx + light.toY * surface.gy + light.toZ * surface.gz;
            if (c <= 0 || light.setBlocks(SET_SHADOW, x, y, z, light.toX, light.toY, light.toZ, light.reach)) continue;
            const blocked = light.propsBlock(x, y, z, light.toX, light.toY, light.toZ, light.reach);
            lossR += c * light.lightR * (blocked ? ONE : ONE - throughR());
            lossG += c * light.lightG * (blocked ? ONE : ONE - throughG());
            lossB += c * light.lightB * (blocked ? ONE : ONE - throughB());
          }
        }
        seekDimension(start + 6);
        setFrame(surface.gx, surface.gy, surface.gz);
        const cosine = drawCosine();
        const wx = worldX(),
          wy = worldY(),
          wz = worldZ();
        const occluder = props ? light.nearestCaster(x, y, z, wx, wy, wz) : -1;
        const reach = hitT();
        const meetsProp = occluder >= 0 && !light.setBlocks(SET_BOUNCE | SET_BLOCKS, x, y, z, wx, wy, wz, reach);
        if (meetsProp) {
          loadHidden(x, y, z, wx, wy, wz, u, v, 0, false);
          lossR += PI * hiddenR;
          lossG += PI * hiddenG;
          lossB += PI * hiddenB;
        }
        const tiny: f32 = 1e-6;
        // One sample may take more than there is; only their mean is a share.
        group = GROUP_BOUNCE;
        gain(
          false,
          tr * cr * (ONE - lossR / max<f32>(er, tiny)),
          tg * cg * (ONE - lossG / max<f32>(eg, tiny)),
          tb * cb * (ONE - lossB / max<f32>(eb, tiny)),
        );
        ox = x;
        oy = y;
        oz = z;
        unlit = 0;
        backdrop = false;
        if (onGloss) {
          draw();
          setFrame(surface.gx, surface.gy, surface.gz);
          if (!bsdf.sampleBsdf(viewX, viewY, viewZ, 0, draw1(), draw2())) break;
          bsdf.evaluateBsdf(viewX, viewY, viewZ, bsdf.outX, bsdf.outY, bsdf.outZ);
          if (!(bsdf.pdf > 0)) break;
          const s = bsdf.fR / (GLOSS_SHARE * bsdf.pdf);
          tr *= s;
          tg *= s;
          tb *= s;
          toWorld(bsdf.outX, bsdf.outY, bsdf.outZ);
          dx = worldX();
          dy = worldY();
          dz = worldZ();
          pdfBefore = bsdf.pdf;
          everyBefore = every;
          if (direct) {
            // The plate holds what is reflected without the props: only a way that meets one changes it.
            if (
              light.nearestCaster(x, y, z, dx, dy, dz) < 0 ||
              light.setBlocks(SET_BOUNCE | SET_BLOCKS, x, y, z, dx, dy, dz, hitT())
            )
              break;
            loadHidden(x, y, z, dx, dy, dz, u, v, pdfBefore, everyBefore);
            gain(matt, -tr * hiddenR, -tg * hiddenG, -tb * hiddenB);
          }
          taken = 0;
          straight = true;
          matt = matt || bsdf.pdf < BROAD;
          mask = matt ? RAY_SHADOW : RAY_REFLECTION;
          spread = max<f32>(spread, bsdf.pdf < BROAD ? 0.25 : <f32>0.5 * surface.roughness * surface.roughness);
          continue;
        }
        if (!meetsProp) break;
        const kept: f32 = glossy ? ONE / (ONE - GLOSS_SHARE) : ONE;
        tr *= kept * min<f32>(1, (PI * cr) / max<f32>(er, tiny));
        tg *= kept * min<f32>(1, (PI * cg) / max<f32>(eg, tiny));
        tb *= kept * min<f32>(1, (PI * cb) / max<f32>(eb, tiny));
        dx = wx;
        dy = wy;
        dz = wz;
        pdfBefore = cosine * INV_PI;
        taken = TAKEN_SUN | TAKEN_LAMPS;
        straight = true;
        matt = true;
        mask = RAY_SHADOW;
        spread = 0.25;
        continue;
      }
      surface.setBase(
        load<f32>(surface.part, PART_ALBEDO),
        load<f32>(surface.part, PART_ALBEDO + 4),
        load<f32>(surface.part, PART_ALBEDO + 8),
      );
      lambert = true;
    }

    const x = surface.px + surface.gx * surface.offset,
      y = surface.py + surface.gy * surface.offset,
      z = surface.pz + surface.gz * surface.offset;
    if (lambert) {
      tr *= surface.baseR;
      tg *= surface.baseG;
      tb *= surface.baseB;
      beginLights(start, 0);
      while (nextDraw(x, y, z)) {
        if (drawnGroup == GROUP_SUN) {
          const m = light.maskAlongSun(x, y, z);
          if (!(m > 0)) continue;
          light.scaleDrawn(m);
        }
        gainMatt(props, tr, tg, tb, x, y, z, matt);
      }
      seekDimension(start + 6);
      setFrame(surface.gx, surface.gy, surface.gz);
      pdfBefore = drawCosine() * INV_PI;
      everyBefore = false;
      dx = worldX();
      dy = worldY();
      dz = worldZ();
      ox = x;
      oy = y;
      oz = z;
      unlit = 0;
      taken = TAKEN_SUN;
      straight = true;
      matt = true;
      mask = RAY_SHADOW;
      backdrop = false;
      spread = 0.25;
    } else {
      if (surface.emitR + surface.emitG + surface.emitB > 0) {
        // Only lights that are drawn share their weight with the paths that meet them; a moving prop is not drawn.
        const kind = instance ? load<u32>(instance, INSTANCE_FLAGS) : 0;
        const luminance: f32 = kind & INSTANCE_MOVES || !(kind & RAY_SHADOW) ? 0 : surface.lampLuminance();
        let w: f32 = 1;
        if (depth > 0 || from != FROM_CAMERA) {
          if (luminance > 0 && pdfBefore > 0) {
            let p = light.trianglePdf(luminance, t, abs<f32>(dx * surface.gx + dy * surface.gy + dz * surface.gz));
            if (everyBefore) p /= light.shareFrom(light.properLamps());
            w = pdfBefore / (pdfBefore + p);
          }
        } else {
          ownR = surface.emitR;
          ownG = surface.emitG;
          ownB = surface.emitB;
        }
        group = GROUP_BOUNCE;
        gain(matt && depth > 0, tr * w * surface.emitR, tg * w * surface.emitG, tb * w * surface.emitB);
      }
      const glass = (surface.flags & MATERIAL_TRANSMITS) != 0,
        thin = (surface.flags & MATERIAL_THIN) != 0;
      // Drawn lights come through the surface where it is a thin wall, or on the way out; see the head of this file.
      const through = glass && !straight && (thin || !surface.front);
      setShadingFrame();
      const vx = -localX(dx, dy, dz),
        vy = -localY(dx, dy, dz),
        vz = max<f32>(-localZ(dx, dy, dz), 1e-4);
      bsdf.prepareBsdf(vz);
      const every = drawsEveryLamp(matt);
      unlit = instance ? load<u32>(instance, INSTANCE_UNLIT) : 0;
      beginLights(start, every ? light.properLamps() : 0);
      while (nextDraw(x, y, z)) {
        if (leavesOut(unlit, drawnGroup)) continue;
        setShadingFrame();
        if (drawnGroup == GROUP_SUN) light.scaleDrawn(light.maskAlongSun(x, y, z));
        gainLight(matt, props, through, tr, tg, tb, vx, vy, vz);
      }
      setShadingFrame();
      seekDimension(start + 5);
      draw();
      const lobe = draw1();
      draw();
      if (!bsdf.sampleBsdf(vx, vy, vz, lobe, draw1(), draw2())) break;
      bsdf.evaluateBsdf(vx, vy, vz, bsdf.outX, bsdf.outY, bsdf.outZ);
      if (!(bsdf.pdf > 0)) break;
      const s = ONE / bsdf.pdf;
      tr *= bsdf.fR * s;
      tg *= bsdf.fG * s;
      tb *= bsdf.fB * s;
      const crossing = bsdf.outZ < 0;
      toWorld(bsdf.outX, bsdf.outY, bsdf.outZ);
      dx = worldX();
      dy = worldY();
      dz = worldZ();
      const side = dx * surface.gx + dy * surface.gy + dz * surface.gz;
      if (crossing) {
        if (side >= 0) break;
        ox = surface.px - surface.gx * surface.offset;
        oy = surface.py - surface.gy * surface.offset;
        oz = surface.pz - surface.gz * surface.offset;
        if (!thin) {
          bent = true;
          insideR = surface.front ? surface.absorption(0) : 0;
          insideG = surface.front ? surface.absorption(1) : 0;
          insideB = surface.front ? surface.absorption(2) : 0;
        }
        if (!straight) {
          // Inside, no light was drawn: what the path meets counts in full.
          pdfBefore = through ? bsdf.pdf : 0;
          everyBefore = every;
          taken = 0;
        }
      } else {
        if (dx * surface.sx + dy * surface.sy + dz * surface.sz <= 0) break;
        ox = x + surface.liftX;
        oy = y + surface.liftY;
        oz = z + surface.liftZ;
        const inside = glass && !thin && !surface.front;
        if (!inside) {
          pdfBefore = bsdf.pdf;
          everyBefore = every;
          taken = 0;
          straight = true;
        } else if (!straight) pdfBefore = 0;
      }
      // Broad lobes scatter as a matt surface does.
      const broad = bsdf.pdf < BROAD;
      matt = matt || broad;
      mask = matt ? RAY_SHADOW : crossing ? mask : RAY_REFLECTION;
      spread = max<f32>(spread, broad ? 0.25 : <f32>0.5 * surface.roughness * surface.roughness);
      backdrop = (surface.flags & MATERIAL_SEES_BACKDROP) != 0 || (backdrop && crossing);
    }
    if (depth >= 2) {
      const keep = min<f32>(<f32>0.95, max<f32>(tr, max<f32>(tg, tb)));
      seekDimension(start + 7);
      draw();
      if (!(draw2() < keep)) break;
      const s = ONE / keep;
      tr *= s;
      tg *= s;
      tb *= s;
    }
  }
  keptShare = 1;
  const limit = paramF(PARAM_LIMIT);
  if (limit > 0) {
    const top = max<f32>(boundR, max<f32>(boundG, boundB));
    if (top > limit) {
      const s = limit / top;
      keptShare = s;
      boundR *= s;
      boundG *= s;
      boundB *= s;
      limited = true;
    }
  }
  radianceR = freeR + boundR;
  radianceG = freeG + boundG;
  radianceB = freeB + boundB;
}
