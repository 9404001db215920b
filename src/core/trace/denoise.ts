import * as L from "../../kernel/layout.ts";
import type { FilmLayout, HalfPasses, LightWeights, Passes } from "./film.ts";
import { developFilm, developHalves, emptyPasses, unitWeights } from "./film.ts";
import { LOST_REACH, giveBack } from "./giveBack.ts";

/**
 * Non-local means over two half pictures: the weights for one half come from the other, so that they do not follow its
 * noise; the spread between the halves tells how much difference is noise (Rousselle, Knaus and Zwicker 2012, "Adaptive
 * rendering with non-local means filtering"). Albedo, normal, depth and coverage hold edges that noise would hide (the
 * same, 2013, "Robust denoising using feature and color information").
 */

const { abs, exp, max, min } = Math;

/** Pixels to each side that a pixel is averaged with, and pixels to each side that two places are compared by. */
const REACH = L.DENOISE_REACH;
const PATCH = 1;

/** A box of pixels to work on, from (x0, y0) up to but without (x1, y1). */
export interface Box {
  x0: number;
  y0: number;
  x1: number;
  y1: number;
}

export interface Planes {
  width: number;
  height: number;
  planes: Float32Array[];
}

/** Mean over a square of `radius` pixels to each side, border pixels repeated by leaving them out. */
function boxMean(source: Float32Array, width: number, height: number, radius: number): Float32Array {
  const across = new Float32Array(source.length);
  const out = new Float32Array(source.length);
  for (let y = 0; y < height; y++) windowMeans(source, across, y * width, 1, width, radius);
  for (let x = 0; x < width; x++) windowMeans(across, out, x, width, height, radius);
  return out;
}

/** Means of the up to 2 `radius` + 1 values, none below 0, around each of `count` values, `step` apart from `start` on. */
function windowMeans(
  source: Float32Array,
  to: Float32Array,
  start: number,
  step: number,
  count: number,
  radius: number,
): void {
  let sum = 0;
  let held = min(radius, count);
  for (let k = 0; k < held; k++) sum += source[start + k * step];
  for (let k = 0, at = start; k < count; k++, at += step) {
    if (k + radius < count) {
      sum += source[at + radius * step];
      held++;
    }
    if (k > radius) {
      sum -= source[at - (radius + 1) * step];
      held--;
    }
    to[at] = max(0, sum / held);
  }
}

/** What tells surfaces apart, `FEATURES` values a pixel, and the squared slope of each by central differences. */
export interface Features {
  values: Float32Array;
  slopes: Float32Array;
}

/** Albedo with what is mirrored or seen through, normal, coverage, and depth relative to its own size. */
const FEATURES = L.DENOISE_FEATURES;
const STRICT = L.DENOISE_FEATURE_STRICT * L.DENOISE_FEATURE_STRICT;

function slopesOf(values: Float32Array, width: number, height: number): Float32Array {
  const out = new Float32Array(values.length);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const i = (y * width + x) * FEATURES;
      const left = x > 0 ? i - FEATURES : i;
      const right = x + 1 < width ? i + FEATURES : i;
      const up = y > 0 ? i - width * FEATURES : i;
      const down = y + 1 < height ? i + width * FEATURES : i;
      for (let f = 0; f < FEATURES; f++) {
        const dx = values[right + f] - values[left + f];
        const dy = values[down + f] - values[up + f];
        out[i + f] = 0.25 * (dx * dx + dy * dy);
      }
    }
  }
  return out;
}

/** How far pixels are apart from those a shift further on by their features, where both are in the part. */
function featureDistance({ values, slopes }: Features, width: number, s: Shift, apart: Float32Array): void {
  for (let y = 0; y < s.y1; y++) {
    for (let i = y * width + s.x0, end = y * width + s.x1; i < end; i++) {
      const p = i * FEATURES;
      const q = (i + s.by) * FEATURES;
      let most = 0;
      for (let f = 0; f < FEATURES && most < L.DENOISE_APART; f++) {
        const d = values[p + f] - values[q + f];
        if (d === 0) continue;
        const a = slopes[p + f];
        const b = slopes[q + f];
        const steep = a > b ? a : b;
        const e = (d * d) / (STRICT * (steep > L.DENOISE_LEAST_SLOPE ? steep : L.DENOISE_LEAST_SLOPE)) - 1;
        if (e > most) most = e;
      }
      apart[i] = most;
    }
  }
}

