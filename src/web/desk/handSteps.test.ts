import { describe, expect, test } from "@jest/globals";
import type { Vec3 } from "#core/math/vec3";
import { distance, rotationAngleBetween, toRadians } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { orientationAngles, projectPoint, rotationFromAngles } from "#core/optics/camera";
import { noDistortion } from "#core/optics/distortion";
import { testShot } from "../../testing/shots.ts";
import type { HandMove } from "./handSteps.ts";
import { handMoveOf, heldBack, movedByHand } from "./handSteps.ts";

const camera: Camera = {
  focalPx: 600,
  principal: [320, 240],
  distortion: noDistortion(),
  rotation: rotationFromAngles({ heading: 0.3, tilt: -0.2, roll: 0.02 }),
  position: [0, -4, 1.6],
};
const WORLD: Vec3 = [1, 1, 0.2];
const held = () => {
  const shot = testShot();
  shot.match.held = { world: WORLD, pixel: projectPoint(camera, WORLD)! };
  return shot;
};
const key = (k: string, more: Partial<KeyboardEvent> = {}) => handMoveOf({ key: k, ...more } as KeyboardEvent);

describe("steps of a camera matched by hand", () => {
  test("what holds a point holds it: around, nearer, rolling, the lens with the distance, and walking", () => {
    const shot = held();
    const at = projectPoint(camera, WORLD)!;
    const moves: HandMove[] = [
      "around-left",
      "around-up",
      "nearer",
      "farther",
      "roll-left",
      "tighter",
      "wider",
      "zoom-in",
      "walk-left",
      "raise",
    ];
    for (const move of moves) {
      const next = projectPoint(movedByHand(shot, camera, move, false, "view"), WORLD)!;
      expect(Math.hypot(next[0] - at[0], next[1] - at[1])).toBeLessThan(1e-6);
    }
  });

  test("opposite moves take each other back, and fine steps are a tenth", () => {
    const shot = held();
    const pairs: [HandMove, HandMove][] = [
      ["left", "right"],
      ["up", "down"],
      ["around-left", "around-right"],
      ["zoom-in", "zoom-out"],
      ["nearer", "farther"],
      ["walk-forward", "walk-back"],
    ];
    for (const [there, back] of pairs) {
      const moved = movedByHand(shot, camera, there, false, "z");
      const again = movedByHand(shot, moved, back, false, "z");
      expect(rotationAngleBetween(again.rotation, camera.rotation)).toBeLessThan(2e-3);
      expect(distance(again.position, camera.position)).toBeLessThan(0.03);
      expect(again.focalPx).toBeCloseTo(600, 6);
    }
    const coarse = rotationAngleBetween(movedByHand(shot, camera, "left", false, "view").rotation, camera.rotation);
    const fine = rotationAngleBetween(movedByHand(shot, camera, "left", true, "view").rotation, camera.rotation);
    expect(coarse / fine).toBeCloseTo(10, 1);
  });

  test("a turn about Z keeps the camera's height, tilt and roll", () => {
    const moved = movedByHand(held(), camera, "around-right", false, "z");
    expect(moved.position[2]).toBeCloseTo(1.6, 9);
    const [a, b] = [orientationAngles(camera.rotation), orientationAngles(moved.rotation)];
    expect(b.tilt).toBeCloseTo(a.tilt, 9);
    expect(b.roll).toBeCloseTo(a.roll, 9);
    expect(Math.abs(b.heading - a.heading)).toBeCloseTo(toRadians(0.5), 9);
  });

  test("locks hold back every move that would change what is locked, and no other", () => {
    const locks = { rotation: false, lens: true, position: false };
    expect(heldBack("zoom-in", locks)).toBe("lens");
    expect(heldBack("tighter", locks)).toBe("lens");
    expect(heldBack("left", locks)).toBeNull();
    expect(heldBack("around-left", { rotation: false, lens: false, position: true })).toBe("position");
  });

  test("with the rotation locked, walking does not turn back to the point", () => {
    const shot = held();
    shot.match.locks.rotation = true;
    expect(movedByHand(shot, camera, "walk-left", false, "view").rotation).toBe(camera.rotation);
    expect(movedByHand(shot, camera, "zoom-in", false, "view").rotation).toBe(camera.rotation);
  });

  test("keys: plain arrows turn, with Alt they walk, with Ctrl they go around", () => {
    expect(key("ArrowLeft")).toBe("left");
    expect(key("ArrowLeft", { altKey: true })).toBe("walk-left");
    expect(key("ArrowLeft", { ctrlKey: true })).toBe("around-left");
    expect(key("PageUp")).toBe("nearer");
    expect(key("PageUp", { altKey: true })).toBe("raise");
    expect(key("PageDown", { ctrlKey: true })).toBe("horizon-down");
    expect(key("+")).toBe("tighter");
    expect(key("x")).toBeNull();
  });
});
