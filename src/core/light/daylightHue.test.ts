import { expect, test } from "@jest/globals";
import type { Vec3 } from "#core/math/vec3";
import { chromaOf, daylightHue } from "./daylightHue.ts";
import { balancedColour, kelvinColour } from "./kelvin.ts";

test("chromaticities of the CIE's daylights are the published ones", () => {
  // CIE 15, colorimetry: u′ and v′ of D65, D55 and D75.
  const published: [number, number, number][] = [
    [6504, 0.1978, 0.4683],
    [5503, 0.2044, 0.4808],
    [7504, 0.1935, 0.4586],
  ];
  for (const [kelvin, u, v] of published) {
    const [a, b] = chromaOf(kelvinColour(kelvin));
    expect(Math.abs(a - u)).toBeLessThan(0.0006);
    expect(Math.abs(b - v)).toBeLessThan(0.0006);
  }
});

test("daylight is taken as it is, on any white of the plate", () => {
  for (const white of [null, 4200, 5500, 8000]) {
    for (const kelvin of [5100, 6000, 7400])
      expect(daylightHue(balancedColour(kelvin, white), "sunny", white)!.tint).toBeNull();
    for (const kelvin of [6100, 7000, 8900])
      expect(daylightHue(balancedColour(kelvin, white), "sky", white)!.tint).toBeNull();
  }
  // Low sun's yellow is no overcast sky's, though sun and sky together may have it.
  const warm = balancedColour(5100, null);
  expect(daylightHue(warm, "sky", null)!.tint).not.toBeNull();
  expect(daylightHue([0, 0, 0], "sky", null)).toBeNull();
});

test("what a surface taken for grey gave to the light is handed back to it", () => {
  const daylight = balancedColour(6500, 5000);
  for (const own of [
    [1.5, 0.9, 0.7],
    [0.8, 1.08, 0.42],
  ] as Vec3[]) {
    const seen = daylight.map((c, k) => 2 * c * own[k]) as Vec3;
    const { tint } = daylightHue(seen, "sky", 5000)!;
    for (const k of [0, 2]) expect(tint![k] / tint![1]).toBeCloseTo(own[k] / own[1], 6);
    expect(0.2126 * tint![0] + 0.7152 * tint![1] + 0.0722 * tint![2]).toBeCloseTo(1, 9);
  }
});
