import { describe, expect, test } from "@jest/globals";
import { linearToCode } from "#core/colour/srgb";
import type { Photographs } from "./believable.ts";
import { believableFigures } from "./believable.ts";

const [width, height] = [80, 60];
/** A grey plate with a square of another grey in it. */
function grey(level: number, square: number): Float32Array {
  const out = new Float32Array(width * height * 3).fill(level);
  for (let y = 20; y < 40; y++)
    for (let x = 30; x < 50; x++) out.fill(square, (y * width + x) * 3, (y * width + x) * 3 + 3);
  return out;
}
const codes = (linear: Float32Array) => Uint8Array.from(linear, (v) => linearToCode(v, 8));
const alpha = new Float32Array(width * height);
for (let y = 20; y < 30; y++) for (let x = 30; x < 50; x++) alpha[y * width + x] = 1;

function figures(picture: Float32Array, change: Partial<Photographs> = {}) {
  const [clean, cleanWith] = [grey(0.3, 0.3), grey(0.3, 0.1)];
  return believableFigures({
    width,
    height,
    clean,
    cleanWith,
    photograph: codes(cleanWith),
    picture: codes(picture),
    alpha,
    contacts: [[40, 30]],
    ...change,
  });
}

describe("the figure of a delivered picture", () => {
  test("is 0 for the photograph itself, over the square and what its 5 × 5 means reach", () => {
    const same = figures(grey(0.3, 0.1));
    expect(same).toMatchObject({
      mean: 0,
      tone: { mean: 0, percentile95: 0 },
      lightness: 0,
      prop: 0,
      shadow: 0,
      contact: 0,
    });
    // The square is 20 × 20; a mean two pixels beside it holds a fifth of it, at a corner a twenty-fifth.
    expect(same.pixels).toBeGreaterThan(20 * 20);
    expect(same.pixels).toBeLessThanOrEqual(24 * 24);
  });

  test("tells what is off by its sign and by where it is, and nothing of what the props leave alone", () => {
    // Greys of 0.1 and 0.15: L* = 116 y^(1/3) − 16 is 37.8 and 45.6 (CIE 1976).
    const lighter = figures(grey(0.3, 0.15));
    expect(lighter.lightness).toBeGreaterThan(5);
    expect(lighter.lightness).toBeLessThan(7.9);
    expect(Math.abs(lighter.chroma)).toBeLessThan(0.05);
    expect(figures(grey(0.3, 0.07)).lightness).toBeLessThan(-3);
    // Elsewhere the picture may be what it likes.
    const elsewhere = grey(0.3, 0.1);
    for (let y = 0; y < 10; y++) elsewhere.fill(0.9, y * width * 3, (y + 1) * width * 3);
    expect(figures(elsewhere)).toEqual(figures(grey(0.3, 0.1)));
    // Only where a prop covers the plate.
    const prop = grey(0.3, 0.1);
    for (let y = 21; y < 27; y++)
      for (let x = 31; x < 49; x++) prop.fill(0.15, (y * width + x) * 3, (y * width + x) * 3 + 3);
    const split = figures(prop);
    expect(split.prop).toBeGreaterThan(3);
    expect(split.shadow).toBeLessThan(0.5);
  });

  test("grain alone counts for single pixels and hardly for the tone", () => {
    let seed = 1;
    const noisy = grey(0.3, 0.1).map(
      (v) => v * (1 + 0.12 * (((seed = (seed * 16807) % 2147483647) / 2147483647) * 2 - 1)),
    );
    const { mean, tone } = figures(noisy);
    expect(mean).toBeGreaterThan(3 * tone.mean);
  });
});