/** A shift between pixels of a part, and the pixels that have a partner: columns x0 to x1, rows up to y1. */
interface Shift {
  dx: number;
  dy: number;
  /** Pixels further on in the part's arrays. */
  by: number;
  x0: number;
  x1: number;
  y1: number;
}

/** Distances of all pixels from those a shift further on, beyond what noise explains: the mean over the channels. */
function pixelDistance({ width, planes }: Planes, spread: Float32Array[], s: Shift, distance: Float32Array): void {
  const [a, b, c] = planes;
  const [u, v, w] = spread;
  const strict = L.DENOISE_STRICT * L.DENOISE_STRICT;
  for (let y = 0; y < s.y1; y++) {
    for (let i = y * width + s.x0, end = y * width + s.x1; i < end; i++) {
      const j = i + s.by;
      const da = a[i] - a[j];
      const db = b[i] - b[j];
      const dc = c[i] - c[j];
      const va = u[i] + u[j];
      const vb = v[i] + v[j];
      const vc = w[i] + w[j];
      distance[i] =
        ((da * da - va) / (1e-10 + strict * va) +
          (db * db - vb) / (1e-10 + strict * vb) +
          (dc * dc - vc) / (1e-10 + strict * vc)) /
        3;
    }
  }
}

/** One half of a signal being filtered: weighed sums of its own pixels, by weights from the other half. */
interface Gathering {
  own: Planes;
  other: Planes;
  sums: Float32Array[];
  weights: Float32Array;
}

/** Adds all pixels to those a shift away, and the other way round, weighed by patches of `PATCH` and by features. */
function gather(g: Gathering, spread: Float32Array[], apart: Float32Array, s: Shift, scratch: Scratch): void {
  const { width, height } = g.own;
  const { distance, across } = scratch;
  pixelDistance(g.other, spread, s, distance);
  // Patches that reach beyond what has a partner count nothing; at the part's own border they are narrower.
  const x0 = s.dx < 0 ? s.x0 + 1 : s.x0;
  const x1 = s.dx > 0 ? s.x1 - 1 : s.x1;
  const y1 = s.dy > 0 ? s.y1 - 1 : s.y1;
  for (let y = 0; y < s.y1; y++) {
    const row = y * width;
    for (let x = x0; x < x1; x++) {
      const i = row + x;
      across[i] = distance[x > 0 ? i - 1 : i] + distance[i] + distance[x + 1 < width ? i + 1 : i];
    }
  }
  const [a, b, c] = g.own.planes;
  const [sa, sb, sc] = g.sums;
  const { weights } = g;
  for (let y = 0; y < y1; y++) {
    const up = y > 0 ? -width : 0;
    const down = y + 1 < height ? width : 0;
    for (let i = y * width + x0, end = y * width + x1; i < end; i++) {
      let d = apart[i];
      if (d >= L.DENOISE_APART) continue;
      const mean = (across[i + up] + across[i] + across[i + down]) / 9;
      if (mean > d) d = mean;
      if (d >= L.DENOISE_APART) continue;
      const weight = d > 0 ? exp(-d) : 1;
      const j = i + s.by;
      weights[i] += weight;
      weights[j] += weight;
      sa[i] += weight * a[j];
      sb[i] += weight * b[j];
      sc[i] += weight * c[j];
      sa[j] += weight * a[i];
      sb[j] += weight * b[i];
      sc[j] += weight * c[i];
    }
  }
}

interface Scratch {
  distance: Float32Array;
  across: Float32Array;
}

/** The two halves of one signal in a part, three planes each. */
export interface Halves {
  even: Planes;
  odd: Planes;
}

/** How far the halves of a signal are apart, squared: the noise of either, smoothed. */
export function spreadOf(even: Planes, odd: Planes): Float32Array[] {
  const { width, height } = even;
  return even.planes.map((plane, c) => {
    const d = new Float32Array(plane.length);
    for (let i = 0; i < plane.length; i++) d[i] = 0.5 * (plane[i] - odd.planes[c][i]) ** 2;
    return boxMean(d, width, height, SMOOTH);
  });
}

/** Filters both halves of each signal of a part, three planes each; returns their means, of which only `wanted` is used. */
export type PartFilter = (
  signals: Halves[],
  features: Features,
  width: number,
  height: number,
  wanted: Box,
) => Float32Array[][];

