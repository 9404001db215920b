import * as L from "../../kernel/layout.ts";
import type { FilmLayout, LightWeights, Passes } from "./film.ts";
import { developFilm, developHalf, unitWeights } from "./film.ts";

/**
 * Non-local means over two half pictures: the weights for one half come from the other, so that they do not follow its
 * noise; the spread between the halves tells how much difference is noise (Rousselle, Knaus and Zwicker 2012, "Adaptive
 * rendering with non-local means filtering"). Albedo, normal, depth and coverage hold edges that noise would hide (the
 * same, 2013, "Robust denoising using feature and color information").
 */

// Looked up once: in a sandboxed global scope, as of test runners, every look-up of Math costs.
const { abs, exp, max, min } = Math;

/** Pixels to each side that a pixel is averaged with, and pixels to each side that two places are compared by. */
const REACH = 6;
const PATCH = 1;
/** Difference, in standard deviations, at which a place counts little. */
const STRICT = 0.6;
/** Features differ when they are this far apart beyond their own local slope. */
const FEATURE_STRICT = 0.45;

/** A box of pixels to work on, from (x0, y0) up to but without (x1, y1). */
interface Box {
  x0: number;
  y0: number;
  x1: number;
  y1: number;
}

interface Planes {
  width: number;
  height: number;
  planes: Float32Array[];
}

/** Mean over a square of `radius` pixels to each side, border pixels repeated by leaving them out. */
function boxMean(source: Float32Array, width: number, height: number, radius: number): Float32Array {
  const across = new Float32Array(source.length);
  const out = new Float32Array(source.length);
  for (let y = 0; y < height; y++) {
    const row = y * width;
    for (let x = 0; x < width; x++) {
      const [from, to] = [max(0, x - radius), min(width - 1, x + radius)];
      let sum = 0;
      for (let i = from; i <= to; i++) sum += source[row + i];
      across[row + x] = sum / (to - from + 1);
    }
  }
  for (let y = 0; y < height; y++) {
    const [from, to] = [max(0, y - radius), min(height - 1, y + radius)];
    for (let x = 0; x < width; x++) {
      let sum = 0;
      for (let j = from; j <= to; j++) sum += across[j * width + x];
      out[y * width + x] = sum / (to - from + 1);
    }
  }
  return out;
}

/** Squared slope of a plane, by central differences. */
function slope(plane: Float32Array, width: number, height: number): Float32Array {
  const out = new Float32Array(plane.length);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      const dx = plane[x + 1 < width ? i + 1 : i] - plane[x > 0 ? i - 1 : i];
      const dy = plane[y + 1 < height ? i + width : i] - plane[y > 0 ? i - width : i];
      out[i] = 0.25 * (dx * dx + dy * dy);
    }
  }
  return out;
}

/** How far pixels are apart from those `dx`, `dy` further on by their features; huge where there is no such pixel. */
function featureDistance(
  width: number,
  height: number,
  features: Float32Array[],
  slopes: Float32Array[],
  dx: number,
  dy: number,
): Float32Array {
  const apart = new Float32Array(width * height).fill(1e9);
  const shift = dy * width + dx;
  const [y1, x0, x1] = [height - dy, max(0, -dx), min(width, width - dx)];
  for (let y = 0; y < y1; y++) apart.fill(0, y * width + x0, y * width + x1);
  for (let f = 0; f < features.length; f++) {
    const plane = features[f];
    const steep = slopes[f];
    for (let y = 0; y < y1; y++) {
      for (let i = y * width + x0, end = y * width + x1; i < end; i++) {
        const d = plane[i] - plane[i + shift];
        const v = max(0.0012, steep[i], steep[i + shift]);
        const e = (d * d) / (FEATURE_STRICT * FEATURE_STRICT * v) - 1;
        if (e > apart[i]) apart[i] = e;
      }
    }
  }
  return apart;
}

