// Rows of channels as bytes of an OpenEXR block; core/image/exr says how they are laid down.

import { BLOCK_FLOAT, BLOCK_HALF, BLOCK_PLAN_BYTES, UNBLOCK_PLAN_BYTES } from "./layout";

/** Pixels that are taken in hand together, so that channels that lie interleaved are read from the nearest memory. */
const CHUNK: u32 = 64;

/**
 * Writes `rows` rows of `width` pixels to `out`: the even bytes of all first, then the odd ones, `pairs` of them a row, each
 * less the one before it, and 128. `plan` says of each of the `channels` where its first value stands (u32 address), how many
 * bytes lie from one to the next (u32), where the counts stand that it is divided by (u32 address, 0 for none), its value
 * where nothing was counted (f32), whether it is stored as halves (u32), and its first pair in a row (u32).
 */
export function blockRows(plan: u32, channels: u32, width: u32, rows: u32, pairs: u32, out: u32): void {
  const odd = pairs * rows,
    end = plan + channels * BLOCK_PLAN_BYTES;
  let evenBefore: u32 = 0,
    oddBefore: u32 = 0;
  memory.fill(out, 0, odd << 1);
  for (let y: u32 = 0; y < rows; y++) {
    const row = out + y * pairs;
    for (let x: u32 = 0; x < width; x += CHUNK) {
      const count = min(CHUNK, width - x),
        pixel = y * width + x;
      for (let c = plan; c < end; c += BLOCK_PLAN_BYTES) {
        const stride = load<u32>(c, 4),
          counts = load<u32>(c, 8),
          values = load<u32>(c) + pixel * stride,
          at = row + load<u32>(c, 20),
          over = counts === 0 ? 0 : counts + (pixel << 2);
        if (load<u32>(c, 16)) halves(values, stride, over, load<f32>(c, 12), count, at + x, odd);
        else floats(values, stride, over, load<f32>(c, 12), count, at + (x << 1), odd);
      }
    }
    evenBefore = differ(row, pairs, evenBefore);
    const first = load<u8>(row + odd);
    oddBefore = differ(row + odd, pairs, oddBefore);
    // The last of the even bytes is known when all rows are there; the first of all has none before it.
    if (y === 0) {
      store<u8>(row + odd, first);
      store<u8>(row, load<u8>(row) - 128);
    }
  }
  if (rows > 0) store<u8>(out + odd, load<u8>(out + odd) - evenBefore + 128);
}

/** Bits of the values of four pixels, each over its count. */
// @ts-ignore: decorator
@inline
function bitsOf(values: u32, stride: u32, counts: u32, empty: f32): v128 {
  let v = v128.load32_zero(values);
  v = v128.load32_lane(values + stride, v, 1);
  v = v128.load32_lane(values + (stride << 1), v, 2);
  v = v128.load32_lane(values + stride * 3, v, 3);
  if (counts === 0) return v;
  const n = v128.load(counts);
  return v128.bitselect(f32x4.div(v, n), f32x4.splat(empty), f32x4.gt(n, f32x4.splat(0)));
}

/** IEEE 754 halves nearest to four floats, ties to even; out of range becomes infinity. */
// @ts-ignore: decorator
@inline
function halfOf(bits: v128): v128 {
  const sign = v128.and(i32x4.shr_u(bits, 16), i32x4.splat(0x8000)),
    size = v128.and(bits, i32x4.splat(0x7fffffff)),
    tie = v128.and(i32x4.shr_u(size, 13), i32x4.splat(1)),
    normal = i32x4.shr_u(i32x4.add(i32x4.add(size, tie), i32x4.splat(0xfff - 0x38000000)), 13),
    small = i32x4.trunc_sat_f32x4_s(f32x4.nearest(f32x4.mul(size, f32x4.splat(16777216))));
  let half = v128.bitselect(small, normal, i32x4.lt_s(size, i32x4.splat(0x38800000)));
  half = v128.bitselect(i32x4.splat(0x7c00), half, i32x4.ge_s(size, i32x4.splat(0x477ff000)));
  half = v128.bitselect(i32x4.splat(0x7e00), half, i32x4.gt_s(size, i32x4.splat(0x7f800000)));
  return v128.or(half, sign);
}

