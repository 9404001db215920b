import { describe, expect, test } from "@jest/globals";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { dot, toDegrees, toRadians } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { projectPoint, rotationFromAngles } from "#core/optics/camera";
import { noDistortion } from "#core/optics/distortion";
import { between, gaussian, seeded } from "../../testing/random.ts";
import { balanceLight, readPatch } from "./balance.ts";
import { insideDistance } from "./mask.ts";
import { sunFromSighting } from "./sighting.ts";
import { anglesFromDirection, directionFromAngles } from "./sun.ts";

const camera: Camera = {
  focalPx: 1200,
  principal: [810, 540],
  distortion: { ...noDistortion(), k1: -0.03 },
  rotation: rotationFromAngles({ heading: 0.2, tilt: -0.1, roll: 0.01 }),
  position: [0, -9, 1.6],
};

describe("sun", () => {
  test("azimuth runs clockwise from +Y, height from the horizon", () => {
    expect(directionFromAngles(toRadians(90), 0)[0]).toBeCloseTo(1, 12);
    expect(directionFromAngles(0, toRadians(90))[2]).toBeCloseTo(1, 12);
    const back = anglesFromDirection(directionFromAngles(toRadians(250), toRadians(31)));
    expect(toDegrees(back.azimuth)).toBeCloseTo(250, 9);
    expect(toDegrees(back.elevation)).toBeCloseTo(31, 9);
  });

  const marks = (direction: Vec3, foot: Vec3, height: number) => {
    const tip: Vec3 = [
      foot[0] - (direction[0] / direction[2]) * height,
      foot[1] - (direction[1] / direction[2]) * height,
      0,
    ];
    return [foot, [foot[0], foot[1], height] as Vec3, tip].map((p) => projectPoint(camera, p) as Vec2);
  };

  test("a sighting gives back the sun that cast it, and its ± covers the scatter of marks a pixel off", () => {
    const random = seeded(5);
    const direction = directionFromAngles(toRadians(130), toRadians(40));
    const [foot, top, tip] = marks(direction, [1, -1, 0], 1.8);
    const exact = sunFromSighting(camera, { foot, top, tip });
    if (typeof exact === "string") throw new Error(exact);
    expect(dot(exact.direction, direction)).toBeCloseTo(1, 10);
    expect(exact.height).toBeCloseTo(1.8, 6);
    let sum = 0;
    const n = 400;
    for (let i = 0; i < n; i++) {
      const jitter = (p: Vec2): Vec2 => [p[0] + gaussian(random), p[1] + gaussian(random)];
      const sun = sunFromSighting(camera, { foot: jitter(foot), top: jitter(top), tip: jitter(tip) });
      if (typeof sun === "string") throw new Error(sun);
      sum += ((sun.elevation - exact.elevation) / exact.sigma.elevation) ** 2;
    }
    expect(Math.sqrt(sum / n)).toBeGreaterThan(0.85);
    expect(Math.sqrt(sum / n)).toBeLessThan(1.15);
  });

  test("sightings that cannot be read say why", () => {
    const [foot, top, tip] = marks(directionFromAngles(2, 0.7), [1, -1, 0], 1.8);
    expect(sunFromSighting(camera, { foot: [foot[0], 10], top, tip })).toMatch(/below the horizon/);
    expect(sunFromSighting(camera, { foot, top: [foot[0], foot[1] + 60], tip })).toMatch(/above the foot/);
  });
});

describe("sun against sky", () => {
  test("the balance inverts the light of a Lambert surface, per channel", () => {
    const random = seeded(7);
    for (let i = 0; i < 50; i++) {
      const colour = (): Vec3 => [between(random, 0.1, 3), between(random, 0.1, 3), between(random, 0.1, 3)];
      const [sun, sky, albedo] = [colour(), colour(), colour().map((v) => v / 4) as Vec3];
      const patch = (openSky: number, sunCosine: number) => {
        const bounce = colour().map((v) => v / 10) as Vec3;
        const e = [0, 1, 2].map((k) => Math.PI * openSky * sky[k] + sunCosine * sun[k] + bounce[k]);
        return { colour: e.map((v, k) => (v * albedo[k]) / Math.PI) as Vec3, openSky, sunCosine, bounce };
      };
      const result = balanceLight(patch(0.9, 0.6), patch(0.5, 0), albedo, 0.05);
      if (typeof result === "string") throw new Error(result);
      result.sunIrradiance.forEach((v, k) => expect(v).toBeCloseTo(sun[k], 8));
      result.skyRadiance.forEach((v, k) => expect(v).toBeCloseTo(sky[k], 8));
    }
  });

  test("patches that contradict it are refused in words", () => {
    const patch = { colour: [0.2, 0.2, 0.2] as Vec3, openSky: 1, bounce: [0, 0, 0] as Vec3, sunCosine: 0.5 };
    expect(balanceLight(patch, { ...patch, colour: [0.3, 0.3, 0.3] }, [0.2, 0.2, 0.2], 0.05)).toMatch(/no brighter/);
    expect(balanceLight({ ...patch, sunCosine: 0 }, patch, [0.2, 0.2, 0.2], 0.05)).toMatch(/does not reach/);
    expect(balanceLight(patch, { ...patch, openSky: 0 }, [0.2, 0.2, 0.2], 0.05)).toMatch(/sees no sky/);
  });

  test("a patch is the mean of its disc, and clipped pixels are counted", () => {
    const linear = new Float32Array(20 * 20 * 3).fill(0.5);
    for (let y = 0; y < 20; y++) for (let x = 10; x < 20; x++) linear.fill(1, (y * 20 + x) * 3, (y * 20 + x) * 3 + 3);
    const patch = readPatch({ width: 20, height: 20, linear }, [10, 10], 5);
    expect(patch.colour[0]).toBeCloseTo(0.75, 6);
    expect(patch.clipped).toBeCloseTo(0.5, 6);
    expect(readPatch({ width: 20, height: 20, linear }, [90, 90], 5).pixels).toBe(0);
  });

  test("distance from a marked shade's border", () => {
    const square: Vec2[] = [
      [0, 0],
      [10, 0],
      [10, 10],
      [0, 10],
    ];
    expect(insideDistance(square, 5, 4)).toBeCloseTo(4, 9);
    expect(insideDistance(square, -3, 5)).toBeCloseTo(-3, 9);
    expect(insideDistance(square, 13, 14)).toBeCloseTo(-5, 9);
  });
});
