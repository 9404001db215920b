import { describe, expect, test } from "@jest/globals";
import type { Vec3 } from "#core/math/vec3";
import { toRadians } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { pixelDirection, rotationFromAngles } from "#core/optics/camera";
import { noDistortion } from "#core/optics/distortion";
import { gaussian, seeded } from "../../../testing/random.ts";
import { blackBody, daylight, kelvinColour } from "../kelvin.ts";
import { directionFromAngles } from "../sun.ts";
import { generalSky } from "./general.ts";
import { skyOfPlate } from "./gradient.ts";
import { groundLevel, shapeOf, skyEnvironment, skyPicture } from "./index.ts";
import { clearDaylight, clearSky, fromChroma } from "./physical.ts";

const sun = (heightDeg: number) => directionFromAngles(toRadians(130), toRadians(heightDeg));
const luminance = (c: Vec3) => 0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2];

/** Twenty directions all over the dome: sine of the height, and the angle to the sun. */
const directions = (s: Vec3) =>
  Array.from({ length: 20 }, (_, i) => {
    const d = directionFromAngles(toRadians(i * 137.5), toRadians(4 + (i * 86) / 20));
    return { up: d[2], toSun: Math.acos(d[0] * s[0] + d[1] * s[1] + d[2] * s[2]) };
  });

describe("general skies (ISO 15469)", () => {
  test.each([15, 35, 60])("number 12 is the older standard clear sky, the sun %s° high", (height) => {
    // CIE standard clear sky as published in 1973 (CIE 22; Kittler 1967): a formula of its own with its own rounding.
    const s = sun(height);
    const z = Math.PI / 2 - toRadians(height);
    const old = (up: number, toSun: number) =>
      ((0.91 + 10 * Math.exp(-3 * toSun) + 0.45 * Math.cos(toSun) ** 2) * (1 - Math.exp(-0.32 / up))) /
      (0.274 * (0.91 + 10 * Math.exp(-3 * z) + 0.45 * Math.cos(z) ** 2));
    const general = generalSky(12, s[2]);
    for (const { up, toSun } of directions(s))
      expect(Math.abs(general(up, toSun) / old(up, toSun) - 1)).toBeLessThan(0.003);
  });

  test("number 1 falls to a third at the horizon, number 5 is even, and all are 1 overhead", () => {
    // The overcast standard is three times as bright overhead (Moon and Spencer 1942); number 1 follows it closely.
    expect(generalSky(1, 0.5)(0, 1)).toBeCloseTo(1 / 3, 2);
    for (const { up, toSun } of directions(sun(40))) {
      expect(generalSky(5, 0.6)(up, toSun)).toBeCloseTo(1, 12);
      if (up > 0.45) expect(Math.abs(generalSky(1, 0.6)(up, toSun) / ((1 + 2 * up) / 3) - 1)).toBeLessThan(0.035);
    }
    for (let n = 1; n <= 15; n++) expect(generalSky(n, Math.cos(0.8))(1, 0.8)).toBeCloseTo(1, 12);
  });
});

describe("a sky as a picture", () => {
  const rowOf = (picture: ReturnType<typeof skyPicture>, y: number, x = 0) =>
    picture.pixels[(y * picture.width + x) * 3 + 1];

  test("Moon and Spencer: 9/7 of the mean overhead, 3/7 at the horizon, which is 1 to 3", () => {
    // Closed form: the mean over level ground of (1 + 2 sin h)/3 is 7/9.
    const picture = skyPicture(shapeOf({ kind: "overcast" }, sun(40))!, sun(40));
    expect(rowOf(picture, 0)).toBeCloseTo(9 / 7, 2);
    expect(rowOf(picture, picture.height / 2 - 1) / rowOf(picture, 0)).toBeCloseTo(1 / 3, 1);
    expect(rowOf(picture, picture.height / 2 + 1)).toBe(0);
  });

  test("every sky gives level ground the light of the even one", () => {
    for (const spread of [
      { kind: "overcast" as const },
      { kind: "general" as const, number: 13 },
      { kind: "physical" as const, turbidity: 4 },
    ]) {
      const { width, height, pixels } = skyEnvironment(spread, [0.2, 0.3, 0.5], sun(30)).environment!;
      const sum = [0, 0, 0];
      for (let y = 0; y < height / 2; y++) {
        // Exact solid angle times cosine of a row: half the difference of the squared sines.
        const [a, b] = [y, y + 1].map((r) => Math.sin((r / height) * Math.PI) ** 2);
        for (let i = 0; i < width * 3; i++)
          sum[i % 3] += (pixels[y * width * 3 + i] * (0.5 * (b - a) * 2 * Math.PI)) / width;
      }
      [0.2, 0.3, 0.5].forEach((c, k) => expect(Math.abs(sum[k] / (Math.PI * c) - 1)).toBeLessThan(0.003));
    }
  });

  test("the same sky is the same picture, so that the tracer keeps it", () => {
    const one = skyEnvironment({ kind: "overcast" }, [1, 1, 1], sun(40)).environment;
    expect(skyEnvironment({ kind: "overcast" }, [1, 1, 1], sun(20)).environment).toBe(one);
    expect(skyEnvironment({ kind: "even" }, [1, 1, 1], sun(40)).environment).toBeNull();
  });
});

