import { describe, expect, test } from "@jest/globals";
import { gaussian, seeded } from "../../testing/random.ts";
import { linearToSrgb, srgbToLinear } from "../colour/srgb.ts";
import { decodeCodes, pixelEncoder, srgbEncoding } from "../image/profile.ts";
import { toPlate, toScene } from "../image/response.ts";
import type { ResponsePatch } from "./fitResponse.ts";
import { fitResponse } from "./fitResponse.ts";

describe("a plate's curve", () => {
  const response = { shoulder: 0.6, contrast: 1.2 };

  test("is undone by its inverse, rises, and leaves middle grey where it is", () => {
    for (const x of [0, 0.01, 0.18, 0.5, 0.8, 1.2, 1.5])
      expect(toScene(response, toPlate(response, x))).toBeCloseTo(x, 9);
    expect(toPlate(response, 0.18)).toBeCloseTo(0.18, 12);
    let before = -1;
    for (let y = 0; y <= 1; y += 1 / 64) {
      const x = toScene(response, y);
      expect(x).toBeGreaterThan(before);
      expect(Number.isFinite(x)).toBe(true);
      before = x;
    }
  });

  test("every code of a plate comes back to itself through light", () => {
    const encoding = { ...srgbEncoding(8), response };
    const codes = Uint8Array.from({ length: 256 * 3 }, (_, i) => Math.floor(i / 3));
    const linear = decodeCodes(codes, encoding);
    const encode = pixelEncoder(encoding);
    const out = new Uint8Array(3);
    for (let i = 0; i < 256; i++) {
      encode(linear[i * 3], linear[i * 3 + 1], linear[i * 3 + 2], out, 0);
      expect(out[0]).toBe(i);
    }
    // Below the shoulder only the contrast counts.
    expect(linear[100 * 3]).toBeCloseTo(0.18 * (srgbToLinear(100 / 255) / 0.18) ** (1 / 1.2), 6);
  });
});

describe("the curve by the probes", () => {
  // Four things, each in the sun and in the shade, on two planes: sun and sky by plane, reflectances from slate to limewash.
  const THINGS = [
    { surface: "slate", albedo: 0.1, sun: 1, sky: 1 },
    { surface: "stone", albedo: 0.32, sun: 1, sky: 1 },
    { surface: "limewash", albedo: 0.78, sun: 0.6, sky: 0.55 },
    { surface: "paint", albedo: 0.6, sun: 1, sky: 1 },
  ];
  const SUN = 5.6;
  const SKY = 1.2;

  function probes(shoulder: number, seed: number): ResponsePatch[] {
    const random = seeded(seed);
    const gauss = () => gaussian(random);
    return THINGS.flatMap(({ surface, albedo, sun, sky }) => {
      const own = albedo * Math.exp(0.08 * gauss());
      return [1, 0].map((lit) => {
        const light = (own * (lit * sun * SUN + sky * SKY)) / Math.PI;
        const seen = toPlate({ shoulder, contrast: 1 }, light * Math.exp(0.02 * gauss()));
        // As an eight-bit file has it.
        const plate = srgbToLinear(Math.round(255 * linearToSrgb(seen)) / 255);
        // The rig before balancing is off by a third.
        return { plate, albedo, spread: 0.08, surface, units: [lit * sun * SUN * 0.75, sky * SKY * 1.3], bounce: 0 };
      });
    });
  }

  test("is found where light bends, within its ±, in most of a hundred noisy repeats", () => {
    let [within, sure] = [0, 0];
    for (let seed = 1; seed <= 100; seed++) {
      const fit = fitResponse(probes(0.5, seed), 1)!;
      if (fit.sure) sure++;
      if (fit.sigma !== null && Math.abs(fit.shoulder - 0.5) <= 2 * fit.sigma) within++;
    }
    expect(sure).toBeGreaterThanOrEqual(95);
    expect(within).toBeGreaterThanOrEqual(90);
  });

  test("a straight plate is left straight", () => {
    let sure = 0;
    for (let seed = 1; seed <= 100; seed++) if (fitResponse(probes(1, seed), 1)!.sure) sure++;
    expect(sure).toBeLessThanOrEqual(2);
  });

  // Reflectances of the neutral row of the usual chart of 24 patches (from memory).
  const GREYS = [0.9, 0.591, 0.362, 0.198, 0.09, 0.031];
  /** Greys of a chart in one light, as an eight-bit file has them. */
  const chart = (response: { shoulder: number; contrast: number }, seed: number): ResponsePatch[] => {
    const random = seeded(seed);
    return GREYS.map((albedo) => {
      const light = (albedo * Math.exp(0.01 * gaussian(random)) * 3.3) / Math.PI;
      const plate = srgbToLinear(Math.round(255 * linearToSrgb(toPlate(response, light))) / 255);
      return { plate, albedo, spread: 0.02, surface: `card ${albedo}`, units: [3.3 * 0.8], bounce: 0 };
    });
  };

  test("greys of a chart tell shoulder and contrast, and leave a straight plate straight", () => {
    let [bent, straight] = [0, 0];
    for (let seed = 1; seed <= 50; seed++) {
      const fit = fitResponse(chart({ shoulder: 0.5, contrast: 1.25 }, seed), 1)!;
      if (fit.sure && Math.abs(fit.contrast - 1.25) <= 0.05 && Math.abs(fit.shoulder - 0.5) <= 0.1) bent++;
      const plain = fitResponse(chart({ shoulder: 1, contrast: 1 }, seed), 1)!;
      if (!plain.sure && plain.contrast === 1) straight++;
    }
    expect(bent).toBeGreaterThanOrEqual(45);
    expect(straight).toBeGreaterThanOrEqual(49);
  });

  test("two probes say nothing", () => {
    expect(fitResponse(probes(0.5, 3).slice(0, 2), 1)).toBeNull();
  });
});
