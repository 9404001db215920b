import { beforeAll, describe, expect, test } from "@jest/globals";
import { apply } from "../math/vec3.ts";
import type { Mat3, Vec2, Vec3 } from "../math/vec3.ts";
import type { Camera } from "../optics/camera.ts";
import { projectPoint, rotationFromAngles } from "../optics/camera.ts";
import { noDistortion } from "../optics/distortion.ts";
import { openCv } from "../../testing/openCv.ts";
import type { Cv } from "../../testing/openCv.ts";
import { between, gaussian, seeded } from "../../testing/random.ts";
import { poseFromSpace, posesFromPlane } from "./pose.ts";
import { solve } from "./solve.ts";

const HALF = 0.5;
let cv: Cv;
beforeAll(async () => {
  cv = await openCv();
});

function cameraOf(random: () => number): Camera {
  return {
    focalPx: between(random, 900, 2600),
    principal: [960, 640],
    distortion: noDistortion(),
    rotation: rotationFromAngles({
      heading: between(random, -3, 3),
      tilt: between(random, -0.9, 0.6),
      roll: between(random, -3, 3),
    }),
    position: [between(random, -5, 5), between(random, -5, 5), between(random, 0.5, 4)],
  };
}

/** Points before the camera: filling a box, or on a plane through its middle that is not seen edge on. */
function pointsBefore(random: () => number, camera: Camera, count: number, planar: boolean): Vec3[] {
  const [right, down, forward] = camera.rotation;
  const depth = between(random, 4, 12);
  const half = (0.4 * 1200 * depth) / camera.focalPx;
  const lean: Vec2 = [between(random, -0.9, 0.9), between(random, -0.9, 0.9)];
  const points: Vec3[] = [];
  while (points.length < count) {
    const [x, y] = [between(random, -half, half), between(random, -half, half)];
    const z = planar ? lean[0] * x + lean[1] * y : between(random, -half, half);
    const p = [0, 1, 2].map((k) => camera.position[k] + right[k] * x + down[k] * y + forward[k] * (depth + z)) as Vec3;
    const q = projectPoint(camera, p);
    if (depth + z > 1 && q && q[0] > 0 && q[1] > 0 && q[0] < 1920 && q[1] < 1280) points.push(p);
  }
  return points;
}

/** Root of the summed squares of the reprojection error of OpenCV's iterative solver (Levenberg-Marquardt). */
function referenceError(camera: Camera, points: Vec3[], pixels: Vec2[]): number {
  const { focalPx: f, principal } = camera;
  const mats = [
    cv.matFromArray(points.length, 3, cv.CV_64F, points.flat()),
    cv.matFromArray(
      points.length,
      2,
      cv.CV_64F,
      pixels.flat().map((v) => v - HALF),
    ),
    cv.matFromArray(3, 3, cv.CV_64F, [f, 0, principal[0] - HALF, 0, f, principal[1] - HALF, 0, 0, 1]),
    cv.matFromArray(1, 5, cv.CV_64F, [0, 0, 0, 0, 0]),
  ];
  const [r, t, m] = [new cv.Mat(), new cv.Mat(), new cv.Mat()];
  cv.solvePnP(mats[0], mats[1], mats[2], mats[3], r, t, false, cv.SOLVEPNP_ITERATIVE);
  cv.Rodrigues(r, m);
  const rows = [0, 1, 2].map((row) => [...m.data64F.slice(row * 3, row * 3 + 3)]) as Mat3;
  const shift = [...t.data64F];
  for (const mat of [...mats, r, t, m]) mat.delete();
  return Math.sqrt(
    points.reduce((sum, p, j) => {
      const c = apply(rows, p).map((v, q) => v + shift[q]);
      const [u, v] = [(c[0] / c[2]) * f + principal[0], (c[1] / c[2]) * f + principal[1]];
      return sum + (u - pixels[j][0]) ** 2 + (v - pixels[j][1]) ** 2;
    }, 0),
  );
}

describe("pose from tie points", () => {
  test("200 random sets, a third of them planar: no worse a fit than OpenCV's iterative solver", () => {
    const random = seeded(14);
    let worse = 0;
    for (let i = 0; i < 200; i++) {
      const planar = i % 3 === 0;
      const camera = cameraOf(random);
      const points = pointsBefore(random, camera, planar ? 4 + (i % 5) : 6 + (i % 6), planar);
      const pixels = points.map((p) => {
        const q = projectPoint(camera, p)!;
        return [q[0] + gaussian(random), q[1] + gaussian(random)] as Vec2;
      });
      const answer = solve({
        plate: { width: 1920, height: 1280 },
        lens: { focalPx: camera.focalPx, solve: [] },
        tiePoints: points.map((world, j) => ({ id: `t${j}`, world, pixel: pixels[j] })),
      });
      const own = Math.sqrt(
        points.reduce((s, p, j) => {
          const q = projectPoint(answer.camera!, p)!;
          return s + (q[0] - pixels[j][0]) ** 2 + (q[1] - pixels[j][1]) ** 2;
        }, 0),
      );
      if (own > referenceError(camera, points, pixels) * 1.0001 + 1e-6) worse++;
    }
    expect(worse).toBe(0);
  });

  test("exact points give the exact camera in closed form: six in space with its focal length, four in a plane", () => {
    const random = seeded(3);
    for (let i = 0; i < 40; i++) {
      const camera = cameraOf(random);
      const lens = { principal: camera.principal, distortion: camera.distortion };
      const ties = (points: Vec3[]) => points.map((world) => ({ world, pixel: projectPoint(camera, world)! }));
      const space = poseFromSpace(lens, 1920, ties(pointsBefore(random, camera, 7, false)))!;
      expect(space.focalPx / camera.focalPx).toBeCloseTo(1, 4);
      space.position.forEach((v, k) => expect(v).toBeCloseTo(camera.position[k], 2));
      const plane = posesFromPlane(lens, 1920, ties(pointsBefore(random, camera, 6, true)), camera.focalPx);
      const nearest = Math.min(...plane.map((p) => Math.hypot(...p.position.map((v, k) => v - camera.position[k]))));
      expect(nearest).toBeLessThan(0.02);
    }
  });

  test("points in a line or too few leave the pose open", () => {
    const lens = { principal: [960, 640] as Vec2, distortion: noDistortion() };
    const line = [0, 1, 2, 3].map((k) => ({ world: [k, 0, 0] as Vec3, pixel: [100 * k, 5] as Vec2 }));
    expect(posesFromPlane(lens, 1920, line, 1000)).toEqual([]);
    expect(poseFromSpace(lens, 1920, line)).toBeNull();
  });

  test("four points with a known lens, six without: fewer are refused with what is missing", () => {
    const tie = (k: number) => ({
      id: `t${k}`,
      pixel: [200 + 300 * k, 700 - 90 * (k % 2)] as Vec2,
      world: [k, 3 + (k % 2), 0] as Vec3,
    });
    const answer = solve({
      plate: { width: 1920, height: 1280 },
      lens: { focalPx: 1500, solve: [] },
      tiePoints: [0, 1, 2].map(tie),
    });
    expect(answer.camera).toBeNull();
    expect(answer.findings[0].message).toMatch(/four|4/);
    const open = solve({ plate: { width: 1920, height: 1280 }, tiePoints: [0, 1, 2, 3, 4].map(tie) });
    expect(open.camera).toBeNull();
    expect(open.findings[0].message).toMatch(/six/);
  });
});
