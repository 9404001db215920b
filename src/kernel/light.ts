// The rig: a sun disc, a sky or an environment picture, lamps, the endless floor, and the sun's share that the plate's
// own shadows leave.
import { paramF, paramU } from "./params";
import { closest, closestInstance, countRay, hitT, occluded, occludedByInstance } from "./traversal";
import { askSet, clearThrough, wentThrough } from "./ask";
import { projectPoint, projectedX, projectedY } from "./lens";
import { sampleAround, sampleMask, texelB, texelG, texelR } from "./images";
import { aroundX, aroundY, aroundZ, lookAround, stretch, towardsX, towardsY, towardsZ, wayTo } from "./around";
import { drawPortal, hasPortals, portalPdf, portalX, portalY, portalZ } from "./portals";
import { draw, draw1, draw2 } from "./sampler";
import { diskX, diskY, setFrame, toDisk, toWorld, worldX, worldY, worldZ } from "./frame";
import { emitB, emitG, emitR, loadEmission } from "./surface";
import {
  CASTER_BYTES,
  CASTER_CELLS,
  CASTER_FOOT,
  CASTER_GROUND,
  CASTER_HEIGHT,
  CASTER_LEFT,
  CASTER_RADIANCE,
  CASTER_SLANT,
  CASTER_SPAN,
  CASTER_TALL,
  CASTER_TO_SUN,
  CASTER_WIDTH,
  GROUP_BOUNCE,
  GROUP_LAMPS,
  LAMP_AREA,
  LAMP_BYTES,
  LAMP_INNER,
  LAMP_IS_DISC,
  LAMP_IS_RECTANGLE,
  LAMP_IS_SPHERE,
  LAMP_IS_TRIANGLE,
  LAMP_KIND,
  LAMP_NORMAL,
  LAMP_OUTER,
  LAMP_COLUMNS,
  LAMP_POSITION,
  LAMP_PROFILE,
  LAMP_RADIANCE,
  LAMP_RADIUS,
  LAMP_SHARE,
  LAMP_SUM,
  LAMP_TRIANGLE,
  LAMP_TWO_SIDED,
  LAMP_U,
  LAMP_V,
  PARAM_BACKDROP,
  PARAM_BACKDROP_HEIGHT,
  PARAM_BACKDROP_WIDTH,
  PARAM_CASTERS,
  PARAM_CASTER_COUNT,
  PARAM_ENVIRONMENT,
  PARAM_ENVIRONMENT_ALIAS,
  PARAM_ENVIRONMENT_GAIN,
  PARAM_ENVIRONMENT_HEIGHT,
  PARAM_ENVIRONMENT_WEIGHT,
  PARAM_ENVIRONMENT_WIDTH,
  PARAM_FRAME_HEIGHT,
  PARAM_FRAME_WIDTH,
  PARAM_LAMPS,
  PARAM_LAMP_COUNT,
  PARAM_LAMP_POWER,
  PARAM_LAMP_PROPER,
  PARAM_MASK,
  PARAM_MASK_HEIGHT,
  PARAM_MASK_WIDTH,
  PARAM_FLOOR_HEIGHT,
  PARAM_FLOOR_ON,
  PARAM_PORTAL_COUNT,
  PARAM_PROP_ROOT,
  PARAM_SET_ROOT,
  PARAM_SKY,
  PARAM_SUN_COS,
  PARAM_SUN_DIRECTION,
  PARAM_SUN_IRRADIANCE,
  PARAM_TURNED,
  PROFILE_ROWS,
  RAY_SHADOW,
  SET_SEEN,
} from "./layout";

const ONE: f32 = 1;
const PI: f32 = 3.141592653589793;
const FAR: f32 = 1e30;
// Shadow rays to a lamp stop just short of it, or a prop that shines would hide itself.
const SHORT: f32 = 0.9998;
export let sunX: f32 = 0,
  sunY: f32 = 0,
  sunZ: f32 = 0;
export let skyR: f32 = 0,
  skyG: f32 = 0,
  skyB: f32 = 0;

// The light just drawn: direction to it, distance, radiance over density, and the density by solid angle.
export let toX: f32 = 0,
  toY: f32 = 0,
  toZ: f32 = 0,
  reach: f32 = 0;
