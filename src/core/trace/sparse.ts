import type { Kernel } from "./kernel.ts";

/**
 * Films with their zeros left out: for every pixel some words whose bits say which of its floats are there, and apart from
 * them those floats. Films are mostly zeros, and are packed and unpacked so at the speed of memory.
 */

/** Pixels of a film that stand in the kernel's memory, to be packed. */
export interface PackJob {
  /** Address of the film's first float. */
  film: number;
  stride: number;
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

const marksOf = ({ first, last, stride }: PackJob): number => maskWords(stride) * (last - first);

/** Packs pixels in the kernel's memory. Returns how many words there are besides the marks. */
export function packPixels(kernel: Kernel, job: PackJob): number {
  const { film, stride, first, last, room } = job;
  return kernel.packPixels(film + first * stride * 4, last - first, stride, room, room + marksOf(job) * 4);
}

/** What `packPixels` has packed to `count` words in that memory. */
export function packedPixels(buffer: ArrayBufferLike, job: PackJob, count: number): PackedPixels {
  const marks = marksOf(job);
  return {
    masks: new Uint32Array(buffer, job.room, marks),
    words: new Uint32Array(buffer, job.room + marks * 4, count),
  };
}

/** A film as it was, and which of a pixel's floats are not 0 somewhere. */
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
  stride: number,
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
      k = 0;
      base += stride;
    }
  }
  if (at !== packed.length) return null;
  return { pixels, there: Uint8Array.from({ length: stride }, (_, i) => (any[i >> 5] >>> (i & 31)) & 1) };
}