/** The filter in plain TypeScript: the reference for the one in the kernel. */
export function filterHalves(signals: Halves[], features: Features, width: number, height: number): Float32Array[][] {
  const n = width * height;
  const spreads = signals.map(({ even, odd }) => spreadOf(even, odd));
  const start = (own: Planes, other: Planes): Gathering => ({
    own,
    other,
    sums: own.planes.map((plane) => plane.slice()),
    weights: new Float32Array(n).fill(1),
  });
  const gatherings = signals.map(({ even, odd }) => [start(even, odd), start(odd, even)]);
  const scratch = { distance: new Float32Array(n), across: new Float32Array(n) };
  const apart = new Float32Array(n);
  // Weights hold for both directions, so half of the shifts will do.
  for (let dy = 0; dy <= REACH; dy++) {
    for (let dx = dy === 0 ? 1 : -REACH; dx <= REACH; dx++) {
      const shift = { dx, dy, by: dy * width + dx, x0: max(0, -dx), x1: min(width, width - dx), y1: height - dy };
      featureDistance(features, width, shift, apart);
      gatherings.forEach((halves, k) => {
        for (const half of halves) gather(half, spreads[k], apart, shift, scratch);
      });
    }
  }
  return gatherings.map(([even, odd]) =>
    even.sums.map((sum, c) => {
      const mean = new Float32Array(n);
      for (let i = 0; i < n; i++) mean[i] = 0.5 * (sum[i] / even.weights[i] + odd.sums[c][i] / odd.weights[i]);
      return mean;
    }),
  );
}

/** Pixels to each side that the spread between the halves is smoothed over. */
const SMOOTH = 3;
/** Pixels a side of the parts that are filtered one by one. */
const PART = 128;
/** Pixels beyond those that it gives that denoising looks at. */
export const DENOISE_HALO = REACH + PATCH + SMOOTH + LOST_REACH;
/** Pixels that the filter itself looks at beyond those that it gives. */
const FILTER_HALO = REACH + PATCH + SMOOTH;
/** What differs less from the untouched plate is left as it is: a quarter of an 8-bit code value in mid grey. */
const SLIGHT = 0.002;

/** What is filtered: a pass, its floats a pixel, and what it is where nothing touches the plate. */
const SIGNALS = [
  { key: "prop", stride: 4, calm: 0 },
  { key: "ratio", stride: 3, calm: 1 },
  { key: "added", stride: 3, calm: 0 },
] as const;
type Signal = (typeof SIGNALS)[number] & { touched: Uint8Array };

/** Channels of an interleaved picture within a box, as planes. */
function cut(source: Float32Array, stride: number, channels: number, width: number, box: Box): Planes {
  const w = box.x1 - box.x0;
  const h = box.y1 - box.y0;
  const planes = Array.from({ length: channels }, (_, c) => {
    const plane = new Float32Array(w * h);
    for (let y = 0, i = 0; y < h; y++)
      for (let x = 0; x < w; x++, i++) plane[i] = source[((y + box.y0) * width + x + box.x0) * stride + c];
    return plane;
  });
  return { width: w, height: h, planes };
}

/** Features of a part, and their slopes. */
function featuresIn(features: Float32Array, width: number, { x0, y0, x1, y1 }: Box): Features {
  const [w, h] = [x1 - x0, y1 - y0];
  const values = new Float32Array(w * h * FEATURES);
  for (let y = 0; y < h; y++) {
    const from = ((y + y0) * width + x0) * FEATURES;
    values.set(features.subarray(from, from + w * FEATURES), y * w * FEATURES);
  }
  return { values, slopes: slopesOf(values, w, h) };
}

/** Rows of a render as denoising takes them: developed, with both halves, and with what tells surfaces apart. */
export interface NoisyRows {
  passes: Passes;
  even: HalfPasses;
  odd: HalfPasses;
  /** Eight floats a pixel. */
  features: Float32Array;
  /** 1 for each pixel of which some sample met a catcher. */
  caught: Uint8Array;
}

export const emptyNoisyRows = (width: number, height: number): NoisyRows => ({
  passes: emptyPasses(width, height),
  even: emptyPasses(width, height),
  odd: emptyPasses(width, height),
  features: new Float32Array(width * height * FEATURES),
  caught: new Uint8Array(width * height),
});