export let lightR: f32 = 0,
  lightG: f32 = 0,
  lightB: f32 = 0,
  density: f32 = 0;

/** Number of the lamp drawn last by `drawAnyLamp`, or met last. */
export let lampNumber: u32 = 0;

/** Group that a lamp's light counts to. */
export function lampGroup(): u32 {
  return lampNumber < paramU(PARAM_LAMP_PROPER) ? GROUP_LAMPS + lampNumber : GROUP_BOUNCE;
}

/** True if the rig has a sun. */
export function hasSun(): bool {
  return paramF(PARAM_SUN_IRRADIANCE) + paramF(PARAM_SUN_IRRADIANCE + 4) + paramF(PARAM_SUN_IRRADIANCE + 8) > 0;
}
/** True if the sky is drawn from: by its picture, or through portals. */
export function hasEnvironment(): bool {
  return paramU(PARAM_ENVIRONMENT) != 0 || paramU(PARAM_PORTAL_COUNT) != 0;
}

/** Draws a direction on the sun's disc: `sunX` to `sunZ`. Sets the frame. */
export function drawSun(): void {
  draw();
  const cosMax = paramF(PARAM_SUN_COS);
  toDisk(draw1(), draw2());
  const a = diskX(),
    b = diskY(),
    r2 = a * a + b * b;
  // A disc point of squared radius r2 maps to cosine 1 - r2 (1 - cosMax): uniform in solid angle.
  const up = ONE - r2 * (ONE - cosMax);
  const across = sqrt<f32>(max<f32>(0, (ONE - cosMax) * (ONE + up)));
  setFrame(paramF(PARAM_SUN_DIRECTION), paramF(PARAM_SUN_DIRECTION + 4), paramF(PARAM_SUN_DIRECTION + 8));
  toWorld(a * across, b * across, up);
  sunX = worldX();
  sunY = worldY();
  sunZ = worldZ();
}

/** `drawSun` as a drawn light: its whole irradiance from that direction. */
export function takeSun(): void {
  drawSun();
  toX = sunX;
  toY = sunY;
  toZ = sunZ;
  reach = FAR;
  density = sunPdf();
  lightR = paramF(PARAM_SUN_IRRADIANCE);
  lightG = paramF(PARAM_SUN_IRRADIANCE + 4);
  lightB = paramF(PARAM_SUN_IRRADIANCE + 8);
}

/** Leaves a share of the light just drawn. */
export function scaleDrawn(share: f32): void {
  lightR *= share;
  lightG *= share;
  lightB *= share;
}

/** Density of `drawSun` per solid angle. */
export function sunPdf(): f32 {
  return ONE / (2 * PI * (ONE - paramF(PARAM_SUN_COS)));
}

/** True if the direction meets the sun's disc. */
export function inSun(x: f32, y: f32, z: f32): bool {
  return (
    x * paramF(PARAM_SUN_DIRECTION) + y * paramF(PARAM_SUN_DIRECTION + 4) + z * paramF(PARAM_SUN_DIRECTION + 8) >=
    paramF(PARAM_SUN_COS)
  );
}

/** Place of a direction in a latitude-longitude picture of w x h pixels; +Y is in the middle, clockwise to the right. */
// @ts-ignore: decorator
@inline
function around(x: f32, y: f32, w: u32): f32 {
  return (Mathf.atan2(x, y) / (2 * PI) + <f32>0.5) * <f32>w;
}
// @ts-ignore: decorator
@inline
function down(z: f32, h: u32): f32 {
  return (Mathf.acos(max<f32>(-1, min<f32>(1, z))) / PI) * <f32>h;
}

// What casters leave of the sky in a direction, and what they send instead.
export let openShare: f32 = 1,
  casterR: f32 = 0,
  casterG: f32 = 0,
  casterB: f32 = 0;

