import { expect, test } from "@jest/globals";
import type { Vec2, Vec3 } from "../math/vec3.ts";
import { camera } from "../../demo/quay.ts";
import { pixelDirection, projectPoint } from "../optics/camera.ts";
import { modelPointAt, pinned, placedDistance } from "./pin.ts";
import { grown } from "./span.ts";
import { primitiveModel } from "./primitives.ts";
import type { Placement } from "./transform.ts";
import { lowestPoint, placePoint, standing } from "./transform.ts";

const box = primitiveModel("box", [0.5, 0.5, 0.5], 0.5, 0);
const corners: Vec3[] = [
  [-0.5, -0.5, 0],
  [0.5, -0.5, 1],
];

test("two pins are met by a prop that stood elsewhere, turned and of another size: it comes to where its picture was taken", () => {
  const truth: Placement = { ...standing([-2.5, -3, 0]), turn: 0.4, scale: [1.2, 1.2, 1.2] };
  const pins = corners.map((local) => ({ local, pixel: projectPoint(camera, placePoint(truth, local)) as Vec2 }));
  const found = pinned(box, { ...standing([-3, -2.6, 0]), turn: 0.1, scale: [0.8, 0.8, 0.8] }, pins, camera)!;
  pins.forEach(({ local, pixel }) => {
    const seen = projectPoint(camera, placePoint(found, local))!;
    expect(Math.hypot(seen[0] - pixel[0], seen[1] - pixel[1])).toBeLessThan(0.01);
  });
  truth.position.forEach((x, k) => expect(found.position[k]).toBeCloseTo(x, 3));
  expect(found.turn).toBeCloseTo(0.4, 3);
  expect(found.scale[0]).toBeCloseTo(1.2, 3);
  expect(lowestPoint(found, box)).toBeCloseTo(0, 6);
  // The length between them is the diagonal of the front, times its size.
  expect(placedDistance(found, ...(corners as [Vec3, Vec3]))).toBeCloseTo(1.2 * Math.SQRT2, 3);
});

test("one pin moves it over the ground alone; one in the sky cannot be met", () => {
  const start: Placement = { ...standing([-3, -2.6, 0]), turn: 0.7 };
  const pixel = projectPoint(camera, [-2, -3.5, 0])!;
  const found = pinned(box, start, [{ local: [0, 0, 0], pixel }], camera)!;
  expect(found.position[0]).toBeCloseTo(-2, 4);
  expect(found.position[1]).toBeCloseTo(-3.5, 4);
  expect(found.turn).toBe(0.7);
  expect(pinned(box, start, [{ local: [0, 0, 0], pixel: [800, 20] }], camera)).toBeNull();
});

test("grown to a known size it stays on the ground, where it stands", () => {
  const placed: Placement = { ...standing([-2, -3, 0.4]), turn: 0.3, lean: [0.2, 0.1], scale: [1, 2, 0.5] };
  const ends: [Vec3, Vec3] = [
    [-0.5, -0.5, 0],
    [0.5, -0.5, 1],
  ];
  const before = placedDistance(placed, ...ends);
  const found = grown(box, placed, 1.7);
  expect(placedDistance(found, ...ends)).toBeCloseTo(1.7 * before, 9);
  expect(lowestPoint(found, box)).toBeCloseTo(lowestPoint(placed, box), 9);
  expect(found.position.slice(0, 2)).toEqual([-2, -3]);
});

test("a pixel's point of a model is on its nearest face", () => {
  const placed: Placement = { ...standing([-2.5, -3, 0]), turn: 0.3, scale: [1, 2, 0.5] };
  const top: Vec3 = [0.2, -0.3, 1];
  const pixel = projectPoint(camera, placePoint(placed, top))!;
  const local = modelPointAt(box, placed, camera.position, pixelDirection(camera, pixel))!;
  top.forEach((x, k) => expect(local[k]).toBeCloseTo(x, 6));
  expect(modelPointAt(box, placed, camera.position, [0, 0, 1])).toBeNull();
});
