// Non-local means over a part of a picture, four pixels at a time; core/trace/denoise says what is computed, and holds
// the same in TypeScript. Planes of a signal or of features follow each other at `plane` bytes; rows are `width` floats.
// Lanes beyond a row's end are masked: what they read may be anything.
import { DENOISE_APART, DENOISE_FEATURES, DENOISE_MARGIN, DENOISE_STRICT } from "./layout";

const LOG2E: f32 = 1.4426950408889634;

/**
 * How far pixels are apart from those `by` further on by their features, columns x0 to x1 and rows y0 to y1: the most of
 * squared differences by `weights`, of which the lesser counts, less 1.
 */
export function featureDistance(
  values: u32,
  weights: u32,
  plane: u32,
  width: u32,
  x0: u32,
  x1: u32,
  y0: u32,
  y1: u32,
  by: u32,
  apart: u32,
): void {
  const one = f32x4.splat(1),
    zero = f32x4.splat(0);
  const shift = by << 2;
  for (let y = y0; y < y1; y++) {
    const row = y * width;
    for (let x = x0; x < x1; x += 4) {
      const i = (row + x) << 2;
      let most = zero;
      for (let f: u32 = 0, at = i; f < <u32>DENOISE_FEATURES; f++, at += plane) {
        const d = f32x4.sub(v128.load(values + at), v128.load(values + at + shift));
        const w = f32x4.pmin(v128.load(weights + at), v128.load(weights + at + shift));
        most = f32x4.pmax(most, f32x4.mul(f32x4.mul(d, d), w));
      }
      v128.store(apart + i, f32x4.pmax(zero, f32x4.sub(most, one)));
    }
  }
}

/** exp(-d) for d of 0 to 20, to a part in a million: 2 to the nearest whole power, times a polynomial for the rest. */
// @ts-ignore: decorator
@inline
function fade(d: v128): v128 {
  const t = f32x4.mul(d, f32x4.splat(-LOG2E)),
    whole = f32x4.nearest(t),
    f = f32x4.sub(t, whole);
  let p = f32x4.splat(0.00015403530393381608);
  p = f32x4.add(f32x4.mul(p, f), f32x4.splat(0.0013333558146428443));
  p = f32x4.add(f32x4.mul(p, f), f32x4.splat(0.009618129107628477));
  p = f32x4.add(f32x4.mul(p, f), f32x4.splat(0.05550410866482158));
  p = f32x4.add(f32x4.mul(p, f), f32x4.splat(0.2402265069591007));
  p = f32x4.add(f32x4.mul(p, f), f32x4.splat(0.6931471805599453));
  p = f32x4.add(f32x4.mul(p, f), f32x4.splat(1));
  return f32x4.mul(p, i32x4.shl(i32x4.add(i32x4.trunc_sat_f32x4_s(whole), i32x4.splat(127)), 23));
}

// @ts-ignore: decorator
@inline
function exchange(own: u32, sums: u32, i: u32, j: u32, w: v128, active: v128): void {
  v128.store(sums + i, f32x4.add(v128.load(sums + i), v128.and(active, f32x4.mul(w, v128.load(own + j)))));
  v128.store(sums + j, f32x4.add(v128.load(sums + j), v128.and(active, f32x4.mul(w, v128.load(own + i)))));
}

/** Adds four pixels from `i` on of a half to those at `j`, and the other way round, if they are not too far apart. */
// @ts-ignore: decorator
@inline
function gather(own: u32, sums: u32, weights: u32, plane: u32, i: u32, j: u32, d: v128, within: v128): void {
  const active = v128.and(f32x4.lt(d, f32x4.splat(<f32>DENOISE_APART)), within);
  if (!v128.any_true(active)) return;
  const w = v128.and(active, fade(d));
  v128.store(weights + i, f32x4.add(v128.load(weights + i), w));
  v128.store(weights + j, f32x4.add(v128.load(weights + j), w));
  exchange(own, sums, i, j, w, active);
  exchange(own + plane, sums + plane, i, j, w, active);
  exchange(own + 2 * plane, sums + 2 * plane, i, j, w, active);
}

// @ts-ignore: decorator
@inline
function across3(at: u32): v128 {
  return f32x4.add(v128.load(at), f32x4.add(v128.load(at - 4), v128.load(at + 4)));
}

// @ts-ignore: decorator
@inline
function patchMean(middle: u32, up: u32, down: u32): v128 {
  return f32x4.mul(f32x4.splat(1.0 / 9.0), f32x4.add(v128.load(middle), f32x4.add(v128.load(up), v128.load(down))));
}