function halves(values: u32, stride: u32, counts: u32, empty: f32, count: u32, at: u32, odd: u32): void {
  const counted: u32 = counts === 0 ? 0 : 16;
  for (; count >= 4; count -= 4, values += stride << 2, counts += counted, at += 4) {
    const bits = bitsOf(values, stride, counts, empty);
    if (!v128.any_true(bits)) continue;
    const half = halfOf(bits),
      bytes = i8x16.shuffle(half, half, 0, 4, 8, 12, 1, 5, 9, 13, 0, 0, 0, 0, 0, 0, 0, 0);
    v128.store32_lane(at, bytes, 0);
    v128.store32_lane(at + odd, bytes, 1);
  }
  if (count === 0) return;
  const half = halfOf(bitsOf(values, stride, counts, empty));
  let low = i8x16.shuffle(half, half, 0, 1, 4, 5, 8, 9, 12, 13, 0, 0, 0, 0, 0, 0, 0, 0);
  for (; count > 0; count--, at++, low = i64x2.shr_u(low, 16)) {
    store<u8>(at, <u8>i32x4.extract_lane(low, 0));
    store<u8>(at + odd, <u8>(i32x4.extract_lane(low, 0) >> 8));
  }
}

function floats(values: u32, stride: u32, counts: u32, empty: f32, count: u32, at: u32, odd: u32): void {
  const counted: u32 = counts === 0 ? 0 : 16;
  for (; count >= 4; count -= 4, values += stride << 2, counts += counted, at += 8) {
    const bits = bitsOf(values, stride, counts, empty);
    if (!v128.any_true(bits)) continue;
    const bytes = i8x16.shuffle(bits, bits, 0, 2, 4, 6, 8, 10, 12, 14, 1, 3, 5, 7, 9, 11, 13, 15);
    v128.store64_lane(at, bytes, 0);
    v128.store64_lane(at + odd, bytes, 1);
  }
  for (; count > 0; count--, values += stride, counts += counted >> 2, at += 2) {
    const n: f32 = counts === 0 ? 1 : load<f32>(counts),
      value = counts === 0 ? load<f32>(values) : n > 0 ? load<f32>(values) / n : empty,
      bits = reinterpret<u32>(value);
    store<u8>(at, <u8>bits);
    store<u8>(at + odd, <u8>(bits >> 8));
    store<u8>(at + 1, <u8>(bits >> 16));
    store<u8>(at + odd + 1, <u8>(bits >> 24));
  }
}

/** Every byte less the one before it, and 128, in place; `before` is the one before the first. Returns the last as it was. */
function differ(at: u32, count: u32, before: u32): u32 {
  let last = i8x16.splat(<i8>before);
  const end = at + count,
    half = i8x16.splat(-128);
  for (; at + 16 <= end; at += 16) {
    const own = v128.load(at),
      shifted = i8x16.shuffle(last, own, 15, 16, 17, 18, 19, 20, 21, 22, 23, 24, 25, 26, 27, 28, 29, 30);
    v128.store(at, i8x16.add(i8x16.sub(own, shifted), half));
    last = own;
  }
  let carry: u32 = i8x16.extract_lane_u(last, 15);
  for (; at < end; at++) {
    const own: u32 = load<u8>(at);
    store<u8>(at, <u8>(own - carry + 128));
    carry = own;
  }
  return carry;
}

/**
 * Undoes what `blockRows` does, for rows `from` to `to` of those in `bytes`, which are spent. `plan` says of each of the
 * `channels` where its first value goes (u32 address, 0 for nowhere), how many bytes lie from one to the next (u32), what it
 * is stored as (u32), and its first pair in a row (u32).
 */
export function unblockRows(
  bytes: u32,
  plan: u32,
  channels: u32,
  width: u32,
  rows: u32,
  pairs: u32,
  from: u32,
  to: u32,
): void {
  const odd = pairs * rows,
    end = plan + channels * UNBLOCK_PLAN_BYTES;
  join(bytes, odd << 1);
  for (let y = from; y < to; y++)
    for (let x: u32 = 0; x < width; x += CHUNK) {
      const count = min(CHUNK, width - x);
      for (let c = plan; c < end; c += UNBLOCK_PLAN_BYTES) {
        const first = load<u32>(c),
          stride = load<u32>(c, 4),
          kind = load<u32>(c, 8),
          at = bytes + y * pairs + load<u32>(c, 12),
          out = first + ((y - from) * width + x) * stride;
        if (first === 0) continue;
        if (kind === BLOCK_HALF) ofHalves(at + x, odd, count, out, stride);
        else ofWords(at + (x << 1), odd, count, kind === BLOCK_FLOAT, out, stride);
      }
    }
}