/** Weights of all pixels with those `dx`, `dy` further on, by one half picture and the features. */
function weigh(half: Planes, spread: Float32Array[], apart: Float32Array, dx: number, dy: number): Float32Array {
  const { width, height, planes } = half;
  const distance = new Float32Array(width * height).fill(1e9);
  const shift = dy * width + dx;
  const [y1, x0, x1] = [height - dy, max(0, -dx), min(width, width - dx)];
  const share = 1 / planes.length;
  for (let y = 0; y < y1; y++) distance.fill(0, y * width + x0, y * width + x1);
  for (let c = 0; c < planes.length; c++) {
    const plane = planes[c];
    const variance = spread[c];
    for (let y = 0; y < y1; y++) {
      for (let i = y * width + x0, end = y * width + x1; i < end; i++) {
        const d = plane[i] - plane[i + shift];
        const v = variance[i] + variance[i + shift];
        distance[i] += (share * (d * d - v)) / (1e-10 + STRICT * STRICT * v);
      }
    }
  }
  const mean = boxMean(distance, width, height, PATCH);
  for (let i = 0; i < mean.length; i++) {
    const d = max(mean[i], apart[i]);
    mean[i] = d < 20 ? exp(-max(0, d)) : 0;
  }
  return mean;
}

/** Filters both halves of one signal; returns their mean. */
function filterHalves(even: Planes, odd: Planes, features: Float32Array[]): Float32Array[] {
  const { width, height } = even;
  const n = width * height;
  const slopes = features.map((f) => slope(f, width, height));
  const spread = even.planes.map((plane, c) => {
    const d = new Float32Array(n);
    for (let i = 0; i < n; i++) d[i] = 0.5 * (plane[i] - odd.planes[c][i]) ** 2;
    return boxMean(d, width, height, 3);
  });
  const start = (p: Planes) => p.planes.map((plane) => plane.slice());
  const [sumEven, sumOdd] = [start(even), start(odd)];
  const [weightEven, weightOdd] = [new Float32Array(n).fill(1), new Float32Array(n).fill(1)];
  const gather = (sums: Float32Array[], weights: Float32Array, from: Planes, w: Float32Array, shift: number) => {
    for (let i = 0; i < n; i++) {
      const weight = w[i];
      if (weight === 0) continue;
      const j = i + shift;
      weights[i] += weight;
      weights[j] += weight;
      for (let c = 0; c < sums.length; c++) {
        sums[c][i] += weight * from.planes[c][j];
        sums[c][j] += weight * from.planes[c][i];
      }
    }
  };
  // Weights hold for both directions, so half of the shifts will do.
  for (let dy = 0; dy <= REACH; dy++) {
    for (let dx = dy === 0 ? 1 : -REACH; dx <= REACH; dx++) {
      const shift = dy * width + dx;
      const apart = featureDistance(width, height, features, slopes, dx, dy);
      gather(sumEven, weightEven, even, weigh(odd, spread, apart, dx, dy), shift);
      gather(sumOdd, weightOdd, odd, weigh(even, spread, apart, dx, dy), shift);
    }
  }
  return sumEven.map((s, c) => s.map((v, i) => 0.5 * (v / weightEven[i] + sumOdd[c][i] / weightOdd[i])));
}

/** Pixels a side of the parts that are filtered one by one, and how far a part looks beyond its border. */
const PART = 128;
const HALO = REACH + PATCH + 5;
/** What differs less from the untouched plate is left as it is: a quarter of an 8-bit code value in mid grey. */
const SLIGHT = 0.002;

/** Channels of an interleaved picture within a box, as planes. */
function cut(source: Float32Array, stride: number, channels: number, width: number, box: Box): Planes {
  const [w, h] = [box.x1 - box.x0, box.y1 - box.y0];
  const planes = Array.from({ length: channels }, (_, c) => {
    const plane = new Float32Array(w * h);
    for (let y = 0, i = 0; y < h; y++)
      for (let x = 0; x < w; x++, i++) plane[i] = source[((y + box.y0) * width + x + box.x0) * stride + c];
    return plane;
  });
  return { width: w, height: h, planes };
}

