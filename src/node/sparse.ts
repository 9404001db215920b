/**
 * Floats with their zeros left out: for every 32 of them one word says which are there, then those follow. Films are mostly
 * zeros, and this packs and unpacks them at the speed of memory.
 */

/** Bytes of the packed floats. */
export function packSparse(values: Float32Array): Uint8Array {
  const words = new Uint32Array(values.buffer, values.byteOffset, values.length);
  const masks = Math.ceil(words.length / 32);
  const out = new Uint32Array(masks + words.length);
  let at = masks;
  for (let m = 0, i = 0; m < masks; m++) {
    let mask = 0;
    const end = Math.min(words.length, i + 32);
    for (let bit = 0; i < end; i++, bit++) {
      const word = words[i];
      if (word !== 0) {
        mask |= 1 << bit;
        out[at++] = word;
      }
    }
    out[m] = mask;
  }
  return new Uint8Array(out.buffer, 0, at * 4);
}

/** The `count` floats again, in memory of their own or that of `into`; null where the bytes are not so many. */
export function unpackSparse(bytes: Uint8Array, count: number, into: Float32Array | null = null): Float32Array | null {
  if (bytes.byteLength % 4 !== 0) return null;
  const whole = bytes.byteOffset % 4 === 0 ? bytes : bytes.slice();
  const words = new Uint32Array(whole.buffer, whole.byteOffset, whole.byteLength / 4);
  const masks = Math.ceil(count / 32);
  if (words.length < masks) return null;
  const values = into && into.length >= count ? into.subarray(0, count) : new Float32Array(count);
  if (into) values.fill(0);
  const out = new Uint32Array(values.buffer, values.byteOffset, count);
  let at = masks;
  for (let m = 0; m < masks; m++) {
    let mask = words[m] | 0;
    const first = m * 32 + 31;
    while (mask !== 0) {
      const low = mask & -mask;
      const i = first - Math.clz32(low);
      if (at >= words.length || i >= count) return null;
      out[i] = words[at++];
      mask ^= low;
    }
  }
  return at === words.length ? values : null;
}