/** Looks from a point along a direction at what casts the plate's marked shades: `openShare`, `casterR` to `casterB`. */
export function meetCasters(x: f32, y: f32, z: f32, dx: f32, dy: f32, dz: f32): void {
  openShare = 1;
  casterR = 0;
  casterG = 0;
  casterB = 0;
  const casters = paramU(PARAM_CASTERS),
    end = casters + paramU(PARAM_CASTER_COUNT) * CASTER_BYTES;
  for (let at = casters; at < end; at += CASTER_BYTES) {
    const sx = load<f32>(at, CASTER_TO_SUN),
      sy = load<f32>(at, CASTER_TO_SUN + 4),
      slant = load<f32>(at, CASTER_SLANT);
    const across = y * sx - x * sy,
      acrossRay = dy * sx - dx * sy,
      towards = dx * sx + dy * sy - slant * acrossRay;
    // From the sun's side it is not the shaded face that is seen, and nothing is known of the other.
    if (towards <= 1e-6) continue;
    const t = (load<f32>(at, CASTER_FOOT) + slant * across - x * sx - y * sy) / towards;
    if (t <= 0) continue;
    const a = (across + t * acrossRay - load<f32>(at, CASTER_LEFT)) / load<f32>(at, CASTER_SPAN);
    const b = (z + t * dz - load<f32>(at, CASTER_GROUND)) / load<f32>(at, CASTER_TALL);
    if (a < 0 || a > 1 || b < 0 || b > 1) continue;
    const w = load<u32>(at, CASTER_WIDTH),
      h = load<u32>(at, CASTER_HEIGHT);
    const share = sampleMask(load<u32>(at, CASTER_CELLS), w, h, a * <f32>w, b * <f32>h),
      hidden = openShare * share;
    casterR += hidden * load<f32>(at, CASTER_RADIANCE);
    casterG += hidden * load<f32>(at, CASTER_RADIANCE + 4);
    casterB += hidden * load<f32>(at, CASTER_RADIANCE + 8);
    openShare -= hidden;
  }
}

/** Radiance that comes to a point from beyond everything: `skyR` to `skyB`; the backdrop where the ray may see it. */
export function loadSky(ox: f32, oy: f32, oz: f32, x: f32, y: f32, z: f32, backdrop: bool): void {
  loadBareSky(ox, oy, oz, x, y, z, backdrop);
  if (backdrop || paramU(PARAM_CASTER_COUNT) == 0) return;
  meetCasters(ox, oy, oz, x, y, z);
  skyR = openShare * skyR + casterR;
  skyG = openShare * skyG + casterG;
  skyB = openShare * skyB + casterB;
}

function loadBareSky(ox: f32, oy: f32, oz: f32, x: f32, y: f32, z: f32, backdrop: bool): void {
  let picture = paramU(PARAM_ENVIRONMENT),
    w = paramU(PARAM_ENVIRONMENT_WIDTH),
    h = paramU(PARAM_ENVIRONMENT_HEIGHT);
  if (backdrop && paramU(PARAM_BACKDROP)) {
    picture = paramU(PARAM_BACKDROP);
    w = paramU(PARAM_BACKDROP_WIDTH);
    h = paramU(PARAM_BACKDROP_HEIGHT);
  } else if (picture && paramU(PARAM_TURNED)) {
    lookAround(ox, oy, oz, x, y, z);
    sampleAround(picture, w, h, around(aroundX, aroundY, w), down(aroundZ, h));
    skyR = texelR() * paramF(PARAM_ENVIRONMENT_GAIN);
    skyG = texelG() * paramF(PARAM_ENVIRONMENT_GAIN + 4);
    skyB = texelB() * paramF(PARAM_ENVIRONMENT_GAIN + 8);
    return;
  }
  if (picture) {
    sampleAround(picture, w, h, around(x, y, w), down(z, h));
    skyR = texelR();
    skyG = texelG();
    skyB = texelB();
    return;
  }
  skyR = paramF(PARAM_SKY);
  skyG = paramF(PARAM_SKY + 4);
  skyB = paramF(PARAM_SKY + 8);
}

/** Share of the sky's draws that go through the portals, where a point has any. */
// @ts-ignore: decorator
@inline
function portalShare(x: f32, y: f32, z: f32): f32 {
  if (paramU(PARAM_PORTAL_COUNT) == 0 || !hasPortals(x, y, z)) return 0;
  return paramU(PARAM_ENVIRONMENT) ? <f32>0.5 : ONE;
}

/** Density by which `drawEnvironment` draws the direction from a point. */
export function environmentPdf(ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32): f32 {
  const share = portalShare(ox, oy, oz);
  if (share == 0) return paramU(PARAM_ENVIRONMENT) ? aroundPdf(ox, oy, oz, dx, dy, dz) : 0;
  return mixedPdf(share, ox, oy, oz, dx, dy, dz);
}

