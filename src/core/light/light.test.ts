import { describe, expect, test } from "@jest/globals";
import type { Vec2 } from "#core/math/vec3";
import { toDegrees, toRadians } from "#core/math/vec3";
import { insideDistance } from "./mask.ts";
import { readPatch } from "./patch.ts";
import { anglesFromDirection, directionFromAngles } from "./sun.ts";

describe("sun", () => {
  test("azimuth runs clockwise from +Y, height from the horizon", () => {
    expect(directionFromAngles(toRadians(90), 0)[0]).toBeCloseTo(1, 12);
    expect(directionFromAngles(0, toRadians(90))[2]).toBeCloseTo(1, 12);
    const back = anglesFromDirection(directionFromAngles(toRadians(250), toRadians(31)));
    expect(toDegrees(back.azimuth)).toBeCloseTo(250, 9);
    expect(toDegrees(back.elevation)).toBeCloseTo(31, 9);
  });
});

describe("patches and shades", () => {
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