/** Planes that tell surfaces apart: albedo, normal, coverage, and depth relative to its own size. */
function featurePlanes(film: Float32Array, layout: FilmLayout, width: number, box: Box): Float32Array[] {
  const [w, h] = [box.x1 - box.x0, box.y1 - box.y0];
  const planes = Array.from({ length: 8 }, () => new Float32Array(w * h));
  for (let y = 0, i = 0; y < h; y++) {
    for (let x = 0; x < w; x++, i++) {
      const f = ((y + box.y0) * width + x + box.x0) * layout.stride;
      const samples = max(1, film[f + L.FILM_SAMPLES]);
      const at = f + layout.features;
      for (let k = 0; k < 3; k++) {
        planes[k][i] = film[at + L.FEATURE_ALBEDO + k] / samples;
        planes[3 + k][i] = (0.5 * film[at + L.FEATURE_NORMAL + k]) / samples;
      }
      const alpha = film[f + L.FILM_ALPHA];
      planes[6][i] = alpha / samples;
      const depth = alpha > 0 ? film[f + L.FILM_DEPTH] / alpha : 0;
      planes[7][i] = depth > 0 ? 0.25 * Math.log(depth) : 0;
    }
  }
  return planes;
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
): Passes {
  if (layout.half === 0 || layout.features === 0) throw new Error("The film keeps no halves or no features.");
  const passes = developFilm(film, width, height, layout, weights);
  const [even, odd] = [false, true].map((side) => developHalf(film, width, height, layout, side, weights));
  // Coverage keeps its own noise, so the colour is filtered without it and covered again.
  const alpha = Float32Array.from({ length: width * height }, (_, i) => passes.prop[i * 4 + 3]);
  uncover(passes.prop, passes.prop);
  for (const half of [even, odd]) uncover(half.prop, passes.prop);
  const filter = (key: "prop" | "ratio" | "added", stride: number, calm: number) => {
    const whole = passes[key];
    const before = whole.slice();
    const touched = (i: number) => {
      for (let k = 0; k < 3; k++) if (abs(before[i * stride + k] - calm) > SLIGHT) return true;
      return false;
    };
    for (let top = 0; top < height; top += PART) {
      for (let left = 0; left < width; left += PART) {
        const [bottom, right] = [min(height, top + PART), min(width, left + PART)];
        if (!anyTouched(touched, left, top, right, bottom, width)) continue;
        const box = {
          x0: max(0, left - HALO),
          y0: max(0, top - HALO),
          x1: min(width, right + HALO),
          y1: min(height, bottom + HALO),
        };
        const parts = [even, odd].map((half) => cut(half[key], stride, 3, width, box));
        const filtered = filterHalves(parts[0], parts[1], featurePlanes(film, layout, width, box));
        const w = box.x1 - box.x0;
        for (let y = top; y < bottom; y++) {
          for (let x = left; x < right; x++) {
            const i = y * width + x;
            if (!touchedNear(touched, x, y, width, height)) continue;
            // Of a pixel with few or no catcher samples the halves know nothing.
            if (key !== "prop" && film[i * layout.stride + L.FILM_CATCHER] === 0) continue;
            const from = (y - box.y0) * w + x - box.x0;
            for (let k = 0; k < 3; k++) whole[i * stride + k] = filtered[k][from];
          }
        }
      }
    }
  };
  filter("prop", 4, 0);
  filter("ratio", 3, 1);
  filter("added", 3, 0);
  for (let i = 0; i < alpha.length; i++) for (let k = 0; k < 3; k++) passes.prop[i * 4 + k] *= alpha[i];
  return passes;
}

/** Makes premultiplied colour straight; where nothing covers, it takes that of another picture. */
function uncover(prop: Float32Array, instead: Float32Array): void {
  for (let i = 0; i < prop.length; i += 4) {
    const a = prop[i + 3];
    for (let k = 0; k < 3; k++) prop[i + k] = a > 1e-6 ? prop[i + k] / a : instead === prop ? 0 : instead[i + k];
  }
}

function anyTouched(
  touched: (i: number) => boolean,
  left: number,
  top: number,
  right: number,
  bottom: number,
  width: number,
) {
  for (let y = top; y < bottom; y++) for (let x = left; x < right; x++) if (touched(y * width + x)) return true;
  return false;
}

/** True if the pixel or one of its neighbours is touched. */
function touchedNear(touched: (i: number) => boolean, x: number, y: number, width: number, height: number): boolean {
  for (let v = max(0, y - 1); v <= min(height - 1, y + 1); v++)
    for (let u = max(0, x - 1); u <= min(width - 1, x + 1); u++) if (touched(v * width + u)) return true;
  return false;
}