/** Rows y0 to y1 of them, in the same memory. */
export function someNoisyRows({ passes, even, odd, features, caught }: NoisyRows, y0: number, y1: number): NoisyRows {
  const { width } = passes;
  const rows = (of: Float32Array, stride: number) => of.subarray(y0 * width * stride, y1 * width * stride);
  const half = ({ prop, ratio, added }: HalfPasses): HalfPasses => ({
    width,
    height: y1 - y0,
    prop: rows(prop, 4),
    ratio: rows(ratio, 3),
    added: rows(added, 3),
  });
  return {
    passes: { ...half(passes), depth: rows(passes.depth, 1) },
    even: half(even),
    odd: half(odd),
    features: rows(features, FEATURES),
    caught: caught.subarray(y0 * width, y1 * width),
  };
}

/** Develops a film that keeps halves and features for denoising. Throws if it keeps none. */
export function developNoisy(
  film: Float32Array,
  layout: FilmLayout,
  weights: LightWeights,
  into: NoisyRows,
): NoisyRows {
  if (layout.half === 0 || layout.features === 0) throw new Error("The film keeps no halves or no features.");
  const { passes, features, caught } = into;
  const { width, height, depth } = passes;
  developFilm(film, width, height, layout, weights, passes);
  developHalves(film, width, height, layout, weights, into);
  for (let i = 0, f = 0, to = 0; i < width * height; i++, f += layout.stride, to += FEATURES) {
    const share = 1 / max(1, film[f + L.FILM_SAMPLES]);
    const at = f + layout.features;
    for (let k = 0; k < 3; k++) {
      features[to + k] = (film[at + L.FEATURE_ALBEDO + k] + film[at + L.FEATURE_SHOWN + k]) * share;
      features[to + 3 + k] = 0.5 * film[at + L.FEATURE_NORMAL + k] * share;
    }
    features[to + 6] = film[f + L.FILM_ALPHA] * share;
    features[to + 7] = depth[i] > 0 ? 0.25 * Math.log(depth[i]) : 0;
    caught[i] = film[f + L.FILM_CATCHER] === 0 ? 0 : 1;
  }
  return into;
}

/**
 * Passes of a film with their noise taken away, prop, ratio and added light each by itself. The film must keep halves
 * and features. Pixels around which nothing touches the plate keep their ratio of 1 and no added light; coverage and depth
 * stay as they were rendered.
 */
export function denoiseFilm(
  film: Float32Array,
  width: number,
  height: number,
  layout: FilmLayout,
  weights: LightWeights = unitWeights(),
  filter: PartFilter = filterHalves,
): Passes {
  const rows = developNoisy(film, layout, weights, emptyNoisyRows(width, height));
  return denoiseRows(rows, { y0: 0, y1: height }, filter);
}

/** Takes the noise out of rows y0 to y1 of the passes, in place: the others are looked at as far as the filter reaches. */
export function denoiseRows(rows: NoisyRows, wanted: { y0: number; y1: number }, filter: PartFilter): Passes {
  const parts = denoiseParts(rows, wanted, filter);
  let step = parts.next();
  while (!step.done) step = parts.next();
  return step.value;
}

