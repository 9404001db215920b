import { describe, expect, test } from "@jest/globals";
import type { Vec3 } from "#core/math/vec3";
import { FIRST_YARDSTICKS } from "#core/match/yardsticks";
import { goneAlong, metresAlong, waysAlong } from "./handles/ways.ts";
import { figureWords, nearestYardstick, withinWords } from "./measureWords.ts";
import { useTypedWays } from "./typedWays.ts";

describe("the ways of what is dragged", () => {
  test.each<[string, Parameters<typeof waysAlong>[0]]>([
    ["the ground", { plane: { normal: [0, 0, 1], offset: 0 } }],
    ["a ceiling, seen from below", { plane: { normal: [0, 0, -1], offset: -2 } }],
    ["a wall", { plane: { normal: [0.6, 0.8, 0], offset: 3 } }],
    ["a roof", { plane: { normal: [0, 0.6, 0.8], offset: 3 } }],
    ["a line", { direction: [0.36, 0.48, 0.8] }],
  ])("on %s, what was measured leads back", (_, along) => {
    const ways = waysAlong(along);
    const from: Vec3 = [1, 2, 3];
    const metres = ways.names.map((_name, i) => 0.5 - i);
    const to = goneAlong(ways, from, metres);
    metresAlong(ways, from, to).forEach((x, i) => expect(x).toBeCloseTo(metres[i], 12));
    if ("plane" in along) {
      const { normal } = along.plane;
      const off = normal.reduce((sum, n, k) => sum + n * (to[k] - from[k]), 0);
      expect(off).toBeCloseTo(0, 12);
    }
  });

  test("on the level they are X and Y, whichever side is looked at", () => {
    for (const z of [1, -1])
      expect(waysAlong({ plane: { normal: [0, 0, z], offset: 0 } })).toEqual({
        names: ["X", "Y"],
        directions: [
          [1, 0, 0],
          [0, 1, 0],
        ],
      });
  });
});

describe("numbers typed while dragging", () => {
  const typed = (keys: string[], count: number) => {
    const ways = useTypedWays();
    ways.begin();
    for (const key of keys) ways.type(key, count);
    return ways;
  };

  test("digits go into one number, Tab to the next; what was not typed is dragged", () => {
    const ways = typed(["1", ".", "2", "Tab", "-", "5", " ", "c", "m"], 2);
    expect(ways.metres([7, 8], "m")).toEqual([1.2, -0.05]);
    expect(typed(["Tab", "3"], 2).metres([7, 8], "m")).toEqual([7, 3]);
    expect(typed([], 2).metres([7, 8], "m")).toBeNull();
    // Numbers without a unit count in the shot's.
    expect(typed(["4", "0"], 1).metres([7], "cm")).toEqual([0.4]);
  });

  test("Backspace takes back, letters begin nothing, and other keys are left to others", () => {
    const ways = typed(["1", "2", "Backspace"], 1);
    expect(ways.metres([7], "m")).toEqual([1]);
    const fresh = useTypedWays();
    fresh.begin();
    expect(fresh.type("m", 1)).toBe(false);
    expect(fresh.type("Escape", 1)).toBe(false);
    expect(ways.words(["along"], [1], "m")).toBe("along 1 …");
  });
});

describe("figures in words", () => {
  test("each in the user's unit; a plus-minus has the digits of its figure, and none where all was typed", () => {
    expect(figureWords(1.5, "length", "cm")).toBe("150.0 cm");
    expect(figureWords(-3.25, "degrees", "m")).toBe("−3.3°");
    expect(figureWords(0.25, "volume", "m")).toBe("0.250 m³");
    expect(withinWords(0.4, 12, "area", "m")).toBe("± 0.40 m²");
    expect(withinWords(0, 12, "area", "m")).toBe("");
    expect(withinWords(null, 12, "length", "m")).toBe("");
  });

  test("a length is told as like a yardstick of nearly its size, or of none", () => {
    expect(nearestYardstick(2.02, FIRST_YARDSTICKS)?.id).toBe("door");
    expect(nearestYardstick(5000, FIRST_YARDSTICKS)).toBeNull();
  });
});