describe("clear air", () => {
  test("the sky is blue away from the sun and brightest beside it", () => {
    const s = sun(35);
    const sky = clearSky(2.5, s);
    const away = sky(0.7, toRadians(90), s);
    expect(away[2]).toBeGreaterThan(1.5 * away[0]);
    expect(luminance(sky(0.6, toRadians(5), s))).toBeGreaterThan(3 * luminance(away));
  });

  test.each([20, 40, 60])("sun and sky bring what the handbook has for a clear day, the sun %s° high", (height) => {
    // IESNA Lighting Handbook, clear sky, from memory: direct normal 127.5 exp(−0.21/sin h) klx, horizontal from the sky 0.8 + 15.5 √sin h klx.
    const up = Math.sin(toRadians(height));
    const { sun: direct, sky } = clearDaylight(2.5, sun(height));
    const lux = Math.PI * luminance(sky);
    expect(luminance(direct) / (127_500 * Math.exp(-0.21 / up))).toBeGreaterThan(0.8);
    expect(luminance(direct) / (127_500 * Math.exp(-0.21 / up))).toBeLessThan(1.2);
    expect(lux / (800 + 15_500 * Math.sqrt(up))).toBeGreaterThan(0.75);
    expect(lux / (800 + 15_500 * Math.sqrt(up))).toBeLessThan(1.4);
  });

  test("a low sun is warmer", () => {
    const warmth = (height: number) => {
      const [r, , b] = clearDaylight(3, sun(height)).sun;
      return r / b;
    };
    expect(warmth(8)).toBeGreaterThan(1.5 * warmth(50));
  });
});

describe("temperatures", () => {
  // CIE 15: chromaticities of D50, D55, D65 and D75.
  test.each([
    [5003, 0.34567, 0.3585],
    [5503, 0.33242, 0.34743],
    [6504, 0.31271, 0.32902],
    [7504, 0.29902, 0.31485],
  ])("daylight of %s K", (kelvin, x, y) => {
    const [a, b] = daylight(kelvin);
    expect(Math.abs(a - x)).toBeLessThan(0.0002);
    expect(Math.abs(b - y)).toBeLessThan(0.0002);
  });

  test("a black body at 2856 K is illuminant A, and at 6500 K lies beside daylight", () => {
    // CIE 15: illuminant A; the black body of 6500 K at (0.3135, 0.3237) (Wyszecki and Stiles, Color Science, from memory).
    const [x, y] = blackBody(2856);
    expect(Math.abs(x - 0.44757)).toBeLessThan(0.002);
    expect(Math.abs(y - 0.40745)).toBeLessThan(0.002);
    const [u, v] = blackBody(6500);
    expect(Math.abs(u - 0.3135)).toBeLessThan(0.002);
    expect(Math.abs(v - 0.3237)).toBeLessThan(0.002);
  });

  test("6504 K is white, lower is redder, and the luminance is 1", () => {
    const white = fromChroma(...daylight(6504), 1);
    white.forEach((c) => expect(c).toBeCloseTo(1, 2));
    for (const kelvin of [2000, 3200, 4500, 6500, 12_000]) expect(luminance(kelvinColour(kelvin))).toBeCloseTo(1, 2);
    const redness = [2000, 3200, 4000, 4500, 5000, 6500, 12_000].map((k) => kelvinColour(k)[0] / kelvinColour(k)[2]);
    redness.slice(1).forEach((r, i) => expect(r).toBeLessThan(redness[i]));
  });
});

describe("a sky fitted to the plate's own", () => {
  const camera: Camera = {
    focalPx: 500,
    principal: [320, 220],
    distortion: noDistortion(),
    rotation: rotationFromAngles({ heading: 0.3, tilt: 0.25, roll: 0.02 }),
    position: [0, -4, 1.6],
  };
  const truth = {
    kind: "gradient" as const,
    horizon: [0.7, 0.72, 0.75] as Vec3,
    zenith: [0.2, 0.3, 0.5] as Vec3,
    steepness: 4,
  };
  const [width, height] = [640, 440];
  /** The sky over dark ground, with masts and gulls in it, and a little noise. */
  function plate(): { width: number; height: number; linear: Float32Array } {
    const random = seeded(5);
    const shape = shapeOf(truth, sun(40))!;
    const linear = new Float32Array(width * height * 3);
    for (let y = 0; y < height; y++)
      for (let x = 0; x < width; x++) {
        const up = pixelDirection(camera, [x + 0.5, y + 0.5])[2];
        const colour: Vec3 = up <= 0 ? [0.1, 0.1, 0.1] : x % 90 < 8 ? [0.05, 0.04, 0.04] : shape(up, 1, [0, 0, 1]);
        colour.forEach((c, k) => (linear[(y * width + x) * 3 + k] = c + 0.005 * gaussian(random)));
      }
    return { width, height, linear };
  }

  test("horizon and level come back past masts that the set does not have", () => {
    const found = skyOfPlate(camera, {}, plate());
    if (typeof found === "string") throw new Error(found);
    expect(found.steepness).toBe(truth.steepness);
    truth.horizon.forEach((c, k) => expect(Math.abs(found.horizon[k] / c - 1)).toBeLessThan(0.03));
    truth.zenith.forEach((c, k) => expect(Math.abs(found.zenith[k] / c - 1)).toBeLessThan(0.12));
    const [told, true_] = [found, truth].map((spread) => groundLevel(shapeOf(spread, sun(40))!, sun(40)));
    true_.forEach((c, k) => expect(Math.abs(told[k] / c - 1)).toBeLessThan(0.06));
  });

  test("a plate without sky says so", () => {
    const down = { ...camera, rotation: rotationFromAngles({ heading: 0, tilt: -0.8, roll: 0 }) };
    expect(skyOfPlate(down, {}, plate())).toMatch(/too little sky/);
    expect(skyOfPlate(null, {}, plate())).toMatch(/camera first/);
  });
});
