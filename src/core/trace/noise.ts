import * as L from "../../kernel/layout.ts";
import { linearToSrgb } from "../colour/srgb.ts";
import type { FilmLayout } from "./film.ts";
import type { Picture } from "./scene.ts";
import type { Region } from "./tiles.ts";

/**
 * Noise of the composite, from two half pictures: the even samples and the odd ones. Half of their difference is an
 * estimate of the standard error of the whole. Unit: code values of an 8-bit sRGB picture.
 */

/** A film, or some rows of one, with what lies below it. */
export interface NoisyFilm {
  film: Float32Array;
  layout: FilmLayout;
  width: number;
  /** Row of the render that the film's first row is. */
  y0: number;
  /** Height of the whole render. */
  height: number;
  /** Plate that the catchers show; null for a picture without one. */
  plate: Picture | null;
}

/** Squared noise of one pixel, mean over the channels; NaN where nothing was rendered over the plate. */
export function pixelNoise(f: NoisyFilm, x: number, y: number): number {
  const { film, layout, plate } = f;
  const at = ((y - f.y0) * f.width + x) * layout.stride;
  const h = at + layout.half;
  const samples = film[at + L.FILM_SAMPLES];
  const even = Math.ceil(samples / 2);
  const odd = samples - even;
  if (odd === 0) return NaN;
  const alpha = film[at + L.FILM_ALPHA];
  const caught = film[at + L.FILM_CATCHER];
  if (alpha === 0 && caught === 0 && plate) return NaN;
  let p = 0;
  if (plate) {
    const px = Math.min(plate.width - 1, Math.floor(((x + 0.5) * plate.width) / f.width));
    const py = Math.min(plate.height - 1, Math.floor(((y + 0.5) * plate.height) / f.height));
    p = (py * plate.width + px) * 3;
  }
  const aEven = film[h + L.HALF_ALPHA];
  const caughtEven = film[h + L.HALF_CATCHER];
  let sum = 0;
  for (let k = 0; k < 3; k++) {
    const prop = film[at + L.FILM_PROP + k];
    const propEven = film[h + L.HALF_PROP + k];
    let a = propEven / even;
    let b = (prop - propEven) / odd;
    if (plate) {
      let w = 0;
      let w0 = 0;
      for (let g = 0, i = at + layout.lights + k; g < layout.groups.length; g++, i += L.LIGHT_FLOATS) {
        w += film[i];
        w0 += film[i + 3];
      }
      const wEven = film[h + L.HALF_W + k];
      const w0Even = film[h + L.HALF_W0 + k];
      const wOdd = w - wEven;
      const w0Odd = w0 - w0Even;
      const behind = plate.pixels[p + k];
      const ratioA = w0Even > 1e-9 ? wEven / w0Even : 1;
      const ratioB = w0Odd > 1e-9 ? wOdd / w0Odd : 1;
      const glossEven = film[h + L.HALF_GLOSS + k];
      const addedEven = film[h + L.HALF_ADDED + k];
      const addedA = addedEven + (1 - ratioA) * glossEven;
      const addedB = film[at + L.FILM_ADDED + k] - addedEven + (1 - ratioB) * (film[at + L.FILM_GLOSS + k] - glossEven);
      const caughtOdd = caught - caughtEven;
      a += (1 - aEven / even) * (behind * ratioA + (caughtEven > 0 ? addedA / caughtEven : 0));
      b += (1 - (alpha - aEven) / odd) * (behind * ratioB + (caughtOdd > 0 ? addedB / caughtOdd : 0));
    }
    const d = 127.5 * (linearToSrgb(Math.min(1, Math.max(0, a))) - linearToSrgb(Math.min(1, Math.max(0, b))));
    sum += d * d;
  }
  return sum / 3;
}

const BLOCK = 8;

/** Noise of a part of the film: the root mean square of its worst block of 8 x 8 pixels. */
export function regionNoise(f: NoisyFilm, region: Region): number {
  let worst = 0;
  for (let by = region.y0; by < region.y1; by += BLOCK) {
    for (let bx = region.x0; bx < region.x1; bx += BLOCK) {
      let sum = 0;
      let n = 0;
      for (let y = by; y < Math.min(region.y1, by + BLOCK); y++) {
        for (let x = bx; x < Math.min(region.x1, bx + BLOCK); x++) {
          const noise = pixelNoise(f, x, y);
          if (Number.isNaN(noise)) continue;
          sum += noise;
          n++;
        }
      }
      if (n > 0) worst = Math.max(worst, sum / n);
    }
  }
  return Math.sqrt(worst);
}

/**
 * Sum of the squared noise of every pixel that was rendered over the plate, and how many those are. `samples` are those of
 * every pixel of the film: one alone says nothing of noise.
 */
export function noiseSum(f: NoisyFilm, region: Region, samples?: Float32Array): { sum: number; count: number } {
  let sum = 0;
  let count = 0;
  for (let y = region.y0; y < region.y1; y++) {
    for (let x = region.x0; x < region.x1; x++) {
      if (samples && samples[(y - f.y0) * f.width + x] < 2) continue;
      const noise = pixelNoise(f, x, y);
      if (Number.isNaN(noise)) continue;
      sum += noise;
      count++;
    }
  }
  return { sum, count };
}

/** Root mean square over every pixel that was rendered over the plate; 0 without any. */
export function meanNoise(f: NoisyFilm, region: Region): number {
  const { sum, count } = noiseSum(f, region);
  return count > 0 ? Math.sqrt(sum / count) : 0;
}

/** Fewest samples before noise is judged at all. */
export const LEAST_SAMPLES = 32;

/**
 * Counts at which tiles are judged: 32, 64, 128 and so on up to the most. They are fixed, so that what is decided does
 * not depend on threads, time or a restart.
 */
export function judgedCounts(most: number): number[] {
  const counts: number[] = [];
  for (let n = LEAST_SAMPLES; n < most; n *= 2) counts.push(n);
  return [...counts, most];
}

/**
 * Tiles that go on: those above the target, and their neighbours, so that no calm tile ends beside a busy one.
 * `noise` holds one value a tile, by rows of `across` tiles.
 */
export function openTiles(noise: ArrayLike<number>, across: number, target: number): number[] {
  const open = new Set<number>();
  const down = Math.ceil(noise.length / across);
  for (let i = 0; i < noise.length; i++) {
    if (!(noise[i] > target)) continue;
    const x = i % across;
    const y = Math.floor(i / across);
    for (let dy = -1; dy <= 1; dy++) {
      for (let dx = -1; dx <= 1; dx++) {
        const u = x + dx;
        const v = y + dy;
        if (u >= 0 && v >= 0 && u < across && v < down && v * across + u < noise.length) open.add(v * across + u);
      }
    }
  }
  return [...open].sort((a, b) => a - b);
}
