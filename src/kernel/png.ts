// Rows of a PNG (ISO/IEC 15948) before they are deflated, and the checksum of their stream.

const BASE: u64 = 65521;

/** Adler-32 (RFC 1950) of some bytes. */
export function adler32(at: u32, length: u32): u32 {
  const end = at + length;
  let low: u64 = 1,
    high: u64 = 0;
  const front = i16x8(16, 15, 14, 13, 12, 11, 10, 9),
    rear = i16x8(8, 7, 6, 5, 4, 3, 2, 1);
  while (at + 16 <= end) {
    // So many that no lane passes 2^32.
    const stop = at + (min<u32>(4096, end - at) & ~15),
      bytes = <u64>(stop - at);
    let sums = i32x4.splat(0),
      before = i32x4.splat(0),
      weighed = i32x4.splat(0);
    for (; at < stop; at += 16) {
      const own = v128.load(at);
      before = i32x4.add(before, sums);
      sums = i32x4.add(sums, i32x4.extadd_pairwise_i16x8_u(i16x8.extadd_pairwise_i8x16_u(own)));
      weighed = i32x4.add(weighed, i32x4.dot_i16x8_s(i16x8.extend_low_i8x16_u(own), front));
      weighed = i32x4.add(weighed, i32x4.dot_i16x8_s(i16x8.extend_high_i8x16_u(own), rear));
    }
    high = (high + bytes * low + 16 * lanes(before) + lanes(weighed)) % BASE;
    low = (low + lanes(sums)) % BASE;
  }
  for (; at < end; at++) {
    low += <u64>load<u8>(at);
    high += low;
  }
  return ((<u32>(high % BASE)) << 16) | (<u32>(low % BASE));
}

// @ts-ignore: decorator
@inline
function lanes(v: v128): u64 {
  return (
    <u64>(<u32>i32x4.extract_lane(v, 0)) +
    <u64>(<u32>i32x4.extract_lane(v, 1)) +
    <u64>(<u32>i32x4.extract_lane(v, 2)) +
    <u64>(<u32>i32x4.extract_lane(v, 3))
  );
}

/** True where all bytes are 0. */
function isEmpty(at: u32, length: u32): bool {
  const end = at + length;
  for (; at + 16 <= end; at += 16) if (v128.any_true(v128.load(at))) return false;
  for (; at < end; at++) if (load<u8>(at) !== 0) return false;
  return true;
}

/**
 * Rows of a PNG (ISO/IEC 15948, 9), `row` bytes each and `step` from pixel to pixel, with the filter's number before each:
 * none where all is 0, differences to the left in the first row, else Paeth's.
 */
export function filterRows(from: u32, row: u32, rows: u32, step: u32, to: u32): void {
  for (let y: u32 = 0; y < rows; y++, from += row, to += row + 1) {
    if (isEmpty(from, row)) {
      memory.fill(to, 0, row + 1);
      continue;
    }
    const above = y > 0;
    store<u8>(to, above ? 4 : 1);
    let i: u32 = 0;
    for (; i < step; i++) store<u8>(to + 1 + i, load<u8>(from + i) - (above ? load<u8>(from + i - row) : 0));
    if (above) {
      for (; i + 16 <= row; i += 16) v128.store(to + 1 + i, paeths(from + i, row, step));
      for (; i < row; i++) store<u8>(to + 1 + i, paeth(from + i, row, step));
    } else for (; i < row; i++) store<u8>(to + 1 + i, load<u8>(from + i) - load<u8>(from + i - step));
  }
}

function paeth(at: u32, row: u32, step: u32): u8 {
  const left: i32 = load<u8>(at - step),
    up: i32 = load<u8>(at - row),
    corner: i32 = load<u8>(at - row - step);
  const a = abs<i32>(up - corner),
    b = abs<i32>(left - corner),
    c = abs<i32>(left + up - 2 * corner);
  return <u8>(<i32>load<u8>(at) - (a <= b && a <= c ? left : b <= c ? up : corner));
}

function paeths(at: u32, row: u32, step: u32): v128 {
  const left = v128.load(at - step),
    up = v128.load(at - row),
    corner = v128.load(at - row - step);
  const first = predicted(
      i16x8.extend_low_i8x16_u(left),
      i16x8.extend_low_i8x16_u(up),
      i16x8.extend_low_i8x16_u(corner),
    ),
    second = predicted(
      i16x8.extend_high_i8x16_u(left),
      i16x8.extend_high_i8x16_u(up),
      i16x8.extend_high_i8x16_u(corner),
    );
  return i8x16.sub(v128.load(at), i8x16.narrow_i16x8_u(first, second));
}

// @ts-ignore: decorator
@inline
function predicted(left: v128, up: v128, corner: v128): v128 {
  const a = i16x8.abs(i16x8.sub(up, corner)),
    b = i16x8.abs(i16x8.sub(left, corner)),
    c = i16x8.abs(i16x8.sub(i16x8.add(left, up), i16x8.add(corner, corner)));
  const other = v128.bitselect(up, corner, i16x8.le_s(b, c));
  return v128.bitselect(left, other, v128.and(i16x8.le_s(a, b), i16x8.le_s(a, c)));
}
