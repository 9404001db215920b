import { describe, expect, test } from "@jest/globals";
import { onGrid, turnAlong, turnedAbout, wrapped } from "./align.ts";

describe("aligning", () => {
  test("a quarter turn about a point takes east to north, and four of them are none", () => {
    let now = turnedAbout({ position: [3, 1, 0.5], turnDeg: 120 }, [1, 1, 9], 90);
    expect(now.position[0]).toBeCloseTo(1, 12);
    expect(now.position[1]).toBeCloseTo(3, 12);
    expect(now.position[2]).toBe(0.5);
    expect(now.turnDeg).toBe(-150);
    for (let i = 0; i < 3; i++) now = turnedAbout(now, [1, 1, 0], 90);
    expect(now.position[0]).toBeCloseTo(3, 12);
    expect(now.turnDeg).toBeCloseTo(120, 9);
  });

  test("along an edge it is turned by 45° at most, so that one of its sides lies along the edge", () => {
    for (let heading = -400; heading <= 400; heading += 7)
      for (const edge of [0, 12, 44, 45.5, 90, 133, 200]) {
        const direction: [number, number, number] = [
          Math.cos((edge * Math.PI) / 180),
          Math.sin((edge * Math.PI) / 180),
          0.3,
        ];
        const by = turnAlong(heading, direction)!;
        expect(Math.abs(by)).toBeLessThanOrEqual(45 + 1e-9);
        const left = Math.abs(wrapped(4 * (heading + by - edge)));
        expect(left).toBeLessThan(1e-6);
      }
    expect(turnAlong(10, [0, 0, 2])).toBeNull();
  });

  test("a grid's step rounds across and deep, not the height; no step leaves all", () => {
    expect(onGrid([1.26, -0.74, 0.333], 0.5)).toEqual([1.5, -0.5, 0.333]);
    expect(onGrid([1.26, -0.74, 0.333], 0)).toEqual([1.26, -0.74, 0.333]);
  });
});
