import { describe, expect, test } from "@jest/globals";
import type { Vec2, Vec3 } from "../math/vec3.ts";
import type { Camera } from "../optics/camera.ts";
import { projectPoint, rotationFromAngles } from "../optics/camera.ts";
import { noDistortion } from "../optics/distortion.ts";
import { continuedLine, divideQuad, enlarged, insideFacet, pickWorld, squareToQuad } from "./gauges.ts";
import type { Facet } from "./gauges.ts";

const camera: Camera = {
  focalPx: 1300,
  principal: [960, 640],
  distortion: noDistortion(),
  rotation: rotationFromAngles({ heading: 0.5, tilt: -0.12, roll: 0.02 }),
  position: [0, -5, 1.7],
};
const at = (p: Vec3): Vec2 => projectPoint(camera, p)!;
const wall: Facet = {
  plane: { normal: [0, 1, 0], offset: 3 },
  ring: [
    [-2, 3, 0],
    [4, 3, 0],
    [4, 3, 2.5],
    [-2, 3, 2.5],
  ],
};

describe("equal parts in perspective", () => {
  test("thirds of a wall seen at an angle lie where the wall's own thirds are", () => {
    const corners = wall.ring.map(at) as [Vec2, Vec2, Vec2, Vec2];
    const lines = divideQuad(corners, 3, 2)!;
    expect(lines).toHaveLength(3);
    for (const [i, x] of [0, 2].entries()) {
      const [low, high] = [at([x, 3, 0]), at([x, 3, 2.5])];
      expect(lines[i][0][0]).toBeCloseTo(low[0], 6);
      expect(lines[i][1][1]).toBeCloseTo(high[1], 6);
    }
    expect(lines[2][0][1]).toBeCloseTo(at([-2, 3, 1.25])[1], 6);
  });

  test("a parallelogram needs no perspective; corners in a line make no quadrilateral", () => {
    const m = squareToQuad([
      [0, 0],
      [10, 0],
      [12, 5],
      [2, 5],
    ])!;
    expect(m[6]).toBeCloseTo(0, 12);
    expect(m[7]).toBeCloseTo(0, 12);
    expect(
      divideQuad(
        [
          [0, 0],
          [1, 0],
          [2, 0],
          [3, 0],
        ],
        2,
        2,
      ),
    ).toBeNull();
  });
});

describe("pointing at the set", () => {
  test("a pixel shows the nearest facet under it, beside the facets the ground, above the horizon nothing", () => {
    const hit = pickWorld(camera, at([1, 3, 1]), [wall])!;
    expect(hit[1]).toBeCloseTo(3, 9);
    expect(hit[2]).toBeCloseTo(1, 6);
    const ground = pickWorld(camera, at([1, 0, 0]), [wall])!;
    expect(ground[2]).toBeCloseTo(0, 9);
    expect(pickWorld(camera, [960, 20], [])).toBeNull();
    expect(insideFacet(wall, [0, 3, 1])).toBe(true);
    expect(insideFacet(wall, [5, 3, 1])).toBe(false);
  });

  test("a line on the ground runs to the wall and straight up it to its top", () => {
    const line = continuedLine([0, 0, 0], [0.5, 1, 0], [wall], 40);
    expect(line).toHaveLength(3);
    expect(line[1][0]).toBeCloseTo(1.5, 9);
    expect(line[1][1]).toBeCloseTo(3, 9);
    expect(line[2]).toEqual([line[1][0], line[1][1], 2.5]);
    // Past the wall's end, and away from it, it goes on over the ground.
    expect(continuedLine([0, 0, 0], [3, 1, 0], [wall], 40)).toHaveLength(2);
    const away = continuedLine([0, 0, 0], [0, -1, 0], [wall], 40);
    expect(away[1][1]).toBeCloseTo(-40, 9);
    expect(continuedLine([0, 0, 0], [0, 0, 0], [wall], 40)).toHaveLength(1);
  });
});

test("misfit is enlarged about the mark", () => {
  expect(enlarged([100, 100], [100.2, 99.9], 10)).toEqual([expect.closeTo(102, 9), expect.closeTo(99, 9)]);
});