function mixedPdf(share: f32, ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32): f32 {
  const through = share * portalPdf(ox, oy, oz, dx, dy, dz);
  return share < 1 ? through + (ONE - share) * aroundPdf(ox, oy, oz, dx, dy, dz) : through;
}

function aroundPdf(ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32): f32 {
  if (!paramU(PARAM_TURNED)) return picturePdf(dx, dy, dz);
  lookAround(ox, oy, oz, dx, dy, dz);
  return picturePdf(aroundX, aroundY, aroundZ) * stretch;
}

function picturePdf(x: f32, y: f32, z: f32): f32 {
  const w = paramU(PARAM_ENVIRONMENT_WIDTH),
    h = paramU(PARAM_ENVIRONMENT_HEIGHT);
  const ix = min<u32>(w - 1, <u32>around(x, y, w)),
    iy = min<u32>(h - 1, <u32>down(z, h));
  const sine = max<f32>(1e-5, sqrt<f32>(max<f32>(0, ONE - z * z)));
  return load<f32>(paramU(PARAM_ENVIRONMENT_WEIGHT) + ((iy * w + ix) << 2)) / (2 * PI * PI * sine);
}

/** Draws a direction through a portal, with the sky's light from there. */
function drawThrough(share: f32, ox: f32, oy: f32, oz: f32, choice: f32): bool {
  draw();
  if (!drawPortal(ox, oy, oz, choice, draw1(), draw2())) return false;
  toX = portalX;
  toY = portalY;
  toZ = portalZ;
  // Below the horizon it is the endless floor that is met.
  if (toZ < -1e-6 && paramU(PARAM_FLOOR_ON) && oz > paramF(PARAM_FLOOR_HEIGHT)) return false;
  density = mixedPdf(share, ox, oy, oz, toX, toY, toZ);
  if (!(density > 0)) return false;
  loadSky(ox, oy, oz, toX, toY, toZ, false);
  const s = ONE / density;
  lightR = skyR * s;
  lightG = skyG * s;
  lightB = skyB * s;
  reach = FAR;
  return true;
}

/**
 * Draws a direction of the environment from a point by its light (alias method of Walker 1977), or through a portal of the
 * point's room. False where nothing comes.
 */
export function drawEnvironment(ox: f32, oy: f32, oz: f32): bool {
  const share = portalShare(ox, oy, oz);
  if (share == 0 && !paramU(PARAM_ENVIRONMENT)) return false;
  const w = paramU(PARAM_ENVIRONMENT_WIDTH),
    h = paramU(PARAM_ENVIRONMENT_HEIGHT),
    cells = w * h;
  draw();
  let first = draw1();
  if (share > 0) {
    if (first < share) return drawThrough(share, ox, oy, oz, first / share);
    first = (first - share) / (ONE - share);
  }
  const at = first * <f32>cells,
    cell = min<u32>(cells - 1, <u32>at);
  const entry = paramU(PARAM_ENVIRONMENT_ALIAS) + (cell << 3);
  const chosen = draw2() < load<f32>(entry) ? cell : load<u32>(entry, 4);
  draw();
  const x = <f32>(chosen % w) + draw1(),
    y = <f32>(chosen / w) + draw2();
  const turn = (x / <f32>w - <f32>0.5) * 2 * PI,
    tilt = (y / <f32>h) * PI;
  const sine = Mathf.sin(tilt);
  toX = sine * Mathf.sin(turn);
  toY = sine * Mathf.cos(turn);
  toZ = Mathf.cos(tilt);
  density = load<f32>(paramU(PARAM_ENVIRONMENT_WEIGHT) + (chosen << 2)) / (2 * PI * PI * max<f32>(1e-5, sine));
  if (!(density > 0)) return false;
  sampleAround(paramU(PARAM_ENVIRONMENT), w, h, x, y);
  if (paramU(PARAM_TURNED)) {
    wayTo(ox, oy, oz, toX, toY, toZ);
    toX = towardsX;
    toY = towardsY;
    toZ = towardsZ;
    density *= stretch;
  }
  // Below the horizon it is the endless floor that is met.
  if (toZ < -1e-6 && paramU(PARAM_FLOOR_ON) && oz > paramF(PARAM_FLOOR_HEIGHT)) return false;
  if (share > 0) density = (ONE - share) * density + share * portalPdf(ox, oy, oz, toX, toY, toZ);
  const s = ONE / density;
  lightR = texelR() * s;
  lightG = texelG() * s;
  lightB = texelB() * s;
  if (paramU(PARAM_TURNED)) {
    lightR *= paramF(PARAM_ENVIRONMENT_GAIN);
    lightG *= paramF(PARAM_ENVIRONMENT_GAIN + 4);
    lightB *= paramF(PARAM_ENVIRONMENT_GAIN + 8);
  }
  if (paramU(PARAM_CASTER_COUNT)) {
    meetCasters(ox, oy, oz, toX, toY, toZ);
    lightR = openShare * lightR + s * casterR;
    lightG = openShare * lightG + s * casterG;
    lightB = openShare * lightB + s * casterB;
  }
  reach = FAR;
  return true;
}

