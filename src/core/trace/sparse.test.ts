import { expect, test } from "@jest/globals";
import { seeded } from "../../testing/random.ts";
import { packedFilm } from "../../testing/render.ts";
import { TWIN, unpackPixels } from "./sparse.ts";

/** Twins as a film has them: three of every six floats from some place on, as far as they have others. */
const twinsOf = (stride: number): number[] =>
  Array.from({ length: stride }, (_, i) => i).filter((i) => i >= 5 && (i - 5) % 6 < 3 && i + TWIN < stride);

/**
 * A film of mostly zeros, whose last float of a pixel is never there; the odd values are those that compare strangely. Twins
 * are now and then what they are kept against.
 */
function film(pixels: number, stride: number): Float32Array {
  const next = seeded(stride);
  const odd = [-0, NaN, Infinity, 1e-45, -1];
  const values = Float32Array.from({ length: pixels * stride }, (_, i) => {
    if (stride > 1 && i % stride === stride - 1) return 0;
    return next() < 0.3 ? (odd[Math.floor(next() * 10)] ?? next()) : 0;
  });
  for (let pixel = 0; pixel < pixels; pixel++)
    for (const k of twinsOf(stride))
      if (next() < 0.7) values.copyWithin(pixel * stride + k, pixel * stride + k + TWIN, pixel * stride + k + TWIN + 1);
  return values;
}

test.each([1, 3, 31, 32, 33, 64, 78])(
  "films of %i floats a pixel come back to the bit, packed in parts",
  async (stride) => {
    const whole = film(41, stride);
    const packing = { stride, twins: twinsOf(stride) };
    const parts = [
      await packedFilm(whole.slice(0, 17 * stride), packing),
      await packedFilm(whole.slice(17 * stride), packing),
    ];
    const words = Uint32Array.from([...parts.flatMap((p) => [...p.masks]), ...parts.flatMap((p) => [...p.words])]);
    const back = unpackPixels(words, 41, packing, new Float32Array(50 * stride).fill(7))!;
    expect(Buffer.from(back.pixels.slice().buffer).equals(Buffer.from(whole.buffer))).toBe(true);
    const there = Array.from({ length: stride }, (_, k) => {
      const bits = new Uint32Array(whole.buffer);
      return Number(Array.from({ length: 41 }, (_, i) => bits[i * stride + k]).some((b) => b !== 0));
    });
    // A twin counts where what it is kept against does.
    for (const k of packing.twins) there[k] |= there[k + TWIN];
    expect([...back.there]).toEqual(there);
    // Torn or of another size.
    expect(unpackPixels(words.subarray(0, -1), 41, packing)).toBeNull();
    expect(unpackPixels(words, 40, packing)).toBeNull();
  },
);

test("what props change nothing of is kept once", async () => {
  const packing = { stride: 8, twins: [1, 2, 3] };
  const pixel = (changed: number) => [0.5, changed, 2, 3, 1, 2, 3, 0];
  const packed = await packedFilm(Float32Array.from([...pixel(1), ...pixel(0.75)]), packing);
  expect(packed.words).toHaveLength(4 + 5);
});
