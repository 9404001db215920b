import { describe, expect, test } from "@jest/globals";
import type { Vec2, Vec3 } from "../math/vec3.ts";
import { distance, rotationAngleBetween, toRadians } from "../math/vec3.ts";
import type { Camera } from "../optics/camera.ts";
import { orientationAngles, projectPoint, rotationFromAngles } from "../optics/camera.ts";
import { noDistortion } from "../optics/distortion.ts";
import {
  aimAt,
  approach,
  focalWithDistance,
  metresPerPixel,
  moveHorizon,
  orbit,
  ownAxis,
  plainCamera,
  roll,
  rollAbout,
  slidePicture,
  straighten,
  walk,
  zoomLens,
} from "./handMoves.ts";

const camera: Camera = {
  focalPx: 1400,
  principal: [960, 640],
  distortion: { ...noDistortion(), k1: -0.04 },
  rotation: rotationFromAngles({ heading: 0.4, tilt: -0.2, roll: 0.03 }),
  position: [1, -3, 1.7],
};
const POINT: Vec3 = [3.4, 1.5, 0.2];
const pixelOf = (c: Camera, p: Vec3 = POINT): Vec2 => projectPoint(c, p)!;
const stays = (c: Camera) => {
  const [a, b] = [pixelOf(camera), pixelOf(c)];
  expect(Math.hypot(a[0] - b[0], a[1] - b[1])).toBeLessThan(1e-6);
};

describe("moves that hold a world point on its pixel", () => {
  test("around it about any axis, nearer and farther, rolling about it, and the lens with the distance", () => {
    for (const axis of [[0, 0, 1], [1, 0, 0], [0, 1, 0], ownAxis(camera, 0)] as Vec3[]) {
      const moved = orbit(camera, POINT, axis, 0.3);
      stays(moved);
      expect(distance(moved.position, POINT)).toBeCloseTo(distance(camera.position, POINT), 9);
      expect(distance(moved.position, camera.position)).toBeGreaterThan(0.1);
    }
    stays(approach(camera, POINT, 0.7));
    stays(rollAbout(camera, POINT, 0.2));
    stays(focalWithDistance(camera, POINT, 1.3));
  });

  test("the lens with the distance keeps the size of what stands at the point, and changes what is behind it", () => {
    const plain = { ...camera, distortion: noDistortion() };
    const beside = POINT.map((v, k) => v + ownAxis(plain, 0)[k] * 0.5) as Vec3;
    const behind = beside.map((v, k) => v + plain.rotation[2][k] * 4) as Vec3;
    const span = (c: Camera, p: Vec3) => pixelOf(c, p)[0] - pixelOf(c)[0];
    const far = focalWithDistance(plain, POINT, 1.5);
    expect(span(far, beside)).toBeCloseTo(span(plain, beside), 6);
    expect(Math.abs(span(far, behind) - span(plain, behind))).toBeGreaterThan(5);
  });

  test("walking and zooming turn the camera back to the point, unless turns are locked", () => {
    const hold = { point: POINT, pixel: pixelOf(camera) };
    const stepped = walk(camera, { right: 0.4, up: 0.2 }, hold, true);
    stays(stepped);
    expect(stepped.position[2]).toBeCloseTo(1.9, 9);
    const locked = walk(camera, { right: 0.4 }, hold, false);
    expect(locked.rotation).toBe(camera.rotation);
    stays(zoomLens(camera, 1.2, hold));
    expect(zoomLens(camera, 1.2, null).rotation).toBe(camera.rotation);
  });
});

describe("nudges in the picture", () => {
  test("sliding brings what was at one pixel to another, and aiming a point to a pixel", () => {
    const at = pixelOf(camera);
    const slid = slidePicture(camera, at, [at[0] + 40, at[1] - 25]);
    expect(pixelOf(slid)[0]).toBeCloseTo(at[0] + 40, 6);
    expect(pixelOf(slid)[1]).toBeCloseTo(at[1] - 25, 6);
    const aimed = aimAt(camera, POINT, [960, 640]);
    expect(pixelOf(aimed)[0]).toBeCloseTo(960, 6);
    expect(slidePicture(camera, at, at)).toBe(camera);
  });

  test("the horizon moves by the pixels asked for at the middle of a level frame, the roll stays", () => {
    const level: Camera = {
      ...camera,
      distortion: noDistortion(),
      rotation: rotationFromAngles({ heading: 0, tilt: 0, roll: 0 }),
    };
    const moved = moveHorizon(level, 35);
    // Far level points lie on the horizon.
    const far = pixelOf(moved, [0, 1e7, level.position[2]]);
    expect(far[1]).toBeCloseTo(640 + 35, 3);
    expect(orientationAngles(moved.rotation).roll).toBeCloseTo(0, 12);
  });

  test("roll turns about the optical axis; straightening takes roll, and tilt if asked", () => {
    expect(rotationAngleBetween(roll(camera, 0.1).rotation, camera.rotation)).toBeCloseTo(0.1, 9);
    expect(orientationAngles(roll(camera, 0.1).rotation).roll).toBeGreaterThan(orientationAngles(camera.rotation).roll);
    const upright = orientationAngles(straighten(camera, false).rotation);
    expect(upright.roll).toBeCloseTo(0, 12);
    expect(upright.tilt).toBeCloseTo(-0.2, 12);
    expect(orientationAngles(straighten(camera, true).rotation).tilt).toBeCloseTo(0, 12);
  });

  test("forward is level whatever the tilt; a pixel's metres grow with depth", () => {
    const steep: Camera = { ...camera, rotation: rotationFromAngles({ heading: toRadians(90), tilt: -1, roll: 0 }) };
    const stepped = walk(steep, { forward: 2 }, null, true);
    expect(stepped.position[0]).toBeCloseTo(camera.position[0] + 2, 9);
    expect(stepped.position[2]).toBeCloseTo(camera.position[2], 12);
    expect(metresPerPixel(camera, POINT)).toBeGreaterThan(0.001);
    expect(metresPerPixel(camera, [8, 9, 0])).toBeGreaterThan(metresPerPixel(camera, POINT));
  });

  test("a plain camera stands at eye height with a normal view", () => {
    const c = plainCamera({ width: 3000, height: 2000 }, null);
    expect(c.position[2]).toBeCloseTo(1.6, 6);
    // 35 mm equivalent by the diagonal: 0.81 × 43.27 mm.
    expect((c.focalPx * Math.hypot(36, 24)) / Math.hypot(3000, 2000)).toBeCloseTo(35, 0);
    expect(plainCamera({ width: 3000, height: 2000 }, 2222).focalPx).toBe(2222);
  });
});
