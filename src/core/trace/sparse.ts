import type { Kernel } from "./kernel.ts";

/**
 * Films with their zeros left out: for every pixel some words whose bits say which of its floats are there, and apart from
 * them those floats. Films are mostly zeros, and are packed and unpacked so at the speed of memory. Floats that are mostly
 * those `TWIN` after them are kept as the bits in which they differ.
 */

/** What of a film's pixels is packed how. */
export interface Packing {
  /** Floats of a pixel. */
  stride: number;
  /** Those that are kept as their difference in bits from the float `TWIN` after them, which is none of them. */
  twins: readonly number[];
}

export const TWIN = 3;

/** Pixels of a film that stand in the kernel's memory, to be packed. */
export interface PackJob {
  /** Address of the film's first float. */
  film: number;
  stride: number;
  /** Address of `twinMarks`. */
  twins: number;
  /** Numbers of pixels, the last not included. */
  first: number;
  last: number;
  /** Where to pack to: room for `packRoom` bytes. */
  room: number;
}

/** Where packed pixels stand, until others are packed to the same room. */
export interface PackedPixels {
  masks: Uint32Array;
  words: Uint32Array;
}

/** Words of marks that a pixel has. */
export const maskWords = (stride: number): number => Math.ceil(stride / 32);

/** Bytes that packing so many pixels can take. */
export const packRoom = (pixels: number, stride: number): number => pixels * (maskWords(stride) + stride) * 4;

/** A word for every float of a pixel: all ones for a twin, else 0. As many more of 0 as are read behind them. */
export function twinMarks({ stride, twins }: Packing): Uint32Array {
  const marks = new Uint32Array(stride + 3);
  for (const i of twins) marks[i] = 0xffffffff;
  return marks;
}

const marksOf = ({ first, last, stride }: PackJob): number => maskWords(stride) * (last - first);

/** Packs pixels in the kernel's memory. Returns how many words there are besides the marks. */
export function packPixels(kernel: Kernel, job: PackJob): number {
  const { film, stride, twins, first, last, room } = job;
  return kernel.packPixels(film + first * stride * 4, last - first, stride, twins, room, room + marksOf(job) * 4);
}

/** What `packPixels` has packed to `count` words in that memory. */
export function packedPixels(buffer: ArrayBufferLike, job: PackJob, count: number): PackedPixels {
  const marks = marksOf(job);
  return {
    masks: new Uint32Array(buffer, job.room, marks),
    words: new Uint32Array(buffer, job.room + marks * 4, count),
  };
}

/** A film as it was, and which of a pixel's floats can be other than 0: all that are somewhere. */
export interface UnpackedFilm {
  pixels: Float32Array;
  there: Uint8Array;
}

/**
 * The floats of so many pixels again, in memory of their own or that of `into`; null where the words are not so many.
 */
export function unpackPixels(
  packed: Uint32Array,
  count: number,
  { stride, twins }: Packing,
  into: Float32Array | null = null,
): UnpackedFilm | null {
  const each = maskWords(stride);
  const marks = count * each;
  if (packed.length < marks) return null;
  const length = count * stride;
  const pixels = into && into.length >= length ? into.subarray(0, length) : new Float32Array(length);
  if (pixels.buffer === into?.buffer) pixels.fill(0);
  const out = new Uint32Array(pixels.buffer, pixels.byteOffset, length);
  const any = new Uint32Array(each);
  let at = marks;
  for (let m = 0, k = 0, base = 0; m < marks; m++) {
    let mask = packed[m] | 0;
    any[k] |= mask;
    const first = base + k * 32 + 31;
    while (mask !== 0) {
      const low = mask & -mask;
      out[first - Math.clz32(low)] = packed[at++];
      mask ^= low;
    }
    if (++k === each) {
      for (const i of twins) out[base + i] ^= out[base + i + TWIN];
      k = 0;
      base += stride;
    }
  }
  if (at !== packed.length) return null;
  return { pixels, there: thereOf(any, { stride, twins }) };
}

/** Which floats of a pixel can be other than 0 by the marks of all pixels together: a twin where it or the other is marked. */
export function thereOf(marks: Uint32Array, { stride, twins }: Packing): Uint8Array {
  const there = Uint8Array.from({ length: stride }, (_, i) => (marks[i >> 5] >>> (i & 31)) & 1);
  for (const i of twins) there[i] |= there[i + TWIN];
  return there;
}
