// Films with their zeros left out; core/trace/sparse says how they are laid down.

// For each of the 16 ways in which some of four words can be there, 16 bytes that bring those to the front, and 16 that bring
// them back from there with zeros between; 255 gives a zero.
// prettier-ignore
const TO_FRONT = memory.data<u8>([
  255, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255,
  0, 1, 2, 3, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255,
  4, 5, 6, 7, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255,
  0, 1, 2, 3, 4, 5, 6, 7, 255, 255, 255, 255, 255, 255, 255, 255,
  8, 9, 10, 11, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255,
  0, 1, 2, 3, 8, 9, 10, 11, 255, 255, 255, 255, 255, 255, 255, 255,
  4, 5, 6, 7, 8, 9, 10, 11, 255, 255, 255, 255, 255, 255, 255, 255,
  0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 255, 255, 255, 255,
  12, 13, 14, 15, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255,
  0, 1, 2, 3, 12, 13, 14, 15, 255, 255, 255, 255, 255, 255, 255, 255,
  4, 5, 6, 7, 12, 13, 14, 15, 255, 255, 255, 255, 255, 255, 255, 255,
  0, 1, 2, 3, 4, 5, 6, 7, 12, 13, 14, 15, 255, 255, 255, 255,
  8, 9, 10, 11, 12, 13, 14, 15, 255, 255, 255, 255, 255, 255, 255, 255,
  0, 1, 2, 3, 8, 9, 10, 11, 12, 13, 14, 15, 255, 255, 255, 255,
  4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15, 255, 255, 255, 255,
  0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15,
]);
// prettier-ignore
const BACK = memory.data<u8>([
  255, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255,
  0, 1, 2, 3, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255,
  255, 255, 255, 255, 0, 1, 2, 3, 255, 255, 255, 255, 255, 255, 255, 255,
  0, 1, 2, 3, 4, 5, 6, 7, 255, 255, 255, 255, 255, 255, 255, 255,
  255, 255, 255, 255, 255, 255, 255, 255, 0, 1, 2, 3, 255, 255, 255, 255,
  0, 1, 2, 3, 255, 255, 255, 255, 4, 5, 6, 7, 255, 255, 255, 255,
  255, 255, 255, 255, 0, 1, 2, 3, 4, 5, 6, 7, 255, 255, 255, 255,
  0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 255, 255, 255, 255,
  255, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255, 0, 1, 2, 3,
  0, 1, 2, 3, 255, 255, 255, 255, 255, 255, 255, 255, 4, 5, 6, 7,
  255, 255, 255, 255, 0, 1, 2, 3, 255, 255, 255, 255, 4, 5, 6, 7,
  0, 1, 2, 3, 4, 5, 6, 7, 255, 255, 255, 255, 8, 9, 10, 11,
  255, 255, 255, 255, 255, 255, 255, 255, 0, 1, 2, 3, 4, 5, 6, 7,
  0, 1, 2, 3, 255, 255, 255, 255, 4, 5, 6, 7, 8, 9, 10, 11,
  255, 255, 255, 255, 0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11,
  0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15,
]);

// Bytes from a twin to the float that it is kept against.
const TWIN: usize = 12;

/**
 * Packs pixels of `stride` floats, those that `twins` marks as their difference from the third after them: for each pixel
 * ceil(stride / 32) words at `masks` whose bits say which floats are there, and at `words` those floats. Returns how many
 * they are. Words behind them are overwritten, within the room that they could all take.
 */
export function packPixels(values: u32, pixels: u32, stride: u32, twins: u32, masks: u32, words: u32): u32 {
  const begin = words,
    zero = i32x4.splat(0);
  let at = values,
    mark = masks;
  for (let i: u32 = 0; i < pixels; i++) {
    const end = at + (stride << 2);
    let twin = twins;
    while (at < end) {
      const stop = min(end, at + 128);
      let mask: u32 = 0,
        bit: u32 = 0;
      for (; at + 16 <= stop; at += 16, twin += 16, bit += 4) {
        const quad = v128.xor(v128.load(at), v128.and(v128.load(at, TWIN), v128.load(twin))),
          there = <u32>i32x4.bitmask(i32x4.ne(quad, zero));
        if (there === 0) continue;
        mask |= there << bit;
        v128.store(words, i8x16.swizzle(quad, v128.load(TO_FRONT + (there << 4))));
        words += popcnt(there) << 2;
      }
      for (; at < stop; at += 4, twin += 4, bit++) {
        const word = load<u32>(at) ^ (load<u32>(at, TWIN) & load<u32>(twin));
        if (word === 0) continue;
        mask |= (<u32>1) << bit;
        store<u32>(words, word);
        words += 4;
      }
      store<u32>(mark, mask);
      mark += 4;
    }
  }
  return (words - begin) >> 2;
}

/**
 * Packed pixels as they were, to `values`; the words of `there` become marks of floats that are kept for some pixel. Returns
 * how many words were taken; stops where there are not so many as `count`, and returns more than that. Up to three words
 * behind them are read.
 */
export function unpackPixels(
  masks: u32,
  words: u32,
  count: u32,
  pixels: u32,
  stride: u32,
  twins: u32,
  values: u32,
  there: u32,
): u32 {
  // Bytes of a pixel between which its twins stand.
  let firstTwin: u32 = 0,
    lastTwin: u32 = 0;
  for (let k: u32 = 0; k < stride; k++) {
    if (load<u32>(twins + (k << 2)) === 0) continue;
    if (lastTwin === 0) firstTwin = k << 2;
    lastTwin = (k + 1) << 2;
  }
  const each = (stride + 31) >> 5,
    last = stride & 31 ? ((<u32>1) << (stride & 31)) - 1 : 0xffffffff,
    end = words + (count << 2);
  let mark = masks,
    from = words,
    at = values;
  for (let k: u32 = 0; k < each; k++) store<u32>(there + (k << 2), 0);
  for (let i: u32 = 0; i < pixels; i++) {
    const next = at + (stride << 2);
    for (let k: u32 = 0; k < each; k++, mark += 4) {
      let mask = load<u32>(mark);
      if (k + 1 === each) mask &= last;
      if (from + (popcnt(mask) << 2) > end) return count + 1;
      store<u32>(there + (k << 2), load<u32>(there + (k << 2)) | mask);
      const stop = min(next, at + 128);
      for (; at + 16 <= stop; at += 16, mask >>= 4) {
        const own = mask & 15;
        v128.store(at, i8x16.swizzle(v128.load(from), v128.load(BACK + (own << 4))));
        from += popcnt(own) << 2;
      }
      for (; at < stop; at += 4, mask >>= 1) {
        store<u32>(at, mask & 1 ? load<u32>(from) : 0);
        from += (mask & 1) << 2;
      }
    }
    const pixel = next - (stride << 2);
    for (let k = firstTwin; k < lastTwin; k += 16) {
      const other = v128.and(v128.load(pixel + k, TWIN), v128.load(twins + k));
      v128.store(pixel + k, v128.xor(v128.load(pixel + k), other));
    }
  }
  return (from - words) >> 2;
}
