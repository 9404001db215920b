import { expect, test } from "@jest/globals";
import { withMirrorBall } from "#core/render/mirrorBall";
import { makePart } from "#core/set/parts/make";
import { typedVertex } from "#core/set/vertex";
import { rotationFromAngles } from "#core/optics/camera";
import { noDistortion } from "#core/optics/distortion";
import type { Shot } from "#core/shot/schema";
import { testShot } from "../testing/shots.ts";
import { plateOf } from "./plateRows.ts";
import { renderShot } from "./renderShot.ts";

/** A grey hall around the camera, looked at along Y: its far half is on the plate, its near half behind the camera. */
function hall(): Shot {
  const shot = testShot(96, 64);
  shot.solved = {
    camera: {
      focalPx: 80,
      principal: [48, 32],
      distortion: noDistortion(),
      rotation: rotationFromAngles({ heading: 0, tilt: -0.2, roll: 0 }),
      position: [0, 0, 1.6],
    },
    evidence: "",
    rmsPx: null,
    sigma: null,
  };
  const floor = [
    [-4, -4],
    [4, -4],
    [4, 8],
    [-4, 8],
  ].map(([x, y]) => typedVertex([x, y, 0]));
  shot.set = {
    "room-1": makePart("room-1", "Hall", { kind: "room", floor, height: 4 }, Object.keys(shot.materials)[0]),
  };
  shot.light.sun.on = false;
  shot.light.sky.radiance = [1, 1, 1];
  shot.set["room-1"].flags.blocks = false;
  return shot;
}

test("in the ball, what is behind the camera is loud, what the plate shows is not, and the plate itself is as before", async () => {
  const shot = hall();
  const codes = new Uint8Array(96 * 64 * 3).fill(120);
  const ball = withMirrorBall(shot, true);
  expect(Object.keys(ball.props)).toEqual(["mirror-ball"]);
  expect(withMirrorBall(shot, false).materials).toBe(shot.materials);
  const passes = await renderShot(ball, plateOf(shot, codes), new Map(), { samples: 8, limit: 0 }, { threads: 1 });
  let [loud, plain] = [0, 0];
  for (let i = 0; i < 96 * 64; i++) {
    const [r, g, , a] = passes.prop.subarray(i * 4, i * 4 + 4);
    if (a < 0.999) continue;
    // The hall's own colour reflects hardly any green.
    if (g < 0.25 * r) loud++;
    else if (Math.abs(g - r) < 0.1 * r) plain++;
  }
  // A ball shows what is behind the camera in its middle, what is before it in its rim.
  expect(loud).toBeGreaterThan(20);
  expect(plain).toBeGreaterThan(20);
});

test("without a camera there is no ball, and the shot is as it was", () => {
  const shot = hall();
  shot.solved = null;
  expect(withMirrorBall(shot, true)).toBe(shot);
});
