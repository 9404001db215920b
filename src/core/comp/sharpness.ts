import { findSegments } from "../detect/segments.ts";
import { toneOf } from "../detect/tone.ts";
import type { Vec2 } from "../math/vec3.ts";

/** How soft a plate's edges are: the standard deviation of the Gaussian that blurs a step into what is seen. */

export interface MeasuredSharpness {
  /** Pixels; two fifths of what was measured are sharper. */
  sigmaPx: number;
  /** Edge spreads of all places, sorted. */
  each: number[];
}

/** Edges of things may be softer than the lens, and slivers look sharper: the place in the sorted list that counts. */
const SHARPER = 0.4;

/** Pixels to either side of an edge that are looked at, and along it for one measurement. */
const REACH = 7;
const ALONG = 24;
/** Step over its own noise, and share of the spread that a blurred step explains, that a measurement needs. */
const LEAST_CONTRAST = 0.04;
const LEAST_FIT = 0.97;
/** Light near which a camera clips: an edge that does looks sharper than it is. */
const CLIPS = 0.95;

/** Error function by Abramowitz and Stegun, Handbook of Mathematical Functions, 7.1.26; within 1.5e-7. */
function erf(x: number): number {
  const t = 1 / (1 + 0.3275911 * Math.abs(x));
  const y =
    1 -
    ((((1.061405429 * t - 1.453152027) * t + 1.421413741) * t - 0.284496736) * t + 0.254829592) * t * Math.exp(-x * x);
  return x < 0 ? -y : y;
}

/**
 * Measures edges of a plate along lines that were marked on it, a piece of 24 pixels at a time: the light across, pooled
 * over the piece so that its slant samples it finely (ISO 12233's slanted edge), fitted by a blurred step. Null where no
 * piece is a clean step.
 */
export function measureSharpness(
  plate: { width: number; height: number; linear: Float32Array },
  lines: readonly (readonly Vec2[])[],
): MeasuredSharpness | null {
  const each: number[] = [];
  for (const line of lines)
    for (let i = 1; i < line.length; i++) {
      const [from, to] = [line[i - 1], line[i]];
      const length = Math.hypot(to[0] - from[0], to[1] - from[1]);
      const pieces = Math.min(60, Math.floor(length / ALONG));
      for (let p = 0; p < pieces; p++) {
        const at = (s: number): Vec2 => [from[0] + (to[0] - from[0]) * s, from[1] + (to[1] - from[1]) * s];
        const sigma = stepSpread(plate, at((p * ALONG) / length), at(((p + 1) * ALONG) / length));
        if (sigma !== null) each.push(sigma);
      }
    }
  if (each.length < 3) return null;
  each.sort((a, b) => a - b);
  return { sigmaPx: each[Math.floor(SHARPER * each.length)], each };
}

/** Pieces of marked edges that suffice. */
const ENOUGH = 8;

/** A plate's sharpness by the edges that are marked on it, and by those that are found in it where the marks are no clean steps. */
export function plateSharpness(
  plate: { width: number; height: number; linear: Float32Array },
  marks: readonly (readonly Vec2[])[],
): MeasuredSharpness | null {
  const marked = measureSharpness(plate, marks);
  if (marked && marked.each.length >= ENOUGH) return marked;
  const found = findSegments(toneOf(plate.linear, plate.width, plate.height));
  return measureSharpness(plate, [...marks, ...found.map(({ from, to }) => [from, to])]);
}

/** Spread of one piece of an edge; null where it is no clean step. */
function stepSpread(plate: { width: number; height: number; linear: Float32Array }, a: Vec2, b: Vec2): number | null {
  const { width, height, linear } = plate;
  const [dx, dy] = [(b[0] - a[0]) / ALONG, (b[1] - a[1]) / ALONG];
  const samples: Vec2[] = [];
  let brightest = 0;
  const low = [Math.min(a[0], b[0]) - REACH, Math.min(a[1], b[1]) - REACH].map(Math.floor);
  const high = [Math.max(a[0], b[0]) + REACH, Math.max(a[1], b[1]) + REACH].map(Math.ceil);
  if (low[0] < 0 || low[1] < 0 || high[0] >= width || high[1] >= height) return null;
  for (let y = low[1]; y <= high[1]; y++)
    for (let x = low[0]; x <= high[0]; x++) {
      const [px, py] = [x + 0.5 - a[0], y + 0.5 - a[1]];
      const along = px * dx + py * dy;
      const off = py * dx - px * dy;
      if (along < 0 || along > ALONG || Math.abs(off) > REACH) continue;
      const i = (y * width + x) * 3;
      brightest = Math.max(brightest, linear[i], linear[i + 1], linear[i + 2]);
      samples.push([off, 0.2126 * linear[i] + 0.7152 * linear[i + 1] + 0.0722 * linear[i + 2]]);
    }
  // The mark may lie beside the edge, and slant against it: both are found with the spread.
  return samples.length < 6 * ALONG || brightest > CLIPS ? null : fitStep(samples);
}

/** Spread of a blurred step through samples of (distance, light), by its place and width on a grid that gets finer. */
function fitStep(samples: readonly Vec2[]): number | null {
  const mean = samples.reduce((sum, [, v]) => sum + v, 0) / samples.length;
  const total = samples.reduce((sum, [, v]) => sum + (v - mean) ** 2, 0);
  let best = { place: 0, sigma: 1, rest: Infinity, height: 0 };
  const consider = (place: number, sigma: number) => {
    // Level and height of the step follow by least squares.
    let [s1, s2, sv, s1v] = [0, 0, 0, 0];
    for (const [d, v] of samples) {
      const e = erf((d - place) / (Math.SQRT2 * sigma));
      s1 += e;
      s2 += e * e;
      sv += v;
      s1v += e * v;
    }
    const n = samples.length;
    const det = n * s2 - s1 * s1;
    if (!(det > 1e-9)) return;
    const height = (n * s1v - s1 * sv) / det;
    const level = (sv - height * s1) / n;
    let rest = 0;
    for (const [d, v] of samples) rest += (v - level - height * erf((d - place) / (Math.SQRT2 * sigma))) ** 2;
    if (rest < best.rest) best = { place, sigma, rest, height };
  };
  for (let place = -3; place <= 3; place += 0.5) for (const sigma of [0.4, 0.7, 1.1, 1.7, 2.6]) consider(place, sigma);
  for (let step = 0.4; step > 0.004; step /= 2) {
    const { place, sigma } = best;
    for (const p of [-1, 0, 1])
      for (const s of [1 / (1 + step), 1, 1 + step]) consider(place + p * step, Math.min(6, Math.max(0.15, sigma * s)));
  }
  const explained = 1 - best.rest / Math.max(1e-12, total);
  return 2 * Math.abs(best.height) > LEAST_CONTRAST && explained > LEAST_FIT ? best.sigma : null;
}
