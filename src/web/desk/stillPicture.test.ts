import { expect, test } from "@jest/globals";
import { STILL_DETAIL, STILL_FRAMES, stillOffset } from "./stillPicture.ts";

test("frames of a still look all over the pixel, and textures may be finer by just what they share", () => {
  const offsets = Array.from({ length: STILL_FRAMES }, (_, i) => stillOffset(i));
  for (const k of [0, 1]) {
    const along = offsets.map((at) => at[k]).sort((a, b) => a - b);
    expect(along[0]).toBeGreaterThanOrEqual(-0.5);
    expect(along[STILL_FRAMES - 1]).toBeLessThanOrEqual(0.5);
    // No gap is wider than two of as many even steps.
    const gaps = along.map((x, i) => (i + 1 < along.length ? along[i + 1] - x : along[0] + 1 - x));
    expect(Math.max(...gaps)).toBeLessThanOrEqual(2 / STILL_FRAMES);
  }
  // A texel of a level covers four of the one below.
  expect(STILL_FRAMES * 4 ** STILL_DETAIL).toBeCloseTo(1, 9);
});