/** Every byte more by the one before it, and 128 less, in place; 128 is before the first. */
function join(at: u32, count: u32): void {
  const end = at + count,
    half = i8x16.splat(-128),
    none = i8x16.splat(0);
  let carry = half;
  for (; at + 16 <= end; at += 16) {
    let v = i8x16.add(v128.load(at), half);
    v = i8x16.add(v, i8x16.shuffle(none, v, 0, 16, 17, 18, 19, 20, 21, 22, 23, 24, 25, 26, 27, 28, 29, 30));
    v = i8x16.add(v, i8x16.shuffle(none, v, 0, 0, 16, 17, 18, 19, 20, 21, 22, 23, 24, 25, 26, 27, 28, 29));
    v = i8x16.add(v, i8x16.shuffle(none, v, 0, 0, 0, 0, 16, 17, 18, 19, 20, 21, 22, 23, 24, 25, 26, 27));
    v = i8x16.add(v, i8x16.shuffle(none, v, 0, 0, 0, 0, 0, 0, 0, 0, 16, 17, 18, 19, 20, 21, 22, 23));
    v = i8x16.add(v, carry);
    v128.store(at, v);
    carry = i8x16.shuffle(v, v, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15);
  }
  let last: u32 = i8x16.extract_lane_u(carry, 15);
  for (; at < end; at++) {
    last = last + load<u8>(at) - 128;
    store<u8>(at, <u8>last);
  }
}

// @ts-ignore: decorator
@inline
function put(values: v128, out: u32, stride: u32): void {
  if (stride === 4) {
    v128.store(out, values);
    return;
  }
  v128.store32_lane(out, values, 0);
  v128.store32_lane(out + stride, values, 1);
  v128.store32_lane(out + (stride << 1), values, 2);
  v128.store32_lane(out + stride * 3, values, 3);
}

/** Floats, or whole numbers as floats, from their even bytes and the odd ones so far behind them. */
function ofWords(at: u32, odd: u32, count: u32, float: bool, out: u32, stride: u32): void {
  for (; count >= 4; count -= 4, at += 8, out += stride << 2) {
    const a = v128.load64_zero(at),
      b = v128.load64_zero(at + odd),
      words = i8x16.shuffle(a, b, 0, 16, 1, 17, 2, 18, 3, 19, 4, 20, 5, 21, 6, 22, 7, 23);
    put(float ? words : f32x4.convert_i32x4_u(words), out, stride);
  }
  for (; count > 0; count--, at += 2, out += stride) {
    const low: u32 = load<u8>(at) | (load<u8>(at + odd) << 8),
      word = low | (load<u8>(at + 1) << 16) | (load<u8>(at + odd + 1) << 24);
    if (float) store<u32>(out, word);
    else store<f32>(out, <f32>word);
  }
}

/** Floats that four halves are, given in the lower bits of words. */
// @ts-ignore: decorator
@inline
function floatOf(halves: v128): v128 {
  const size = v128.and(halves, i32x4.splat(0x7fff)),
    bits = i32x4.shl(size, 13),
    // What has the exponent of a half becomes that of a float by a power of two, which is exact for the small ones as well.
    finite = f32x4.mul(bits, f32x4.splat(5.192296858534828e33)),
    rest = v128.or(bits, i32x4.splat(0x7f800000));
  return v128.or(
    v128.bitselect(finite, rest, i32x4.lt_s(size, i32x4.splat(0x7c00))),
    i32x4.shl(v128.and(halves, i32x4.splat(0x8000)), 16),
  );
}

function ofHalves(at: u32, odd: u32, count: u32, out: u32, stride: u32): void {
  for (; count >= 4; count -= 4, at += 4, out += stride << 2) {
    const a = v128.load32_zero(at),
      b = v128.load32_zero(at + odd),
      words = i8x16.shuffle(a, b, 0, 16, 4, 4, 1, 17, 4, 4, 2, 18, 4, 4, 3, 19, 4, 4);
    put(floatOf(words), out, stride);
  }
  for (; count > 0; count--, at++, out += stride) {
    const half: u32 = load<u8>(at) | (load<u8>(at + odd) << 8);
    store<f32>(out, f32x4.extract_lane(floatOf(i32x4.splat(half)), 0));
  }
}

/** True where each of `count` words is the one that stands `stride` words before it. */
export function repeats(at: u32, count: u32, stride: u32): bool {
  const back = stride << 2,
    end = at + (count << 2);
  // A wide step at a time, since nearly all that is asked about does repeat.
  for (; at + 64 <= end; at += 64) {
    const a = v128.xor(v128.load(at), v128.load(at - back)),
      b = v128.xor(v128.load(at, 16), v128.load(at - back, 16)),
      c = v128.xor(v128.load(at, 32), v128.load(at - back, 32)),
      d = v128.xor(v128.load(at, 48), v128.load(at - back, 48));
    if (v128.any_true(v128.or(v128.or(a, b), v128.or(c, d)))) return false;
  }
  for (; at < end; at += 4) if (load<u32>(at) !== load<u32>(at - back)) return false;
  return true;
}
