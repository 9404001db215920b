import { expect, test } from "@jest/globals";
import { grainVariance } from "#core/comp/grain";
import { measureGrain } from "#core/comp/measureGrain";
import { readExr } from "#core/image/exrRead";
import type { DemoPlace } from "./documents.ts";
import { documentOf } from "./documents.ts";
import { demoFile } from "./shot.ts";

const SIDE = 16;

/** Standard deviations of green in patches about as bright as `light`, without the picture that the camera was shown. */
function trueGrain(plate: { width: number; height: number; linear: Float32Array }, shown: Float32Array, light: number) {
  const { width, height, linear } = plate;
  const found: number[] = [];
  for (let y0 = 0; y0 + SIDE <= height; y0 += SIDE)
    for (let x0 = 0; x0 + SIDE <= width; x0 += SIDE) {
      let [sum, squares, level] = [0, 0, 0];
      for (let y = y0; y < y0 + SIDE; y++)
        for (let x = x0; x < x0 + SIDE; x++) {
          const at = (y * width + x) * 3 + 1;
          const noise = linear[at] - shown[at];
          [sum, squares, level] = [sum + noise, squares + noise * noise, level + linear[at]];
        }
      const n = SIDE * SIDE;
      if (Math.abs(level / n - light) < 0.05) found.push(Math.sqrt(squares / n - (sum / n) ** 2));
    }
  return found.sort((a, b) => a - b);
}

// What JPEG takes from textures is in the difference too: the quieter half of the patches is grain.
test.each<[DemoPlace, number[]]>([
  ["quay", [0.4, 0.7]],
  ["netloft", [0.1, 0.3]],
  ["slipway", [0.1, 0.5]],
])("the grain told of the %s is that of the plate less the picture without noise", async (place, lights) => {
  const { plate } = await documentOf(place);
  const shown = readExr(await demoFile("clean.exr", place), 3).pixels;
  const { model } = measureGrain(plate)!;
  expect(model.blocks).toMatchObject({ on: true, side: 8, x: 0, y: 0 });
  for (const light of lights) {
    const grain = trueGrain(plate, shown, light);
    const told = Math.sqrt(grainVariance(model, 1, light));
    expect(told).toBeGreaterThan(0.85 * grain[Math.floor(grain.length / 4)]);
    expect(told).toBeLessThan(1.15 * grain[Math.floor(grain.length / 2)]);
  }
});
