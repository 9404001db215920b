import { expect, test } from "@jest/globals";
import { seeded } from "../../testing/random.ts";
import { ShrunkLayer, depthOfCover } from "./screen.ts";

/** The means of whole blocks are closed; between them a pixel counts by the part of it that lies in each. */
test.each([
  [12, 6, 4, 2],
  [7, 5, 7, 5],
  [9, 6, 6, 4],
  [4243, 3, 1280, 1],
])("rows of %i × %i come down to %i × %i by the areas that pixels cover", (width, height, w, h) => {
  const next = seeded(width);
  const channels = [0, 1].map(() => Float32Array.from({ length: width * height }, () => (next() < 0.3 ? 0 : next())));
  const layer = new ShrunkLayer({ width, height }, { width: w, height: h }, 2);
  for (let y = 0; y < height; y++)
    layer.take(
      y,
      channels.map((c) => c.subarray(y * width, (y + 1) * width)),
    );
  const overlap = (i: number, from: number, j: number, to: number) =>
    Math.max(0, Math.min((i + 1) / from, (j + 1) / to) - Math.max(i / from, j / to));
  for (let at = 0; at < w * h; at += Math.ceil((w * h) / 40)) {
    const [u, v] = [at % w, Math.floor(at / w)];
    channels.forEach((values, k) => {
      let sum = 0;
      for (let y = 0; y < height; y++) {
        const down = overlap(y, height, v, h);
        if (down > 0) for (let x = 0; x < width; x++) sum += down * overlap(x, width, u, w) * values[y * width + x];
      }
      expect(layer.pixels[at * 2 + k]).toBeCloseTo(sum * w * h, 5);
    });
  }
});

test("distances are those of what covers, however little of a pixel it is", () => {
  const depth = new Float32Array([0.25 * 8, 0, 5]);
  depthOfCover(depth, new Float32Array([0, 0, 0, 0.25, 0, 0, 0, 0, 0, 0, 0, 1]));
  expect([...depth]).toEqual([8, 0, 5]);
});
