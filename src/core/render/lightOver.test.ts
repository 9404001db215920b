import { describe, expect, test } from "@jest/globals";
import { rotationFromAngles } from "../optics/camera.ts";
import type { Vec2 } from "../math/vec3.ts";
import { noDistortion } from "../optics/distortion.ts";
import { makePart } from "../set/parts/make.ts";
import { typedVertex } from "../set/vertex.ts";
import { newMaterial } from "../set/materials.ts";
import { testShot } from "../../testing/shots.ts";
import { pointsOf } from "./lightOver.ts";

/** A floor that ends five metres ahead of a camera that looks down on it. */
function floored() {
  const shot = testShot(96, 64);
  const camera = {
    focalPx: 90,
    principal: [48, 32] as Vec2,
    distortion: noDistortion(),
    rotation: rotationFromAngles({ heading: 0, tilt: -0.5, roll: 0 }),
    position: [0, 0, 2] as [number, number, number],
  };
  shot.solved = { camera, evidence: "", rmsPx: null, sigma: null };
  shot.materials = { plain: newMaterial("plain", "Plain", [0.3, 0.3, 0.3], 0.02, "typed") };
  const vertices = [
    [-9, 0],
    [9, 0],
    [9, 5],
    [-9, 5],
  ].map(([x, y]) => typedVertex([x, y, 0]));
  shot.set.floor = makePart("floor", "Floor", { kind: "polygon", vertices, holes: [] }, "plain");
  return shot;
}

describe("points that stand for a disc", () => {
  test("have the disc's mean of every polynomial up to the third degree", () => {
    const [cx, cy] = [48, 44];
    const radius = 6;
    const points = pointsOf(floored(), { pixel: [cx, cy], radius });
    expect(points[0]).toEqual([cx, cy]);
    expect(points).toHaveLength(7);
    // Means over a disc of radius R: x² and y² have R² / 4, odd powers and products none.
    const mean = (of: (x: number, y: number) => number) =>
      points.reduce((sum, [x, y]) => sum + of(x - cx, y - cy), 0) / points.length;
    for (const odd of [
      (x: number) => x,
      (_: number, y: number) => y,
      (x: number, y: number) => x * y,
      (x: number) => x ** 3,
      (x: number, y: number) => x * x * y,
      (x: number, y: number) => x * y * y,
    ])
      expect(mean(odd)).toBeCloseTo(0, 9);
    expect(mean((x) => x * x)).toBeCloseTo(radius ** 2 / 4, 9);
    expect(mean((_, y) => y * y)).toBeCloseTo(radius ** 2 / 4, 9);
  });

  test("leave out what lies beyond the face or the frame, never the centre", () => {
    const shot = floored();
    // Its far edge: five metres ahead, two below the eye.
    const edge = 32 + 90 * Math.tan(Math.atan2(2, 5) - 0.5);
    const over = pointsOf(shot, { pixel: [48, edge + 2], radius: 8 });
    expect(over.length).toBeGreaterThan(1);
    expect(over.length).toBeLessThan(7);
    for (const [, y] of over) expect(y).toBeGreaterThan(edge);
    const corner = pointsOf(shot, { pixel: [95, 63], radius: 8 });
    for (const [x, y] of corner) {
      expect(x).toBeLessThanOrEqual(96);
      expect(y).toBeLessThanOrEqual(64);
    }
    expect(corner.length).toBeLessThan(7);
    // Nothing of the set is there.
    expect(pointsOf(shot, { pixel: [48, 2], radius: 8 })).toEqual([[48, 2]]);
  });
});