export function lampCount(): u32 {
  return paramU(PARAM_LAMP_COUNT);
}
/** Lamps that are no triangles of props. */
export function properLamps(): u32 {
  return paramU(PARAM_LAMP_PROPER);
}

/** Probability by which one of the lamps from number `first` on is drawn from among all. */
export function shareFrom(first: u32): f32 {
  return first > 0 ? ONE - load<f32>(paramU(PARAM_LAMPS) + (first - 1) * LAMP_BYTES, LAMP_SUM) : ONE;
}
/** The same for one lamp alone. */
export function shareOf(lamp: u32): f32 {
  return load<f32>(lamp, LAMP_SHARE);
}

/** Draws one of the lamps by their power, from number `first` on, and a point on it, as seen from (x, y, z). */
export function drawAnyLamp(x: f32, y: f32, z: f32, first: u32): bool {
  const lamps = paramU(PARAM_LAMPS),
    count = paramU(PARAM_LAMP_COUNT);
  if (first >= count) return false;
  const below: f32 = first > 0 ? load<f32>(lamps + (first - 1) * LAMP_BYTES, LAMP_SUM) : 0;
  const total = ONE - below;
  draw();
  const wanted = below + draw1() * total;
  let low = first,
    high = count - 1;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (load<f32>(lamps + middle * LAMP_BYTES, LAMP_SUM) > wanted) high = middle;
    else low = middle + 1;
  }
  lampNumber = low;
  const lamp = lamps + low * LAMP_BYTES;
  const share = load<f32>(lamp, LAMP_SHARE) / max<f32>(total, 1e-12);
  if (!(share > 0) || !drawLamp(lamp, x, y, z)) return false;
  const s = ONE / share;
  density *= share;
  lightR *= s;
  lightG *= s;
  lightB *= s;
  return true;
}

export function lampAt(index: u32): u32 {
  return paramU(PARAM_LAMPS) + index * LAMP_BYTES;
}

/** Share of its radiance that a lamp sends at cosine `c` to its axis. */
// @ts-ignore: decorator
@inline
function cone(lamp: u32, c: f32): f32 {
  const outer = load<f32>(lamp, LAMP_OUTER);
  if (outer < -1) return 1;
  const inner = load<f32>(lamp, LAMP_INNER),
    t = max<f32>(0, min<f32>(1, (c - outer) / max<f32>(1e-6, inner - outer)));
  return t * t * (3 - 2 * t);
}

/** Share of its radiance that a lamp sends along a direction, by its profile. */
function profileShare(lamp: u32, x: f32, y: f32, z: f32): f32 {
  const table = load<u32>(lamp, LAMP_PROFILE);
  if (!table) return 1;
  const c =
    x * load<f32>(lamp, LAMP_NORMAL) + y * load<f32>(lamp, LAMP_NORMAL + 4) + z * load<f32>(lamp, LAMP_NORMAL + 8);
  const down = (Mathf.acos(max<f32>(-1, min<f32>(1, c))) / PI) * <f32>(PROFILE_ROWS - 1),
    row = min<u32>(PROFILE_ROWS - 2, <u32>down),
    t = down - <f32>row,
    columns = load<u32>(lamp, LAMP_COLUMNS);
  if (columns == 1) return profileAt(table, 0, row, t);
  const u = x * load<f32>(lamp, LAMP_U) + y * load<f32>(lamp, LAMP_U + 4) + z * load<f32>(lamp, LAMP_U + 8),
    v = x * load<f32>(lamp, LAMP_V) + y * load<f32>(lamp, LAMP_V + 4) + z * load<f32>(lamp, LAMP_V + 8);
  let turn = Mathf.atan2(v, u) / (2 * PI);
  if (turn < 0) turn += 1;
  const around = turn * <f32>columns,
    column = min<u32>(columns - 1, <u32>around),
    s = around - <f32>column;
  return (
    (ONE - s) * profileAt(table, column, row, t) + s * profileAt(table, column + 1 < columns ? column + 1 : 0, row, t)
  );
}

