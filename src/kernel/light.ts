// The rig: a sun disc, a sky, the endless floor, and the sun's share that the plate's own shadows leave.
import { paramF, paramU } from "./params";
import { closest, hitT, occluded } from "./traversal";
import { projectPoint, projectedX, projectedY } from "./lens";
import { sampleMask, samplePicture, texelB, texelG, texelR } from "./images";
import { draw, draw1, draw2 } from "./sampler";
import { diskX, diskY, setFrame, toDisk, toWorld, worldX, worldY, worldZ } from "./frame";
import {
  PARAM_BACKDROP, PARAM_BACKDROP_HEIGHT, PARAM_BACKDROP_WIDTH, PARAM_FRAME_HEIGHT, PARAM_FRAME_WIDTH, PARAM_MASK, PARAM_MASK_HEIGHT,
  PARAM_MASK_WIDTH, PARAM_PROP_ROOT, PARAM_SET_ROOT, PARAM_SKY, PARAM_SUN_COS, PARAM_SUN_DIRECTION, PARAM_SUN_IRRADIANCE,
} from "./layout";

const ONE: f32 = 1;
const PI: f32 = 3.141592653589793;
const FAR: f32 = 1e30;
export let sunX: f32 = 0, sunY: f32 = 0, sunZ: f32 = 0;
export let skyR: f32 = 0, skyG: f32 = 0, skyB: f32 = 0;

/** True if the rig has a sun. */
export function hasSun(): bool {
  return paramF(PARAM_SUN_IRRADIANCE) + paramF(PARAM_SUN_IRRADIANCE + 4) + paramF(PARAM_SUN_IRRADIANCE + 8) > 0;
}

/** Draws a direction on the sun's disc: `sunX` to `sunZ`. Sets the frame. */
export function drawSun(): void {
  draw();
  const cosMax = paramF(PARAM_SUN_COS);
  toDisk(draw1(), draw2());
  const a = diskX(), b = diskY(), r2 = a * a + b * b;
  // A disc point of squared radius r2 maps to cosine 1 - r2 (1 - cosMax): uniform in solid angle.
  const up = ONE - r2 * (ONE - cosMax);
  const across = sqrt<f32>(max<f32>(0, (ONE - cosMax) * (ONE + up)));
  setFrame(paramF(PARAM_SUN_DIRECTION), paramF(PARAM_SUN_DIRECTION + 4), paramF(PARAM_SUN_DIRECTION + 8));
  toWorld(a * across, b * across, up);
  sunX = worldX();
  sunY = worldY();
  sunZ = worldZ();
}

/** Density of `drawSun` per solid angle. */
export function sunPdf(): f32 {
  return ONE / (2 * PI * (ONE - paramF(PARAM_SUN_COS)));
}

/** True if the direction meets the sun's disc. */
export function inSun(x: f32, y: f32, z: f32): bool {
  return x * paramF(PARAM_SUN_DIRECTION) + y * paramF(PARAM_SUN_DIRECTION + 4) + z * paramF(PARAM_SUN_DIRECTION + 8) >= paramF(PARAM_SUN_COS);
}

/** Radiance of the sky: `skyR` to `skyB`; the backdrop where the ray may see it. */
export function loadSky(x: f32, y: f32, z: f32, backdrop: bool): void {
  const picture = paramU(PARAM_BACKDROP);
  if (backdrop && picture) {
    const w = paramU(PARAM_BACKDROP_WIDTH), h = paramU(PARAM_BACKDROP_HEIGHT);
    const around = Mathf.atan2(x, y) / (2 * PI), down = Mathf.acos(max<f32>(-1, min<f32>(1, z))) / PI;
    samplePicture(picture, w, h, (around + <f32>0.5) * <f32>w, down * <f32>h);
    skyR = texelR();
    skyG = texelG();
    skyB = texelB();
    return;
  }
  skyR = paramF(PARAM_SKY);
  skyG = paramF(PARAM_SKY + 4);
  skyB = paramF(PARAM_SKY + 8);
}

/** Share of the sun at a plate pixel that the plate's own marked shadows leave. */
export function maskAtPixel(u: f32, v: f32): f32 {
  const mask = paramU(PARAM_MASK);
  if (!mask) return 1;
  const w = paramU(PARAM_MASK_WIDTH), h = paramU(PARAM_MASK_HEIGHT);
  return sampleMask(mask, w, h, u / paramF(PARAM_FRAME_WIDTH) * <f32>w, v / paramF(PARAM_FRAME_HEIGHT) * <f32>h);
}

/** The same for a point in space: the mask found where the point's shadow falls on the set. */
export function maskAlongSun(x: f32, y: f32, z: f32): f32 {
  if (!paramU(PARAM_MASK)) return 1;
  const dx = -paramF(PARAM_SUN_DIRECTION), dy = -paramF(PARAM_SUN_DIRECTION + 4), dz = -paramF(PARAM_SUN_DIRECTION + 8);
  if (closest(paramU(PARAM_SET_ROOT), x, y, z, dx, dy, dz, 0, FAR) < 0) return 1;
  const t = hitT();
  if (projectPoint(x + t * dx, y + t * dy, z + t * dz) <= 0) return 1;
  const u = projectedX(), v = projectedY();
  if (u < 0 || v < 0 || u > paramF(PARAM_FRAME_WIDTH) || v > paramF(PARAM_FRAME_HEIGHT)) return 1;
  return maskAtPixel(u, v);
}

export function setBlocks(x: f32, y: f32, z: f32, dx: f32, dy: f32, dz: f32, tMax: f32): bool {
  return occluded(paramU(PARAM_SET_ROOT), x, y, z, dx, dy, dz, 0, tMax) != 0;
}
export function propsBlock(x: f32, y: f32, z: f32, dx: f32, dy: f32, dz: f32, tMax: f32): bool {
  return occluded(paramU(PARAM_PROP_ROOT), x, y, z, dx, dy, dz, 0, tMax) != 0;
}
