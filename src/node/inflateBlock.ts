import { inflateSync } from "node:zlib";

/** Unpacks what is known to have so many bytes, into one piece of memory. Throws where they are more. */
export const inflateBlock = (packed: Uint8Array, size: number): Uint8Array =>
  // With room for one byte more zlib ends in the first piece, and nothing is put together.
  inflateSync(packed, { maxOutputLength: size, chunkSize: Math.max(64, size + 1) });
