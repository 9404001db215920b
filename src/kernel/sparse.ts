// Films with their zeros left out; core/trace/sparse says how they are laid down.

/**
 * Packs pixels of `stride` floats: for each of them ceil(stride / 32) words at `masks` whose bits say which floats are
 * there, and at `words` those floats. Returns how many they are.
 */
export function packPixels(values: u32, pixels: u32, stride: u32, masks: u32, words: u32): u32 {
  const begin = words,
    zero = i32x4.splat(0);
  let at = values,
    mark = masks;
  for (let i: u32 = 0; i < pixels; i++) {
    const end = at + (stride << 2);
    while (at < end) {
      const stop = min(end, at + 128);
      let mask: u32 = 0,
        bit: u32 = 0;
      for (; at + 16 <= stop; at += 16, bit += 4) {
        const quad = v128.load(at),
          there = <u32>i32x4.bitmask(i32x4.ne(quad, zero));
        if (there === 0) continue;
        mask |= there << bit;
        if (there & 1) {
          v128.store_lane<u32>(words, quad, 0);
          words += 4;
        }
        if (there & 2) {
          v128.store_lane<u32>(words, quad, 1);
          words += 4;
        }
        if (there & 4) {
          v128.store_lane<u32>(words, quad, 2);
          words += 4;
        }
        if (there & 8) {
          v128.store_lane<u32>(words, quad, 3);
          words += 4;
        }
      }
      for (; at < stop; at += 4, bit++) {
        const word = load<u32>(at);
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
