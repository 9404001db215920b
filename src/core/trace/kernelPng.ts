import type { Kernel } from "./kernel.ts";
import type { SceneMemory } from "./memory.ts";

/** Rows as a PNG's filters leave them, and their Adler-32 (RFC 1950); they stand until memory is reserved again. */
export interface FilteredRows {
  bytes: Uint8Array;
  adler: number;
}

/** Rows of a PNG of so many bytes each and from pixel to pixel: each with the number of its filter before it. */
export type PngFilter = (raw: Uint8Array, row: number, step: number) => FilteredRows;

/** A PNG's filters at native speed, in memory behind what is reserved. */
export function kernelPng(kernel: Kernel, memory: SceneMemory): PngFilter {
  return (raw, row, step) => {
    const mark = memory.mark();
    try {
      const rows = raw.length / row;
      const length = raw.length + rows;
      const from = memory.reserve(raw.length);
      memory.u8(from, raw.length).set(raw);
      const to = memory.reserve(length);
      kernel.filterRows(from, row, rows, step, to);
      return { bytes: memory.u8(to, length), adler: kernel.adler32(to, length) >>> 0 };
    } finally {
      memory.release(mark);
    }
  };
}
