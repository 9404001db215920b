// Non-local means over a part of a picture, four pixels at a time; core/trace/denoise says what is computed, and holds
// the same in TypeScript. Planes of a signal or of features follow each other at `plane` bytes; rows are `width` floats.
// Lanes beyond a row's end are masked: what they read may be anything.
import { DENOISE_APART, DENOISE_FEATURES, DENOISE_FEATURE_STRICT, DENOISE_MARGIN, DENOISE_STRICT } from "./layout";

const LEAST_SLOPE: f32 = 0.0012;
const LOG2E: f32 = 1.4426950408889634;

/** How far pixels are apart from those `by` further on by their features, columns x0 to x1 and rows up to y1. */
export function featureDistance(
  values: u32,
  slopes: u32,
  plane: u32,
  width: u32,
  x0: u32,
  x1: u32,
  y1: u32,
  by: u32,
  apart: u32,
): void {
  const least = f32x4.splat(LEAST_SLOPE),
    scale = f32x4.splat(<f32>(1.0 / (DENOISE_FEATURE_STRICT * DENOISE_FEATURE_STRICT))),
    one = f32x4.splat(1);
  const shift = by << 2;
  for (let y: u32 = 0; y < y1; y++) {
    const row = y * width;
    for (let x = x0; x < x1; x += 4) {
      const i = (row + x) << 2;
      let most = f32x4.splat(0);
      for (let f: u32 = 0, at = i; f < <u32>DENOISE_FEATURES; f++, at += plane) {
        const d = f32x4.sub(v128.load(values + at), v128.load(values + at + shift));
        const steep = f32x4.pmax(least, f32x4.pmax(v128.load(slopes + at), v128.load(slopes + at + shift)));
        most = f32x4.pmax(most, f32x4.sub(f32x4.div(f32x4.mul(f32x4.mul(d, d), scale), steep), one));
      }
      v128.store(apart + i, most);
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
function channelDistance(other: u32, spread: u32, i: u32, j: u32): v128 {
  const d = f32x4.sub(v128.load(other + i), v128.load(other + j)),
    v = f32x4.add(v128.load(spread + i), v128.load(spread + j));
  return f32x4.div(
    f32x4.sub(f32x4.mul(d, d), v),
    f32x4.add(f32x4.splat(1e-10), f32x4.mul(f32x4.splat(<f32>(DENOISE_STRICT * DENOISE_STRICT)), v)),
  );
}

// @ts-ignore: decorator
@inline
function exchange(own: u32, sums: u32, i: u32, j: u32, w: v128, active: v128): void {
  v128.store(sums + i, f32x4.add(v128.load(sums + i), v128.and(active, f32x4.mul(w, v128.load(own + j)))));
  v128.store(sums + j, f32x4.add(v128.load(sums + j), v128.and(active, f32x4.mul(w, v128.load(own + i)))));
}

/**
 * Adds all pixels of one half to those (dx, dy) away, and the other way round, weighed by patches of the other half and
 * by `apart`. `distance` and `across` are scratch of `height` rows of width + 2 DENOISE_MARGIN floats.
 */
export function gatherHalf(
  own: u32,
  other: u32,
  spread: u32,
  sums: u32,
  weights: u32,
  apart: u32,
  distance: u32,
  across: u32,
  plane: u32,
  width: u32,
  height: u32,
  dx: i32,
  dy: i32,
): void {
  const shift = (<u32>(dy * <i32>width + dx)) << 2,
    pitch = (width + 2 * <u32>DENOISE_MARGIN) << 2,
    margin = (<u32>DENOISE_MARGIN) << 2;
  const x0: u32 = dx < 0 ? -dx : 0,
    x1: u32 = dx > 0 ? width - <u32>dx : width,
    y1 = height - <u32>dy;
  const third = f32x4.splat(1.0 / 3.0);
  for (let y: u32 = 0; y < y1; y++) {
    const row = y * width,
      to = distance + y * pitch + margin;
    for (let x = x0; x < x1; x += 4) {
      const i = (row + x) << 2,
        j = i + shift;
      const sum = f32x4.add(
        channelDistance(other, spread, i, j),
        f32x4.add(
          channelDistance(other + plane, spread + plane, i, j),
          channelDistance(other + 2 * plane, spread + 2 * plane, i, j),
        ),
      );
      v128.store(to + (x << 2), f32x4.mul(sum, third));
    }
    // At the part's own border a patch repeats its last column.
    if (x0 == 0) store<f32>(to - 4, load<f32>(to));
    if (x1 == width) store<f32>(to + (width << 2), load<f32>(to + ((width - 1) << 2)));
  }
  const from: u32 = dx < 0 ? x0 + 1 : 0,
    until: u32 = dx > 0 ? x1 - 1 : width,
    last: u32 = dy > 0 ? y1 - 1 : y1;
  for (let y: u32 = 0; y < y1; y++) {
    const at = distance + y * pitch + margin,
      to = across + y * pitch + margin;
    for (let x = from; x < until; x += 4) {
      const i = at + (x << 2);
      v128.store(to + (x << 2), f32x4.add(v128.load(i), f32x4.add(v128.load(i - 4), v128.load(i + 4))));
    }
  }
  const ninth = f32x4.splat(1.0 / 9.0),
    far = f32x4.splat(<f32>DENOISE_APART),
    zero = f32x4.splat(0),
    lanes = i32x4(0, 1, 2, 3),
    end = i32x4.splat(until);
  for (let y: u32 = 0; y < last; y++) {
    const middle = across + y * pitch + margin,
      up: u32 = y > 0 ? middle - pitch : middle,
      down: u32 = y + 1 < height ? middle + pitch : middle;
    for (let x = from; x < until; x += 4) {
      const i = (y * width + x) << 2,
        c = x << 2;
      const mean = f32x4.mul(
        ninth,
        f32x4.add(v128.load(middle + c), f32x4.add(v128.load(up + c), v128.load(down + c))),
      );
      const d = f32x4.pmax(zero, f32x4.pmax(v128.load(apart + i), mean));
      const active = v128.and(f32x4.lt(d, far), i32x4.lt_s(i32x4.add(i32x4.splat(x), lanes), end));
      if (!v128.any_true(active)) continue;
      const w = v128.and(active, fade(d)),
        j = i + shift;
      v128.store(weights + i, f32x4.add(v128.load(weights + i), w));
      v128.store(weights + j, f32x4.add(v128.load(weights + j), w));
      exchange(own, sums, i, j, w, active);
      exchange(own + plane, sums + plane, i, j, w, active);
      exchange(own + 2 * plane, sums + 2 * plane, i, j, w, active);
    }
  }
}