// @ts-ignore: decorator
@inline
function profileAt(table: u32, column: u32, row: u32, t: f32): f32 {
  const at = table + ((column * PROFILE_ROWS + row) << 2);
  return (ONE - t) * load<f32>(at) + t * load<f32>(at, 4);
}

/** Draws a point on a lamp as seen from (x, y, z). Always takes the same numbers. False if it sends nothing there. */
export function drawLamp(lamp: u32, x: f32, y: f32, z: f32): bool {
  draw();
  const u = draw1(),
    v = draw2(),
    kind = load<u32>(lamp, LAMP_KIND);
  const cx = load<f32>(lamp, LAMP_POSITION),
    cy = load<f32>(lamp, LAMP_POSITION + 4),
    cz = load<f32>(lamp, LAMP_POSITION + 8);
  if (kind == LAMP_IS_SPHERE) {
    const dx = cx - x,
      dy = cy - y,
      dz = cz - z,
      d2 = dx * dx + dy * dy + dz * dz,
      radius = load<f32>(lamp, LAMP_RADIUS),
      r2 = radius * radius;
    if (d2 <= r2) return false;
    // Uniform over the cone in which the sphere is seen; 1 - cosine in a form that does not cancel.
    const q = r2 / d2,
      less = q / (ONE + sqrt<f32>(ONE - q));
    toDisk(u, v);
    const a = diskX(),
      b = diskY(),
      rr = a * a + b * b,
      up = ONE - rr * less,
      across = sqrt<f32>(max<f32>(0, less * (ONE + up)));
    const d = sqrt<f32>(d2),
      s = ONE / d;
    setFrame(dx * s, dy * s, dz * s);
    toWorld(a * across, b * across, up);
    toX = worldX();
    toY = worldY();
    toZ = worldZ();
    reach = max<f32>(0, (d * up - sqrt<f32>(max<f32>(0, r2 - d2 * (ONE - up * up)))) * SHORT);
    density = ONE / (2 * PI * less);
    takeRadiance(lamp);
    if (load<u32>(lamp, LAMP_PROFILE)) scaleDrawn(profileShare(lamp, -toX, -toY, -toZ));
    return true;
  }
  let a = u * 2 - 1,
    b = v * 2 - 1;
  if (kind == LAMP_IS_DISC) {
    toDisk(u, v);
    a = diskX();
    b = diskY();
  } else if (kind == LAMP_IS_TRIANGLE) {
    const root = sqrt<f32>(u);
    a = root * (ONE - v);
    b = root * v;
  }
  const lx = cx + a * load<f32>(lamp, LAMP_U) + b * load<f32>(lamp, LAMP_V) - x;
  const ly = cy + a * load<f32>(lamp, LAMP_U + 4) + b * load<f32>(lamp, LAMP_V + 4) - y;
  const lz = cz + a * load<f32>(lamp, LAMP_U + 8) + b * load<f32>(lamp, LAMP_V + 8) - z;
  const d2 = lx * lx + ly * ly + lz * lz;
  if (d2 < 1e-12) return false;
  const d = sqrt<f32>(d2),
    s = ONE / d;
  toX = lx * s;
  toY = ly * s;
  toZ = lz * s;
  let c = -(
    toX * load<f32>(lamp, LAMP_NORMAL) +
    toY * load<f32>(lamp, LAMP_NORMAL + 4) +
    toZ * load<f32>(lamp, LAMP_NORMAL + 8)
  );
  if (c < 0 && load<u32>(lamp, LAMP_TWO_SIDED)) c = -c;
  if (c <= 1e-6) return false;
  density = d2 / (load<f32>(lamp, LAMP_AREA) * c);
  reach = d * SHORT;
  if (kind == LAMP_IS_TRIANGLE) {
    loadEmission(load<u32>(lamp, LAMP_TRIANGLE), a, b);
    lightR = emitR / density;
    lightG = emitG / density;
    lightB = emitB / density;
    return true;
  }
  takeRadiance(lamp);
  const share = cone(lamp, c);
  lightR *= share;
  lightG *= share;
  lightB *= share;
  return share > 0;
}

