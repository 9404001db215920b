import { describe, expect, test } from "@jest/globals";
import { formatArea, formatLength, parseLength } from "./length.ts";

describe("typed lengths", () => {
  test.each([
    ["2.4+0.15", "m", 2.55],
    ["6ft 2in", "m", 1.8796],
    ["6' 2\"", "m", 1.8796],
    ["75 cm", "m", 0.75],
    ["75", "cm", 0.75],
    ["1 m 20 cm", "mm", 1.2],
    ["-0,5", "m", -0.5],
    [".5", "ft", 0.1524],
    ["2m-10cm", "m", 1.9],
  ] as const)("%s in %s is %p m", (text, unit, metres) => {
    // The foot is 0.3048 m and the inch 25.4 mm exactly (international yard and pound agreement, 1959).
    expect(parseLength(text, unit)).toBeCloseTo(metres, 9);
  });

  test.each(["", "abc", "2 4x", "1..2", "m"])("%p is not a length", (text) =>
    expect(parseLength(text, "m")).toBeNull(),
  );

  test("reading is in the user's unit", () => {
    expect(formatLength(1.8796, "ft")).toBe("6 ft 2 in");
    expect(formatLength(0.3048 - 0.0001, "ft")).toBe("1 ft 0 in");
    expect(formatLength(-0.75, "cm")).toBe("−75.0 cm");
    // What rounds to nothing has no sign.
    expect(formatLength(-0.0004, "m")).toBe("0.000 m");
    expect(formatLength(-0.0004, "ft")).toBe("0 ft 0 in");
    expect(formatArea(0.3048 ** 2 * 10, "ft")).toBe("10.0 ft²");
  });
});