/**
 * Adds the pixels of both halves in rows y0 to y1 to those (dx, dy) away, and the other way round, each half weighed by
 * patches of the other and by `apart`. Sums of a half are three planes. `scratch` is four times `height` rows of width +
 * 2 DENOISE_MARGIN floats.
 */
export function gatherHalves(
  even: u32,
  odd: u32,
  spread: u32,
  evenSums: u32,
  oddSums: u32,
  evenWeights: u32,
  oddWeights: u32,
  apart: u32,
  scratch: u32,
  plane: u32,
  width: u32,
  height: u32,
  dx: i32,
  dy: i32,
  y0: u32,
  y1: u32,
): void {
  const shift = (<u32>(dy * <i32>width + dx)) << 2,
    pitch = (width + 2 * <u32>DENOISE_MARGIN) << 2,
    margin = (<u32>DENOISE_MARGIN) << 2,
    room = pitch * height,
    distances = scratch + margin,
    sums = distances + 2 * room;
  const x0: u32 = dx < 0 ? -dx : 0,
    x1: u32 = dx > 0 ? width - <u32>dx : width,
    rows = height - <u32>dy,
    last = min<u32>(y1, dy > 0 ? rows - 1 : rows);
  if (y0 >= last) return;
  // A patch looks at a row to each side.
  const above: u32 = y0 > 0 ? y0 - 1 : 0,
    below = min<u32>(rows, last + 1);
  const third = f32x4.splat(1.0 / 3.0),
    tiny = f32x4.splat(1e-10),
    strict = f32x4.splat(<f32>(DENOISE_STRICT * DENOISE_STRICT));
  for (let y = above; y < below; y++) {
    const row = y * width,
      to = distances + y * pitch;
    for (let x = x0; x < x1; x += 4) {
      let i = (row + x) << 2,
        e = f32x4.splat(0),
        o = f32x4.splat(0);
      for (let c = 0; c < 3; c++, i += plane) {
        const de = f32x4.sub(v128.load(even + i), v128.load(even + i + shift)),
          dO = f32x4.sub(v128.load(odd + i), v128.load(odd + i + shift)),
          v = f32x4.add(v128.load(spread + i), v128.load(spread + i + shift)),
          q = f32x4.div(third, f32x4.add(tiny, f32x4.mul(strict, v)));
        e = f32x4.add(e, f32x4.mul(f32x4.sub(f32x4.mul(de, de), v), q));
        o = f32x4.add(o, f32x4.mul(f32x4.sub(f32x4.mul(dO, dO), v), q));
      }
      v128.store(to + (x << 2), e);
      v128.store(to + room + (x << 2), o);
    }
    // At the part's own border a patch repeats its last column.
    if (x0 == 0) {
      store<f32>(to - 4, load<f32>(to));
      store<f32>(to + room - 4, load<f32>(to + room));
    }
    if (x1 == width) {
      const end = to + (width << 2);
      store<f32>(end, load<f32>(end - 4));
      store<f32>(end + room, load<f32>(end + room - 4));
    }
  }
  const from: u32 = dx < 0 ? x0 + 1 : 0,
    until: u32 = dx > 0 ? x1 - 1 : width;
  for (let y = above; y < below; y++) {
    const at = distances + y * pitch,
      to = sums + y * pitch;
    for (let x = from; x < until; x += 4) {
      const i = x << 2;
      v128.store(to + i, across3(at + i));
      v128.store(to + room + i, across3(at + room + i));
    }
  }
  const zero = f32x4.splat(0),
    lanes = i32x4(0, 1, 2, 3),
    end = i32x4.splat(until);
  for (let y = y0; y < last; y++) {
    const middle = sums + y * pitch,
      up: u32 = y > 0 ? middle - pitch : middle,
      down: u32 = y + 1 < height ? middle + pitch : middle;
    for (let x = from; x < until; x += 4) {
      const i = (y * width + x) << 2,
        c = x << 2,
        least = f32x4.pmax(zero, v128.load(apart + i)),
        within = i32x4.lt_s(i32x4.add(i32x4.splat(x), lanes), end);
      const byEven = f32x4.pmax(least, patchMean(middle + c, up + c, down + c)),
        byOdd = f32x4.pmax(least, patchMean(middle + room + c, up + room + c, down + room + c));
      gather(even, evenSums, evenWeights, plane, i, i + shift, byOdd, within);
      gather(odd, oddSums, oddWeights, plane, i, i + shift, byEven, within);
    }
  }
}
