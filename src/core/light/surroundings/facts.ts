import { luminance } from "../../colour/srgb.ts";
import type { Vec3 } from "../../math/vec3.ts";
import { toDegrees } from "../../math/vec3.ts";
import { shrink } from "../../image/resize.ts";
import type { Picture } from "../../trace/scene.ts";
import type { Slope } from "../level.ts";
import type { PictureSpread } from "./known.ts";
import { groundMean, litPicture, sunIn, surroundingsOf } from "./known.ts";
import { cellOf, directionAt } from "./sphere.ts";
import type { PicturedSun } from "./sun.ts";

/** What a picture of the surroundings tells of itself. */
export interface SurroundingsFacts {
  /** The sun that is in it, also where it is taken out; null for none. */
  sun: PicturedSun | null;
  /** Radiance of the even sky that lights the world's ground as it does, with its sun and without, in its own values. */
  mean: Vec3;
  meanWithoutSun: Vec3;
  /** Share of all directions by brightness: stops against the mean, from `from` on, one entry each stop. */
  stops: { from: number; shares: number[] };
  /** Its brightest places, in its own directions, the brightest first. */
  spots: Vec3[];
}

/** Looks through a loaded picture as it lights; null before it is loaded. Takes a second at most, in a worker. */
export function factsOf(spread: PictureSpread, slope: Slope): SurroundingsFacts | null {
  const picture = litPicture(spread);
  if (!picture || !surroundingsOf(spread.asset)) return null;
  return {
    sun: sunIn(spread),
    mean: groundMean({ ...spread, sunOut: false }, slope),
    meanWithoutSun: groundMean({ ...spread, sunOut: true }, slope),
    stops: stopsOf(picture),
    spots: brightSpots(picture, 5),
  };
}

const LOWEST = -12;
const HIGHEST = 20;

/** Share of all directions in each stop against the mean luminance; what is darker or brighter counts at the ends. */
export function stopsOf(picture: Picture): SurroundingsFacts["stops"] {
  const { width, height, pixels } = picture;
  const luminances = new Float64Array(width * height);
  let mean = 0;
  for (let y = 0; y < height; y++) {
    const cell = cellOf(picture, y) / (4 * Math.PI);
    for (let i = y * width; i < (y + 1) * width; i++) {
      luminances[i] = luminance(pixels[i * 3], pixels[i * 3 + 1], pixels[i * 3 + 2]);
      mean += cell * luminances[i];
    }
  }
  const shares = new Array<number>(HIGHEST - LOWEST + 1).fill(0);
  for (let y = 0; y < height; y++) {
    const cell = cellOf(picture, y) / (4 * Math.PI);
    for (let i = y * width; i < (y + 1) * width; i++) {
      const stop = luminances[i] > 0 ? Math.round(Math.log2(luminances[i] / mean)) : LOWEST;
      shares[Math.min(HIGHEST, Math.max(LOWEST, stop)) - LOWEST] += cell;
    }
  }
  const first = shares.findIndex((share) => share > 0);
  const last = shares.findLastIndex((share) => share > 0);
  return { from: LOWEST + first, shares: shares.slice(first, last + 1) };
}

/** Spots are so far apart, and so many times as bright as the mean of the picture. */
const APART_DEG = 15;
const OVER_MEAN = 3;

/** The brightest places of a picture, apart from each other. */
export function brightSpots(picture: Picture, most: number): Vec3[] {
  const small = shrink(picture, Math.min(256, picture.width), Math.min(128, picture.height));
  const found: { d: Vec3; l: number }[] = [];
  let [mean, cells] = [0, 0];
  for (let y = 0; y < small.height; y++)
    for (let x = 0; x < small.width; x++) {
      const i = (y * small.width + x) * 3;
      const l = luminance(small.pixels[i], small.pixels[i + 1], small.pixels[i + 2]);
      mean += l * cellOf(small, y);
      cells += cellOf(small, y);
      found.push({ d: directionAt(small, x + 0.5, y + 0.5), l });
    }
  const limit = (OVER_MEAN * mean) / cells;
  const spots: Vec3[] = [];
  for (const { d } of found.filter(({ l }) => l > limit).sort((a, b) => b.l - a.l)) {
    if (spots.length === most) break;
    const apart = (s: Vec3) => toDegrees(Math.acos(Math.min(1, s[0] * d[0] + s[1] * d[1] + s[2] * d[2])));
    if (spots.every((s) => apart(s) > APART_DEG)) spots.push(d);
  }
  return spots;
}
