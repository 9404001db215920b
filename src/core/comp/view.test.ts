import { expect, test } from "@jest/globals";
import { linearToCode, srgbToLinear } from "../colour/srgb.ts";
import { EXPOSURE_BANDS, paintView, plainView, scopesOf } from "./view.ts";

const straight = (light: number) => light;
const painted = (linear: number[], plate: number[], change: Partial<ReturnType<typeof plainView>>) => {
  const out = new Uint8ClampedArray((linear.length / 3) * 4);
  paintView(Float32Array.from(linear), Float32Array.from(plate), 2, { ...plainView(), ...change }, straight, out);
  return [...out];
};

test("the picture has the codes of IEC 61966-2-1, whatever the light", () => {
  const linear = Array.from({ length: 600 }, (_, i) => (i / 500) ** 2.2 - 0.01);
  const codes = painted(linear, linear, {}).filter((_, i) => i % 4 < 3);
  linear.forEach((light, i) => expect(Math.abs(codes[i] - linearToCode(light, 8))).toBeLessThanOrEqual(1));
});

test("views: difference enlarged, channels, false colour in stops, clipped and crushed, mattes", () => {
  const grey = srgbToLinear(100 / 255);
  const near = srgbToLinear(103 / 255);
  expect(painted([near, grey, grey], [grey, grey, grey], { view: "difference", gain: 8 }).slice(0, 3)).toEqual([
    24, 0, 0,
  ]);
  expect(painted([near, 0, 1], [0, 0, 0], { view: "blue" }).slice(0, 3)).toEqual([255, 255, 255]);
  expect(painted([0.18, 0.18, 0.18], [0, 0, 0], { view: "exposure" }).slice(0, 3)).toEqual([
    ...EXPOSURE_BANDS.find(({ words }) => words === "mid grey")!.colour,
  ]);
  const clip = painted([1.2, 0.5, 0.5, 0, 0.5, 0.5], [0, 0, 0, 0, 0, 0], { view: "clipping" });
  expect(clip.slice(0, 3)).toEqual([255, 60, 40]);
  expect(clip.slice(4, 7)).toEqual([60, 110, 255]);
  const matte = { pixels: Float32Array.from([1, 0]), how: "alone" as const };
  expect(painted([0.5, 0.5, 0.5, 0.5, 0.5, 0.5], [0, 0, 0, 0, 0, 0], { matte }).slice(0, 5)).toEqual([
    255, 255, 255, 255, 0,
  ]);
});

test("scopes count every pixel once, apart by what is rendered; a grey lies in the middle of the vectorscope", () => {
  const linear = Float32Array.from([0.2, 0.2, 0.2, 0.8, 0.1, 0.1, 1, 1, 1]);
  const scopes = scopesOf(linear, Uint8Array.of(0, 1, 0), 3, 3, straight);
  const sum = (of: Uint32Array) => of.reduce((a, b) => a + b, 0);
  expect([sum(scopes.plate), sum(scopes.cg), sum(scopes.platePairs), sum(scopes.cgPairs)]).toEqual([2, 1, 2, 1]);
  expect(scopes.plate[0 * 256 + linearToCode(0.2, 8)]).toBe(1);
  expect(scopes.platePairs[64 * 128 + 64]).toBe(2);
});
