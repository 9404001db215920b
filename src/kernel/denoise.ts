// Non-local means over a part of a picture, four pixels at a time; core/trace/denoise says what is computed, and holds
// the same in TypeScript. A row of pixels is compared at once with all places that lie `dy` rows below it and from `first`
// to DENOISE_REACH columns further: what they need stays close to the processor. For each of these shifts there is a row
// of floats, `pitch` bytes after the one before, DENOISE_MARGIN floats of room to each side. Planes of a signal or of
// features follow each other at `plane` bytes; their rows are `width` floats.
import { DENOISE_APART, DENOISE_FEATURES, DENOISE_REACH, DENOISE_STRICT } from "./layout";

// Four equal lanes are read from memory where they are used in loops: as constants they would be put together each time.
const THIRD: u32 = 0;
const NINTH: u32 = 4;
const TINY: u32 = 8;
const STRICT: u32 = 12;
const APART: u32 = 16;
const LOG2E: u32 = 20;
const ROUND: u32 = 24;
const EXP2: u32 = 28; // coefficients of the powers 0 to 5

/** Writes the numbers that the functions below read at `terms`: DENOISE_TERMS floats. */
export function denoiseTerms(terms: u32): void {
  store<f32>(terms + THIRD, 1.0 / 3.0);
  store<f32>(terms + NINTH, 1.0 / 9.0);
  store<f32>(terms + TINY, 1e-10);
  store<f32>(terms + STRICT, <f32>(DENOISE_STRICT * DENOISE_STRICT));
  store<f32>(terms + APART, <f32>DENOISE_APART);
  store<f32>(terms + LOG2E, -1.4426950408889634);
  store<f32>(terms + ROUND, 12582912); // 1.5 times 2 to the 23rd: what is added to it loses its fraction
  store<f32>(terms + EXP2, 1);
  store<f32>(terms + EXP2 + 4, 0.6931471805599453);
  store<f32>(terms + EXP2 + 8, 0.2402265069591007);
  store<f32>(terms + EXP2 + 12, 0.05550410866482158);
  store<f32>(terms + EXP2 + 16, 0.009618129107628477);
  store<f32>(terms + EXP2 + 20, 0.0013333558146428443);
}

// @ts-ignore: decorator
@inline
const REACH: i32 = <i32>DENOISE_REACH;

/**
 * How far the pixels of row y in columns x0 to x1 are apart from those of each shift by their features: the most of
 * squared differences by `weights`, of which the lesser counts, less 1.
 */
export function featureRows(
  values: u32,
  weights: u32,
  plane: u32,
  width: i32,
  y: i32,
  dy: i32,
  first: i32,
  x0: i32,
  x1: i32,
  terms: u32,
  apart: u32,
  pitch: u32,
): void {
  const one = v128.load32_splat(terms + EXP2),
    zero = f32x4.splat(0);
  for (let dx = first; dx <= REACH; dx++, apart += pitch) {
    const shift = <u32>((dy * width + dx) << 2),
      end = min(x1, width - dx);
    for (let x = max(x0, -dx); x < end; x += 4) {
      let most = zero,
        v = values + <u32>((y * width + x) << 2),
        s = weights + <u32>((y * width + x) << 2);
      for (let f = 0; f < DENOISE_FEATURES; f++, v += plane, s += plane) {
        const d = f32x4.sub(v128.load(v), v128.load(v + shift)),
          w = f32x4.pmin(v128.load(s), v128.load(s + shift));
        most = f32x4.pmax(most, f32x4.mul(f32x4.mul(d, d), w));
      }
      v128.store(apart + <u32>(x << 2), f32x4.pmax(zero, f32x4.sub(most, one)));
    }
  }
}

// @ts-ignore: decorator
@inline
function repeatEnds(row: u32, left: bool, right: bool, width: i32): void {
  if (left) store<f32>(row - 4, load<f32>(row));
  if (!right) return;
  const end = row + <u32>(width << 2);
  store<f32>(end, load<f32>(end - 4));
}

// @ts-ignore: decorator
@inline
function across3(at: u32): v128 {
  return f32x4.add(v128.load(at), f32x4.add(v128.load(at - 4), v128.load(at + 4)));
}

/**
 * Differences of both halves beyond what noise explains, mean over the channels, between row y and each shift: sums of
 * three pixels side by side for columns x0 to x1, those of the odd half `room` bytes after those of the even one. At the
 * part's own border a sum repeats its last column. `scratch` is two rows.
 */
export function differenceRows(
  even: u32,
  odd: u32,
  spread: u32,
  plane: u32,
  width: i32,
  y: i32,
  dy: i32,
  first: i32,
  x0: i32,
  x1: i32,
  terms: u32,
  scratch: u32,
  sums: u32,
  room: u32,
  pitch: u32,
): void {
  const third = v128.load32_splat(terms + THIRD),
    tiny = v128.load32_splat(terms + TINY),
    strict = v128.load32_splat(terms + STRICT),
    other = scratch + pitch;
  for (let dx = first; dx <= REACH; dx++, sums += pitch) {
    const shift = <u32>((dy * width + dx) << 2),
      from = max(x0 - 1, max(0, -dx)),
      end = min(x1 + 1, min(width, width - dx));
    for (let x = from; x < end; x += 4) {
      let at = <u32>((y * width + x) << 2),
        e = f32x4.splat(0),
        o = f32x4.splat(0);
      for (let c = 0; c < 3; c++, at += plane) {
        const de = f32x4.sub(v128.load(even + at), v128.load(even + at + shift)),
          dO = f32x4.sub(v128.load(odd + at), v128.load(odd + at + shift)),
          v = f32x4.add(v128.load(spread + at), v128.load(spread + at + shift)),
          q = f32x4.div(third, f32x4.add(tiny, f32x4.mul(strict, v)));
        e = f32x4.add(e, f32x4.mul(f32x4.sub(f32x4.mul(de, de), v), q));
        o = f32x4.add(o, f32x4.mul(f32x4.sub(f32x4.mul(dO, dO), v), q));
      }
      v128.store(scratch + <u32>(x << 2), e);
      v128.store(other + <u32>(x << 2), o);
    }
    repeatEnds(scratch, from == 0, end == width, width);
    repeatEnds(other, from == 0, end == width, width);
    for (let x = max(x0, from); x < end; x += 4) {
      const i = <u32>(x << 2);
      v128.store(sums + i, across3(scratch + i));
      v128.store(sums + room + i, across3(other + i));
    }
  }
}

