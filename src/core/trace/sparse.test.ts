import { expect, test } from "@jest/globals";
import { seeded } from "../../testing/random.ts";
import { packedFilm } from "../../testing/render.ts";
import { unpackPixels } from "./sparse.ts";

/** A film of mostly zeros, whose last float of a pixel is never there; the odd values are those that compare strangely. */
function film(pixels: number, stride: number): Float32Array {
  const next = seeded(stride);
  const odd = [-0, NaN, Infinity, 1e-45, -1];
  return Float32Array.from({ length: pixels * stride }, (_, i) => {
    if (stride > 1 && i % stride === stride - 1) return 0;
    return next() < 0.3 ? (odd[Math.floor(next() * 10)] ?? next()) : 0;
  });
}

test.each([1, 3, 31, 32, 33, 64, 78])(
  "films of %i floats a pixel come back to the bit, packed in parts",
  async (stride) => {
    const whole = film(41, stride);
    const parts = [
      await packedFilm(whole.slice(0, 17 * stride), stride),
      await packedFilm(whole.slice(17 * stride), stride),
    ];
    const words = Uint32Array.from([...parts.flatMap((p) => [...p.masks]), ...parts.flatMap((p) => [...p.words])]);
    const back = unpackPixels(words, 41, stride, new Float32Array(50 * stride).fill(7))!;
    expect(Buffer.from(back.pixels.slice().buffer).equals(Buffer.from(whole.buffer))).toBe(true);
    const there = Array.from({ length: stride }, (_, k) => {
      const bits = new Uint32Array(whole.buffer);
      return Number(Array.from({ length: 41 }, (_, i) => bits[i * stride + k]).some((b) => b !== 0));
    });
    expect([...back.there]).toEqual(there);
    // Torn or of another size.
    expect(unpackPixels(words.subarray(0, -1), 41, stride)).toBeNull();
    expect(unpackPixels(words, 40, stride)).toBeNull();
  },
);
