import { luminance } from "../../colour/srgb.ts";
import type { Vec3 } from "../../math/vec3.ts";
import { toRadians } from "../../math/vec3.ts";
import type { Picture } from "../../trace/scene.ts";
import { cellOf, directionAt, placeOf } from "./sphere.ts";

/** A sun that is in a picture of all around. */
export interface PicturedSun {
  /** In the picture. */
  direction: Vec3;
  /** Angle from its middle within which it lies, radians. */
  reach: number;
  /** What it brings to a surface that faces it beyond what is around it, in the picture's values. */
  irradiance: Vec3;
  /** Mean of what is around it. */
  around: Vec3;
  /** Its share of all light of the picture. */
  share: number;
}

/** A sun is at most so large with all its glare, and at least this share of a picture's light. */
const MOST_REACH = toRadians(6);
const LEAST_SHARE = 0.03;
/** It ends where it is no more than so many times as bright as the sky farther around it, */
const OVER_RING = 3;
/** or than this share of its middle: what goes on is the sky's own glow. */
const GLOW = 0.005;

const luminanceAt = (pixels: Float32Array, i: number) => luminance(pixels[i * 3], pixels[i * 3 + 1], pixels[i * 3 + 2]);

/** Visits the pixels within an angle of a direction. */
function within(
  picture: Picture,
  middle: Vec3,
  angle: number,
  visit: (i: number, y: number, off: number) => void,
): void {
  const { width, height } = picture;
  const [, at] = placeOf(picture, middle);
  const rows = (angle / Math.PI) * height + 1;
  for (let y = Math.max(0, Math.floor(at - rows)); y <= Math.min(height - 1, Math.ceil(at + rows)); y++) {
    for (let x = 0; x < width; x++) {
      const d = directionAt(picture, x + 0.5, y + 0.5);
      const cosine = d[0] * middle[0] + d[1] * middle[1] + d[2] * middle[2];
      const off = Math.acos(Math.min(1, Math.max(-1, cosine)));
      if (off <= angle) visit(y * width + x, y, off);
    }
  }
}

/**
 * The sun of a picture: the brightest place above the horizon, as far as it stands out of the ring around it. Null where
 * nothing is small and bright enough for one.
 */
export function findSun(picture: Picture): PicturedSun | null {
  const { width, height, pixels } = picture;
  let brightest = 0;
  let total = 0;
  for (let y = 0; y < height; y++) {
    const cell = cellOf(picture, y);
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      const l = luminanceAt(pixels, i);
      total += l * cell;
      if (y < height / 2 && l > luminanceAt(pixels, brightest)) brightest = i;
    }
  }
  if (!(total > 0)) return null;
  const peak = directionAt(picture, (brightest % width) + 0.5, Math.floor(brightest / width) + 0.5);
  const middle = centreOf(picture, peak);
  const step = Math.PI / height;
  // Rings one pixel wide: the sun ends before the first one that is hardly brighter than the next ones.
  const rings = Math.floor((2 * MOST_REACH) / step) + 2;
  const sums = Array.from({ length: rings }, () => [0, 0, 0, 0]);
  within(picture, middle, rings * step, (i, y, off) => {
    const ring = sums[Math.min(rings - 1, Math.floor(off / step))];
    const cell = cellOf(picture, y);
    for (let k = 0; k < 3; k++) ring[k] += cell * pixels[i * 3 + k];
    ring[3] += cell;
  });
  const mean = (ring: number[]) => (ring[3] > 0 ? luminance(ring[0], ring[1], ring[2]) / ring[3] : 0);
  const core = Math.max(...sums.map(mean));
  const level = Math.max(OVER_RING * mean(sums[rings - 1]), GLOW * core);
  let end = sums.findIndex((ring) => ring[3] > 0 && mean(ring) < level);
  if (end < 0) end = rings;
  // Its glare goes on a little beyond where it is so much brighter.
  end = Math.min(rings - 1, end + 1);
  const reach = end * step;
  if (end === 0 || reach > MOST_REACH) return null;
  const ring = sums[end];
  const around = [0, 1, 2].map((k) => ring[k] / Math.max(1e-12, ring[3])) as Vec3;
  const irradiance: Vec3 = [0, 0, 0];
  within(picture, middle, reach, (i, y) => {
    const cell = cellOf(picture, y);
    for (let k = 0; k < 3; k++) irradiance[k] += cell * Math.max(0, pixels[i * 3 + k] - around[k]);
  });
  const share = luminance(...irradiance) / total;
  return share < LEAST_SHARE ? null : { direction: middle, reach, irradiance, around, share };
}

/** Middle of the light within a degree and a half of the peak. */
function centreOf(picture: Picture, peak: Vec3): Vec3 {
  const sum: Vec3 = [0, 0, 0];
  const limit = luminanceAt(picture.pixels, indexOf(picture, peak)) / 4;
  within(picture, peak, Math.max(toRadians(1.5), (1.5 * Math.PI) / picture.height), (i, y) => {
    const l = luminanceAt(picture.pixels, i);
    if (l < limit) return;
    const d = directionAt(picture, (i % picture.width) + 0.5, y + 0.5);
    for (let k = 0; k < 3; k++) sum[k] += d[k] * l * cellOf(picture, y);
  });
  const length = Math.hypot(...sum);
  return length > 0 ? (sum.map((x) => x / length) as Vec3) : peak;
}

function indexOf(picture: Picture, d: Vec3): number {
  const [x, y] = placeOf(picture, d);
  return Math.min(picture.height - 1, Math.floor(y)) * picture.width + Math.min(picture.width - 1, Math.floor(x));
}

/** The picture with what is around the sun where that stood. */
export function withoutSun(picture: Picture, sun: PicturedSun): Picture {
  const pixels = picture.pixels.slice();
  within(picture, sun.direction, sun.reach, (i) => {
    for (let k = 0; k < 3; k++) pixels[i * 3 + k] = Math.min(pixels[i * 3 + k], sun.around[k]);
  });
  return { ...picture, pixels };
}
