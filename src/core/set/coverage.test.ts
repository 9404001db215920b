import { expect, test } from "@jest/globals";
import type { Vec3 } from "../math/vec3.ts";
import { rotationFromAngles } from "../optics/camera.ts";
import { noDistortion } from "../optics/distortion.ts";
import { coverageOf } from "./coverage.ts";
import { makePart } from "./parts/make.ts";
import type { SetRecord } from "./parts/index.ts";
import { typedVertex } from "./vertex.ts";

/** Level ahead along Y from a metre up; the frame takes 45° to either side. */
const camera = {
  focalPx: 500,
  principal: [500, 500] as [number, number],
  distortion: noDistortion(),
  rotation: rotationFromAngles({ heading: 0, tilt: 0, roll: 0 }),
  position: [0, 0, 1] as Vec3,
};
const frame = { width: 1000, height: 1000 };
const upright = (id: string, y: number, x0: number, x1: number, z0: number, z1: number) =>
  makePart(
    id,
    id,
    {
      kind: "polygon",
      vertices: [
        [x0, y, z0],
        [x1, y, z0],
        [x1, y, z1],
        [x0, y, z1],
      ].map((p) => typedVertex(p as Vec3)),
      holes: [],
    },
    "m",
  );

test("half of a wall stands beside the frame, a quarter behind a board, and the board is seen whole", () => {
  // At ten metres the frame is twenty wide; the board at five hides twice its own size.
  const set: SetRecord = { wall: upright("wall", 10, 0, 20, -1, 3), board: upright("board", 5, 0, 2.5, -2, 4) };
  const wall = coverageOf(set, { part: "wall" }, camera, frame)!;
  expect(wall.outside).toBeCloseTo(0.5, 2);
  expect(wall.hidden).toBeCloseTo(0.25, 2);
  expect(wall.seen).toBeCloseTo(0.25, 2);
  expect(coverageOf(set, { part: "board" }, camera, frame)).toEqual({ seen: 1, hidden: 0, outside: 0 });
});

test("of a box that is looked at straight on one side of six is seen, and that side wholly", () => {
  const box = makePart(
    "box",
    "box",
    {
      kind: "block",
      base: [
        [-1, 4, 0],
        [1, 4, 0],
        [1, 6, 0],
        [-1, 6, 0],
      ].map((p) => typedVertex(p as Vec3)),
      height: 2,
      closed: true,
    },
    "m",
  );
  const whole = coverageOf({ box }, { part: "box" }, camera, frame)!;
  expect(whole.seen).toBeCloseTo(1 / 6, 2);
  expect(whole.outside).toBe(0);
  expect(coverageOf({ box }, { part: "box", key: "side-1" }, camera, frame)!.seen).toBe(1);
  expect(coverageOf({ box }, { part: "gone" }, camera, frame)).toBeNull();
});