function takeRadiance(lamp: u32): void {
  const s = ONE / density;
  lightR = load<f32>(lamp, LAMP_RADIANCE) * s;
  lightG = load<f32>(lamp, LAMP_RADIANCE + 4) * s;
  lightB = load<f32>(lamp, LAMP_RADIANCE + 8) * s;
}

/** Density by which `drawAnyLamp` draws the point of a prop's triangle that a ray met. */
export function trianglePdf(luminance: f32, t: f32, cosine: f32): f32 {
  return ((luminance / paramF(PARAM_LAMP_POWER)) * t * t) / max<f32>(1e-6, cosine);
}

/**
 * The nearest lamp (no triangle) that the ray meets before `tMax`: its radiance in `lightR` to `lightB`, the density by
 * which it would have been drawn in `density`. False if none.
 */
export function meetLamp(ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32, tMax: f32): bool {
  const count = paramU(PARAM_LAMP_PROPER),
    lamps = paramU(PARAM_LAMPS);
  let best: u32 = 0,
    nearest = tMax,
    bestCosine: f32 = 0;
  for (let i: u32 = 0; i < count; i++) {
    const lamp = lamps + i * LAMP_BYTES,
      kind = load<u32>(lamp, LAMP_KIND);
    const x = load<f32>(lamp, LAMP_POSITION) - ox,
      y = load<f32>(lamp, LAMP_POSITION + 4) - oy,
      z = load<f32>(lamp, LAMP_POSITION + 8) - oz;
    if (kind == LAMP_IS_SPHERE) {
      const along = x * dx + y * dy + z * dz,
        radius = load<f32>(lamp, LAMP_RADIUS);
      const px = x - along * dx,
        py = y - along * dy,
        pz = z - along * dz,
        off = px * px + py * py + pz * pz;
      if (off >= radius * radius) continue;
      const t = along - sqrt<f32>(radius * radius - off);
      if (t > 1e-5 && t < nearest) {
        nearest = t;
        best = lamp;
      }
      continue;
    }
    const nx = load<f32>(lamp, LAMP_NORMAL),
      ny = load<f32>(lamp, LAMP_NORMAL + 4),
      nz = load<f32>(lamp, LAMP_NORMAL + 8);
    let c = -(nx * dx + ny * dy + nz * dz);
    if (abs<f32>(c) < 1e-7) continue;
    const t = -(x * nx + y * ny + z * nz) / c;
    if (!(t > 1e-5) || t >= nearest) continue;
    if (c < 0) {
      if (!load<u32>(lamp, LAMP_TWO_SIDED)) continue;
      c = -c;
    }
    const hx = t * dx - x,
      hy = t * dy - y,
      hz = t * dz - z;
    const ux = load<f32>(lamp, LAMP_U),
      uy = load<f32>(lamp, LAMP_U + 4),
      uz = load<f32>(lamp, LAMP_U + 8);
    const vx = load<f32>(lamp, LAMP_V),
      vy = load<f32>(lamp, LAMP_V + 4),
      vz = load<f32>(lamp, LAMP_V + 8);
    const a = (hx * ux + hy * uy + hz * uz) / (ux * ux + uy * uy + uz * uz),
      b = (hx * vx + hy * vy + hz * vz) / (vx * vx + vy * vy + vz * vz);
    if (kind == LAMP_IS_RECTANGLE ? abs<f32>(a) > 1 || abs<f32>(b) > 1 : a * a + b * b > 1) continue;
    nearest = t;
    best = lamp;
    bestCosine = c;
  }
  if (!best) return false;
  lampNumber = (best - lamps) / LAMP_BYTES;
  let share = load<f32>(best, LAMP_SHARE);
  if (load<u32>(best, LAMP_KIND) == LAMP_IS_SPHERE) {
    const x = load<f32>(best, LAMP_POSITION) - ox,
      y = load<f32>(best, LAMP_POSITION + 4) - oy,
      z = load<f32>(best, LAMP_POSITION + 8) - oz;
    const radius = load<f32>(best, LAMP_RADIUS),
      q = min<f32>(1, (radius * radius) / (x * x + y * y + z * z)),
      less = q / (ONE + sqrt<f32>(max<f32>(0, ONE - q)));
    density = share / (2 * PI * less);
    share = profileShare(best, -dx, -dy, -dz);
  } else {
    density = (share * nearest * nearest) / (load<f32>(best, LAMP_AREA) * bestCosine);
    share = cone(best, bestCosine);
  }
  lightR = load<f32>(best, LAMP_RADIANCE) * share;
  lightG = load<f32>(best, LAMP_RADIANCE + 4) * share;
  lightB = load<f32>(best, LAMP_RADIANCE + 8) * share;
  return true;
}

