import { deflateSync } from "node:zlib";
import { beforeAll, describe, expect, test } from "@jest/globals";
import { seeded } from "../../testing/random.ts";
import { ownPng } from "../../testing/render.ts";
import type { PngFilter } from "./kernelPng.ts";

let filter: PngFilter;
beforeAll(async () => {
  filter = await ownPng();
});

const bytes = (length: number, at: (i: number) => number) => Uint8Array.from({ length }, (_, i) => at(i));
const noise = (seed: number, spread: number) => {
  const next = seeded(seed);
  return () => 128 + Math.round(spread * (next() + next() + next() - 1.5));
};

describe("rows of a PNG", () => {
  /** The format's filters undone (ISO/IEC 15948, 9.2). */
  function unfiltered(filtered: Uint8Array, row: number, step: number): Uint8Array {
    const out: number[] = [];
    const at = (x: number, y: number) => (x < 0 || y < 0 ? 0 : out[y * row + x]);
    for (let y = 0; y * (row + 1) < filtered.length; y++)
      for (let x = 0; x < row; x++) {
        const [a, b, c] = [at(x - step, y), at(x, y - 1), at(x - step, y - 1)];
        const p = a + b - c;
        const nearest = [a, b, c].reduce((best, v) => (Math.abs(p - v) < Math.abs(p - best) ? v : best));
        const guess = [0, a, b, (a + b) >> 1, nearest][filtered[y * (row + 1)]];
        out.push((filtered[y * (row + 1) + 1 + x] + guess) & 255);
      }
    return Uint8Array.from(out);
  }

  test.each([3, 4, 6, 8])("of %i bytes a pixel come back, empty ones among them", (step) => {
    const [row, rows] = [step * 37, 9];
    const next = noise(step, 90);
    const raw = bytes(row * rows, (i) => (Math.floor(i / row) % 4 === 2 ? 0 : next()));
    const { bytes: filtered } = filter(raw, row, step);
    expect([...unfiltered(filtered, row, step)]).toEqual([...raw]);
  });

  test.each([0, 1, 15, 16, 17, 4096, 4097, 70_001])(
    "have the checksum that zlib has for them, of %i bytes",
    (length) => {
      // Bright ones, whose sums grow most.
      const { bytes: filtered, adler } = filter(
        bytes(length, (i) => (i % 7 ? 255 : i & 255)),
        Math.max(1, length),
        1,
      );
      expect(adler).toBe(deflateSync(filtered).readUInt32BE(deflateSync(filtered).length - 4));
    },
  );
});
