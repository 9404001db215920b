import { describe, expect, test } from "@jest/globals";
import { ciede2000, linearToLab } from "./difference.ts";
import type { Lab } from "./difference.ts";
import { linearToCode, linearToSrgb, srgbTable, srgbToLinear } from "./srgb.ts";

describe("sRGB, IEC 61966-2-1", () => {
  test("published points of the curve", () => {
    // The standard's threshold 0.04045 and its linear slope of 12.92; mid codes from tables of the curve.
    expect(srgbToLinear(0.04045)).toBeCloseTo(0.04045 / 12.92, 6);
    expect(srgbToLinear(0.5)).toBeCloseTo(0.21404114, 6);
    expect(linearToSrgb(0.18)).toBeCloseTo(0.46135613, 5);
    expect(srgbToLinear(1)).toBe(1);
  });

  test("every 8-bit code and a spread of 16-bit ones come back", () => {
    const table = srgbTable(8);
    for (let i = 0; i < 256; i++) expect(linearToCode(table[i], 8)).toBe(i);
    for (let i = 0; i < 65536; i += 7) expect(linearToCode(srgbToLinear(i / 65535), 16)).toBe(i);
  });
});

describe("CIEDE2000", () => {
  // Sharma, Wu and Dalal 2005, table 1.
  const PAIRS: [Lab, Lab, number][] = [
    [[50, 2.6772, -79.7751], [50, 0, -82.7485], 2.0425],
    [[50, 3.1571, -77.2803], [50, 0, -82.7485], 2.8615],
    [[50, 2.8361, -74.02], [50, 0, -82.7485], 3.4412],
    [[50, -1.3802, -84.2814], [50, 0, -82.7485], 1.0],
    [[50, -1.1848, -84.8006], [50, 0, -82.7485], 1.0],
    [[50, -0.9009, -85.5211], [50, 0, -82.7485], 1.0],
    [[50, 0, 0], [50, -1, 2], 2.3669],
    [[50, -1, 2], [50, 0, 0], 2.3669],
    [[50, 2.49, -0.001], [50, -2.49, 0.0009], 7.1792],
    [[50, 2.49, -0.001], [50, -2.49, 0.001], 7.1792],
    [[50, 2.49, -0.001], [50, -2.49, 0.0011], 7.2195],
    [[50, -0.001, 2.49], [50, 0.0009, -2.49], 4.8045],
    [[50, 2.5, 0], [50, 0, -2.5], 4.3065],
    [[50, 2.5, 0], [73, 25, -18], 27.1492],
    [[50, 2.5, 0], [61, -5, 29], 22.8977],
    [[50, 2.5, 0], [56, -27, -3], 31.903],
    [[50, 2.5, 0], [58, 24, 15], 19.4535],
    [[60.2574, -34.0099, 36.2677], [60.4626, -34.1751, 39.4387], 1.2644],
    [[63.0109, -31.0961, -5.8663], [62.8187, -29.7946, -4.0864], 1.263],
    [[22.7233, 20.0904, -46.694], [23.0331, 14.973, -42.5619], 2.0373],
    [[90.8027, -2.0831, 1.441], [91.1528, -1.6435, 0.0447], 1.4441],
    [[2.0776, 0.0795, -1.135], [0.9033, -0.0636, -0.5514], 0.9082],
  ];
  test.each(PAIRS)("pair %#", (a, b, difference) => {
    expect(ciede2000(a, b)).toBeCloseTo(difference, 4);
    expect(ciede2000(b, a)).toBeCloseTo(difference, 4);
  });

  test("white is L* 100 and neutral, middle grey 18 % is L* 49.5", () => {
    const white = linearToLab(1, 1, 1);
    expect(white[0]).toBeCloseTo(100, 3);
    expect(Math.hypot(white[1], white[2])).toBeLessThan(0.02);
    expect(linearToLab(0.18, 0.18, 0.18)[0]).toBeCloseTo(49.5, 1);
  });
});