/** Share of the sun at a plate pixel that the plate's own marked shadows leave. */
export function maskAtPixel(u: f32, v: f32): f32 {
  const mask = paramU(PARAM_MASK);
  if (!mask) return 1;
  const w = paramU(PARAM_MASK_WIDTH),
    h = paramU(PARAM_MASK_HEIGHT);
  return sampleMask(mask, w, h, (u / paramF(PARAM_FRAME_WIDTH)) * <f32>w, (v / paramF(PARAM_FRAME_HEIGHT)) * <f32>h);
}

/** The same for a point of the set itself. */
export function maskAtPoint(x: f32, y: f32, z: f32): f32 {
  if (!paramU(PARAM_MASK) || projectPoint(x, y, z) <= 0) return 1;
  const u = projectedX(),
    v = projectedY();
  if (u < 0 || v < 0 || u > paramF(PARAM_FRAME_WIDTH) || v > paramF(PARAM_FRAME_HEIGHT)) return 1;
  return maskAtPixel(u, v);
}

/** The same for a point in space: the mask found where the point's shadow falls on the set. */
export function maskAlongSun(x: f32, y: f32, z: f32): f32 {
  if (!paramU(PARAM_MASK)) return 1;
  const dx = -paramF(PARAM_SUN_DIRECTION),
    dy = -paramF(PARAM_SUN_DIRECTION + 4),
    dz = -paramF(PARAM_SUN_DIRECTION + 8);
  askSet(SET_SEEN);
  if (closest(paramU(PARAM_SET_ROOT), x, y, z, dx, dy, dz, 0, FAR) < 0) return 1;
  const t = hitT();
  return maskAtPoint(x + t * dx, y + t * dy, z + t * dz);
}

/** True if the set stops a ray of a kind, SET_*. */
export function setBlocks(kind: u32, x: f32, y: f32, z: f32, dx: f32, dy: f32, dz: f32, tMax: f32): bool {
  countRay();
  askSet(kind);
  return occluded(paramU(PARAM_SET_ROOT), x, y, z, dx, dy, dz, 0, tMax) != 0;
}
/** True if a prop had a part in any ray since this was last cleared: where none had, they might as well be away. */
export let touchedProps = false;
export function clearTouched(): void {
  touchedProps = false;
}
export function touchProps(): void {
  touchedProps = true;
}

/** True if a prop stops the ray; what it goes through is then told by `throughR` to `throughB`. */
export function propsBlock(x: f32, y: f32, z: f32, dx: f32, dy: f32, dz: f32, tMax: f32): bool {
  clearThrough();
  const root = paramU(PARAM_PROP_ROOT);
  if (!root) return false;
  countRay();
  const blocked = occludedByInstance(root, RAY_SHADOW, x, y, z, dx, dy, dz, 0, tMax) != 0;
  if (blocked || wentThrough()) touchedProps = true;
  return blocked;
}
/** Nearest prop that casts a shadow, or -1. */
export function nearestCaster(x: f32, y: f32, z: f32, dx: f32, dy: f32, dz: f32): i32 {
  countRay();
  const caster = closestInstance(paramU(PARAM_PROP_ROOT), RAY_SHADOW, x, y, z, dx, dy, dz, 0, FAR);
  if (caster >= 0) touchedProps = true;
  return caster;
}
