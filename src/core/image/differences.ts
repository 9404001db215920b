/**
 * Neighbouring pixels are much alike: the differences between them pack to about half of what the codes themselves do
 * (the "Sub" filter of PNG, ISO/IEC 15948, 9.2, over whole samples). Interleaved RGB rows of `width` pixels, in place.
 */
export function toDifferences(codes: Uint8Array | Uint16Array, width: number): void {
  const row = width * 3;
  for (let start = 0; start < codes.length; start += row) {
    for (let i = start + row - 1; i >= start + 3; i--) codes[i] -= codes[i - 3];
  }
}

/** Undoes `toDifferences`, in place. */
export function fromDifferences(codes: Uint8Array | Uint16Array, width: number): void {
  const row = width * 3;
  for (let start = 0; start < codes.length; start += row) {
    for (let i = start + 3; i < start + row; i++) codes[i] += codes[i - 3];
  }
}

/** Bytes of a plate's codes. */
export const codeBytes = (plate: { width: number; height: number; encoding: { bits: 8 | 16 } }): number =>
  plate.width * plate.height * 3 * (plate.encoding.bits / 8);

/** Bytes as codes of 8 or 16 bits, little-endian as stored; copied only where they do not stand on a whole code. */
export function codesOf(bytes: Uint8Array, bits: 8 | 16): Uint8Array | Uint16Array {
  if (bits === 8) return bytes;
  const whole = bytes.byteOffset % 2 === 0 ? bytes : bytes.slice();
  return new Uint16Array(whole.buffer as ArrayBuffer, whole.byteOffset, whole.byteLength >> 1);
}