/** The same, part by part, for those who may leave it: yields the share that is done. */
export function* denoiseParts(
  rows: NoisyRows,
  wanted: { y0: number; y1: number },
  filter: PartFilter,
): Generator<number, Passes, void> {
  const { passes, even, odd, caught } = rows;
  const { width, height } = passes;
  // Coverage keeps its own noise, so the colour is filtered without it and covered again.
  uncover(passes.prop, passes.prop);
  for (const half of [even, odd]) uncover(half.prop, passes.prop);
  const signals = SIGNALS.map((signal) => ({ ...signal, touched: touchedOf(signal, passes[signal.key]) }));
  const looked = { y0: max(0, wanted.y0 - LOST_REACH), y1: min(height, wanted.y1 + LOST_REACH) };
  const parts = partsOf(width, looked).filter((part) => signals.some((signal) => anyTouched(signal, part, width)));
  const back = signals.map((signal) => partsOf(width, wanted).filter((part) => anyTouched(signal, part, width)));
  // The filter takes about ten times as long as putting back.
  const all = 10 * parts.length + back.flat().length;
  let done = 0;
  for (const part of parts) {
    yield done / all;
    done += 10;
    const open = signals.filter((signal) => anyTouched(signal, part, width));
    const box = {
      x0: max(0, part.x0 - FILTER_HALO),
      y0: max(0, part.y0 - FILTER_HALO),
      x1: min(width, part.x1 + FILTER_HALO),
      y1: min(height, part.y1 + FILTER_HALO),
    };
    const w = box.x1 - box.x0;
    const h = box.y1 - box.y0;
    const halves = open.map(({ key, stride }) => ({
      even: cut(even[key], stride, 3, width, box),
      odd: cut(odd[key], stride, 3, width, box),
    }));
    const inside = { x0: part.x0 - box.x0, y0: part.y0 - box.y0, x1: part.x1 - box.x0, y1: part.y1 - box.y0 };
    const filtered = filter(halves, featuresIn(rows.features, width, box), w, h, inside);
    open.forEach((signal, s) => {
      for (let y = part.y0; y < part.y1; y++) {
        for (let x = part.x0; x < part.x1; x++) {
          const i = y * width + x;
          if (!touchedNear(signal, x, y, width, height)) continue;
          // Of a pixel with few or no catcher samples the halves know nothing.
          if (signal.key !== "prop" && !caught[i]) continue;
          const from = (y - box.y0) * w + x - box.x0;
          for (let k = 0; k < 3; k++) passes[signal.key][i * signal.stride + k] = filtered[s][k][from];
        }
      }
    });
  }
  for (const [s, signal] of signals.entries()) {
    const { key, stride, touched } = signal;
    const open = back[s];
    if (open.length === 0) continue;
    const weight = Float32Array.from(touched, (known, i) => {
      const covered = passes.prop[i * 4 + 3];
      return known && (key === "prop" ? covered : caught[i] * (1 - covered));
    });
    const least = key === "added" ? -Infinity : 0;
    const of = { values: passes[key], even: even[key], odd: odd[key], stride, weight, least };
    const filtered = of.values.slice();
    for (const part of open) {
      yield done++ / all;
      giveBack(of, filtered, width, height, part);
    }
  }
  const { prop } = passes;
  for (let i = 0; i < prop.length; i += 4) for (let k = 0; k < 3; k++) prop[i + k] *= prop[i + 3];
  return passes;
}

function partsOf(width: number, wanted: { y0: number; y1: number }): Box[] {
  const parts: Box[] = [];
  for (let { y0 } = wanted; y0 < wanted.y1; y0 += PART)
    for (let x0 = 0; x0 < width; x0 += PART)
      parts.push({ x0, y0, x1: min(width, x0 + PART), y1: min(wanted.y1, y0 + PART) });
  return parts;
}

/** Makes premultiplied colour straight; where nothing covers, it takes that of another picture. */
function uncover(prop: Float32Array, instead: Float32Array): void {
  for (let i = 0; i < prop.length; i += 4) {
    const a = prop[i + 3];
    for (let k = 0; k < 3; k++) prop[i + k] = a > 1e-6 ? prop[i + k] / a : instead === prop ? 0 : instead[i + k];
  }
}

/** 1 for each pixel of a signal, as it was rendered, that is not that of the untouched plate. */
function touchedOf({ stride, calm }: (typeof SIGNALS)[number], rendered: Float32Array): Uint8Array {
  const touched = new Uint8Array(rendered.length / stride);
  for (let i = 0; i < touched.length; i++)
    for (let k = 0; k < 3; k++) if (abs(rendered[i * stride + k] - calm) > SLIGHT) touched[i] = 1;
  return touched;
}

/** True if some pixel of a part or beside it is touched. */
function anyTouched({ touched }: Signal, part: Box, width: number): boolean {
  const [x0, x1] = [max(0, part.x0 - 1), min(width, part.x1 + 1)];
  const [y0, y1] = [max(0, part.y0 - 1), min(touched.length / width, part.y1 + 1)];
  for (let y = y0; y < y1; y++) for (let x = x0; x < x1; x++) if (touched[y * width + x]) return true;
  return false;
}

/** True if the pixel or one of its neighbours is touched. */
function touchedNear({ touched }: Signal, x: number, y: number, width: number, height: number): boolean {
  for (let v = max(0, y - 1); v <= min(height - 1, y + 1); v++)
    for (let u = max(0, x - 1); u <= min(width - 1, x + 1); u++) if (touched[v * width + u]) return true;
  return false;
}
