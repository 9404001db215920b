import { beforeAll, describe, expect, test } from "@jest/globals";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { apply, rotationAngleBetween, scale, sub } from "#core/math/vec3";
import { between, seeded } from "../../testing/random.ts";
import type { Camera } from "./camera.ts";
import {
  groundPlane,
  orientationAngles,
  pixelDirection,
  pixelOnLine,
  pixelOnPlane,
  projectPoint,
  rotationFromAngles,
} from "./camera.ts";
import { distort, foldsWithin, noDistortion, undistort } from "./distortion.ts";
import { openCv } from "../../testing/openCv.ts";
import type { Cv } from "../../testing/openCv.ts";

/** The parts of OpenCV's npm build that serve as the reference. Its pixel centres lie on integers. */
let cv: Cv;
beforeAll(async () => {
  cv = await openCv();
});

const HALF = 0.5;

function randomCamera(random: () => number): Camera {
  return {
    focalPx: between(random, 800, 2400),
    principal: [between(random, 600, 1000), between(random, 400, 700)],
    distortion: {
      k1: between(random, -0.08, 0.05),
      k2: between(random, -0.01, 0.01),
      k3: between(random, -0.002, 0.002),
      p1: between(random, -0.002, 0.002),
      p2: between(random, -0.002, 0.002),
    },
    rotation: rotationFromAngles({
      heading: between(random, -3, 3),
      tilt: between(random, -0.6, 0.6),
      roll: between(random, -0.3, 0.3),
    }),
    position: [between(random, -3, 3), between(random, -3, 3), between(random, 1, 4)],
  };
}

/** World points in front of the camera, within a fair field of view. */
const pointsBefore = (random: () => number, camera: Camera, count: number): Vec3[] =>
  Array.from({ length: count }, () => {
    const z = between(random, 3, 12);
    const local: Vec3 = [between(random, -0.45, 0.45) * z, between(random, -0.35, 0.35) * z, z];
    const r = camera.rotation;
    const world = [0, 1, 2].map((k) => r[0][k] * local[0] + r[1][k] * local[1] + r[2][k] * local[2]);
    return world.map((v, k) => v + camera.position[k]) as Vec3;
  });

function asCv(camera: Camera) {
  const { focalPx: f, principal: c, distortion: d, rotation } = camera;
  const k = cv.matFromArray(3, 3, cv.CV_64F, [f, 0, c[0] - HALF, 0, f, c[1] - HALF, 0, 0, 1]);
  const dist = cv.matFromArray(5, 1, cv.CV_64F, [d.k1, d.k2, d.p1, d.p2, d.k3]);
  const m = cv.matFromArray(3, 3, cv.CV_64F, rotation.flat());
  const r = new cv.Mat();
  cv.Rodrigues(m, r);
  const t = cv.matFromArray(3, 1, cv.CV_64F, scale(apply(rotation, camera.position), -1));
  return { k, dist, r, t };
}

describe("against OpenCV's camera model", () => {
  test("projection", () => {
    const random = seeded(4);
    for (let i = 0; i < 20; i++) {
      const camera = randomCamera(random);
      const points = pointsBefore(random, camera, 30);
      const { k, dist, r, t } = asCv(camera);
      const out = new cv.Mat();
      cv.projectPoints(cv.matFromArray(points.length, 3, cv.CV_64F, points.flat()), r, t, k, dist, out, new cv.Mat());
      points.forEach((p, j) => {
        const own = projectPoint(camera, p)!;
        expect(own[0]).toBeCloseTo(out.data64F[j * 2] + HALF, 6);
        expect(own[1]).toBeCloseTo(out.data64F[j * 2 + 1] + HALF, 6);
      });
    }
  });

  test("undistortion inverts the distortion", () => {
    const random = seeded(6);
    for (let i = 0; i < 200; i++) {
      const { distortion } = randomCamera(random);
      const p: Vec2 = [between(random, -0.6, 0.6), between(random, -0.4, 0.4)];
      const back = undistort(distortion, distort(distortion, p));
      expect(back[0]).toBeCloseTo(p[0], 10);
      expect(back[1]).toBeCloseTo(p[1], 10);
    }
  });
});

describe("rays and planes", () => {
  const random = seeded(2);

  test("a pixel's ray passes through the point that projects there", () => {
    for (let i = 0; i < 50; i++) {
      const camera = randomCamera(random);
      for (const p of pointsBefore(random, camera, 5)) {
        const d = sub(p, camera.position);
        const ray = pixelDirection(camera, projectPoint(camera, p)!);
        const l = Math.hypot(...d);
        ray.forEach((v, k) => expect(v).toBeCloseTo(d[k] / l, 8));
      }
    }
  });

  test("ground and height come back from their pixels", () => {
    const camera: Camera = {
      ...randomCamera(random),
      rotation: rotationFromAngles({ heading: 0.3, tilt: -0.2, roll: 0.02 }),
      position: [1, -6, 1.7],
    };
    const foot: Vec3 = [2.5, -1, 0];
    const found = pixelOnPlane(camera, projectPoint(camera, foot)!, groundPlane())!;
    found.forEach((v, k) => expect(v).toBeCloseTo(foot[k], 8));
    const height = pixelOnLine(camera, projectPoint(camera, [2.5, -1, 0.75])!, foot, [0, 0, 1]);
    expect(height).toBeCloseTo(0.75, 8);
    expect(pixelOnPlane(camera, [camera.principal[0], -2000], groundPlane())).toBeNull();
  });

  test("heading, tilt and roll survive the round trip; a camera turned clockwise has its right side lower", () => {
    for (let i = 0; i < 50; i++) {
      const angles = {
        heading: between(random, -3, 3),
        tilt: between(random, -1.3, 1.3),
        roll: between(random, -1, 1),
      };
      const back = orientationAngles(rotationFromAngles(angles));
      expect(back.heading).toBeCloseTo(angles.heading, 9);
      expect(back.tilt).toBeCloseTo(angles.tilt, 9);
      expect(back.roll).toBeCloseTo(angles.roll, 9);
    }
    expect(rotationFromAngles({ heading: 0, tilt: 0, roll: 0.1 })[0][2]).toBeLessThan(0);
    expect(
      rotationAngleBetween(
        rotationFromAngles({ heading: 0, tilt: 0, roll: 0 }),
        rotationFromAngles({ heading: 0.4, tilt: 0, roll: 0 }),
      ),
    ).toBeCloseTo(0.4, 9);
  });
});

test("a fold inside the frame is seen, an ordinary lens is not accused", () => {
  expect(foldsWithin({ ...noDistortion(), k1: -0.4 }, 1)).toBe(true);
  expect(foldsWithin({ ...noDistortion(), k1: -0.05 }, 0.9)).toBe(false);
});