/**
 * Weights of a half from the other half's differences over three rows and from features: nothing for places too far apart,
 * and for columns beyond x0 to x1 or whose patch lacks a partner.
 */
export function weightRows(
  up: u32,
  middle: u32,
  down: u32,
  apart: u32,
  width: i32,
  first: i32,
  x0: i32,
  x1: i32,
  terms: u32,
  weights: u32,
  pitch: u32,
): void {
  const ninth = v128.load32_splat(terms + NINTH),
    most = v128.load32_splat(terms + APART),
    log2e = v128.load32_splat(terms + LOG2E),
    round = v128.load32_splat(terms + ROUND),
    c0 = v128.load32_splat(terms + EXP2),
    c1 = v128.load32_splat(terms + EXP2 + 4),
    c2 = v128.load32_splat(terms + EXP2 + 8),
    c3 = v128.load32_splat(terms + EXP2 + 12),
    c4 = v128.load32_splat(terms + EXP2 + 16),
    c5 = v128.load32_splat(terms + EXP2 + 20);
  for (let dx = first; dx <= REACH; dx++, up += pitch, middle += pitch, down += pitch) {
    const from = max(x0, dx < 0 ? 1 - dx : 0),
      until = min(x1, dx > 0 ? width - dx - 1 : width);
    for (let x = from; x < until; x += 4) {
      const i = <u32>(x << 2),
        patch = f32x4.mul(ninth, f32x4.add(v128.load(middle + i), f32x4.add(v128.load(up + i), v128.load(down + i)))),
        d = f32x4.pmax(v128.load(apart + i), patch);
      // exp(-d) is 2 to the nearest whole power, which is added to the exponent, times a polynomial for the rest.
      const t = f32x4.mul(d, log2e),
        whole = f32x4.add(t, round),
        f = f32x4.sub(t, f32x4.sub(whole, round));
      let p = f32x4.add(f32x4.mul(c5, f), c4);
      p = f32x4.add(f32x4.mul(p, f), c3);
      p = f32x4.add(f32x4.mul(p, f), c2);
      p = f32x4.add(f32x4.mul(p, f), c1);
      p = f32x4.add(f32x4.mul(p, f), c0);
      v128.store(weights + i, v128.and(f32x4.lt(d, most), i32x4.add(p, i32x4.shl(whole, 23))));
    }
    if (until > from) v128.store(weights + <u32>(until << 2), f32x4.splat(0));
    apart += pitch;
    weights += pitch;
  }
}

/**
 * Adds pixels of the row at `from` to `sums`, three planes, and their weights to `total`, for columns x0 to x1 of one row:
 * `forward` if the weights are those of the pixels that are added to, or else those of the pixels that are added.
 */
// @ts-ignore: decorator
@inline
function addRows(
  from: u32,
  sums: u32,
  total: u32,
  plane: u32,
  first: i32,
  x0: i32,
  x1: i32,
  weights: u32,
  pitch: u32,
  forward: bool,
): void {
  const count = REACH + 1 - first;
  const step: u32 = forward ? 4 : -4;
  const start = <u32>((forward ? first : -first) << 2);
  for (let x = x0; x < x1; x += 4) {
    const i = <u32>(x << 2);
    let w = v128.load(total + i),
      r = v128.load(sums + i),
      g = v128.load(sums + plane + i),
      b = v128.load(sums + 2 * plane + i),
      p = from + i + start,
      at = weights + i + (forward ? 0 : start);
    for (let k = 0; k < count; k++) {
      const weight = v128.load(at);
      w = f32x4.add(w, weight);
      r = f32x4.add(r, f32x4.mul(weight, v128.load(p)));
      g = f32x4.add(g, f32x4.mul(weight, v128.load(p + plane)));
      b = f32x4.add(b, f32x4.mul(weight, v128.load(p + 2 * plane)));
      p += step;
      at += forward ? pitch : pitch - 4;
    }
    v128.store(total + i, w);
    v128.store(sums + i, r);
    v128.store(sums + plane + i, g);
    v128.store(sums + 2 * plane + i, b);
  }
}

/** Adds to row y of a half what lies at each shift from it, or the row to what lies there (`back`). */
export function gatherRow(
  own: u32,
  sums: u32,
  total: u32,
  plane: u32,
  width: i32,
  y: i32,
  dy: i32,
  first: i32,
  x0: i32,
  x1: i32,
  weights: u32,
  pitch: u32,
  back: bool,
): void {
  const at = <u32>((y * width) << 2),
    below = at + <u32>((dy * width) << 2);
  if (back) addRows(own + at, sums + below, total + below, plane, first, x0, x1, weights, pitch, false);
  else addRows(own + below, sums + at, total + at, plane, first, x0, x1, weights, pitch, true);
}
