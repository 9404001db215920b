import { expect, test } from "@jest/globals";
import type { Vec2 } from "../math/vec3.ts";
import { gaussian, seeded } from "../../testing/random.ts";
import { nearestEdge, stepAcross } from "./plateEdge.ts";

/** A plate that is dark left of a slanted line and bright right of it, with grain; the edge is a pixel wide. */
const SIZE = 120;
const edgeAt = (v: number) => 60.3 + 0.2 * v;
function plate(grain: number, dark = 0.04, bright = 0.25) {
  const random = seeded(7);
  const linear = new Float32Array(SIZE * SIZE * 3);
  for (let y = 0; y < SIZE; y++)
    for (let x = 0; x < SIZE; x++) {
      const share = Math.min(1, Math.max(0, x + 1 - edgeAt(y + 0.5)));
      const value = (dark + (bright - dark) * share) * (1 + grain * gaussian(random));
      for (let k = 0; k < 3; k++) linear[(y * SIZE + x) * 3 + k] = value;
    }
  return { width: SIZE, height: SIZE, linear };
}
const line = (shift: number): Vec2[] => [
  [edgeAt(20) + shift, 20],
  [edgeAt(100) + shift, 100],
];

test("a line near an edge goes onto it, to a fifth of a pixel and through grain", () => {
  for (const grain of [0, 0.05])
    for (const off of [-4.3, -1, 0.4, 3.7]) {
      const shift = nearestEdge(plate(grain), (s) => line(off + s), 6)!;
      expect(Math.abs(off + shift)).toBeLessThan(0.2);
    }
});

test("the step is that of the square roots, and its sign tells the brighter side", () => {
  const step = stepAcross(plate(0), line(0));
  // Going down the line, right of it is left in the picture.
  expect(step).toBeCloseTo(Math.sqrt(0.04) - Math.sqrt(0.25), 1);
  expect(stepAcross(plate(0), [...line(0)].reverse())).toBeCloseTo(-step, 6);
});

test("where the plate shows no edge the line stays where it is", () => {
  expect(nearestEdge(plate(0.05, 0.2, 0.2), (s) => line(s), 6)).toBeNull();
  expect(nearestEdge(plate(0), (s) => line(s + 30), 6)).toBeNull();
  expect(nearestEdge(plate(0), () => [], 6)).toBeNull();
});
