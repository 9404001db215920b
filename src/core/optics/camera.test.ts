import { createRequire } from "node:module";
import { beforeAll, describe, expect, test } from "@jest/globals";
import type { Mat3, Vec2, Vec3 } from "#core/math/vec3";
import { apply, rotationAngleBetween, scale, sub, toDegrees, toRadians } from "#core/math/vec3";
import { solve } from "#core/match/solve";
import { between, gaussian, seeded } from "../../testing/random.ts";
import type { Camera } from "./camera.ts";
import {
  equivalents35mm,
  fieldsOfView,
  focalFromEquivalent,
  focalFromSensor,
  groundPlane,
  orientationAngles,
  pixelDirection,
  pixelOnLine,
  pixelOnPlane,
  projectPoint,
  rotationFromAngles,
} from "./camera.ts";
import { distort, foldsWithin, noDistortion, undistort } from "./distortion.ts";

/** The parts of OpenCV's npm build that serve as the reference. Its pixel centres lie on integers. */
interface Cv {
  onRuntimeInitialized: () => void;
  Mat: { new (): CvMat };
  matFromArray(rows: number, columns: number, type: number, data: number[]): CvMat;
  CV_64F: number;
  CV_64FC1: number;
  SOLVEPNP_ITERATIVE: number;
  projectPoints(o: CvMat, r: CvMat, t: CvMat, k: CvMat, d: CvMat, out: CvMat, jacobian: CvMat): void;
  undistortPoints?(src: CvMat, out: CvMat, k: CvMat, d: CvMat): void;
  Rodrigues(src: CvMat, out: CvMat): void;
  solvePnP(o: CvMat, i: CvMat, k: CvMat, d: CvMat, r: CvMat, t: CvMat, guess: boolean, flags: number): boolean;
}
interface CvMat {
  data64F: Float64Array;
  delete(): void;
}

let cv: Cv;
beforeAll(async () => {
  const require = createRequire(import.meta.url);
  try {
    // The module is a thenable that resolves to itself: awaiting it would never end.
    cv = require("@techstark/opencv-js") as Cv;
    if (!cv.Mat) await new Promise<void>((resolve) => (cv.onRuntimeInitialized = () => resolve()));
  } catch (error) {
    // An uncaught error would print the library's whole source line.
    // eslint-disable-next-line preserve-caught-error
    throw new Error(String((error as Error).message).slice(0, 300));
  }
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

  test("pose from points: no worse a fit than the iterative solver", () => {
    const random = seeded(14);
    for (let i = 0; i < 25; i++) {
      const camera = { ...randomCamera(random), distortion: noDistortion() };
      camera.rotation = rotationFromAngles({
        heading: between(random, -3, 3),
        tilt: between(random, -0.4, 0.1),
        roll: between(random, -0.05, 0.05),
      });
      const points = pointsBefore(random, camera, 8);
      const pixels = points.map((p) => {
        const q = projectPoint(camera, p)!;
        return [q[0] + gaussian(random), q[1] + gaussian(random)] as Vec2;
      });
      const { k, dist } = asCv(camera);
      const [r, t, m] = [new cv.Mat(), new cv.Mat(), new cv.Mat()];
      const o = cv.matFromArray(points.length, 3, cv.CV_64F, points.flat());
      const im = cv.matFromArray(
        points.length,
        2,
        cv.CV_64F,
        pixels.flat().map((v) => v - HALF),
      );
      cv.solvePnP(o, im, k, dist, r, t, false, cv.SOLVEPNP_ITERATIVE);
      cv.Rodrigues(r, m);
      const rows = [0, 1, 2].map((row) => [...m.data64F.slice(row * 3, row * 3 + 3)]) as Mat3;
      const error = (project: (p: Vec3) => Vec2 | null) =>
        Math.sqrt(points.reduce((s, p, j) => s + project(p)!.reduce((e, v, q) => e + (v - pixels[j][q]) ** 2, 0), 0));
      const reference = error((p) => {
        const c = apply(rows, p).map((v, q) => v + t.data64F[q]);
        return [
          (c[0] / c[2]) * camera.focalPx + camera.principal[0],
          (c[1] / c[2]) * camera.focalPx + camera.principal[1],
        ];
      });
      const answer = solve({
        plate: { width: camera.principal[0] * 2, height: camera.principal[1] * 2 },
        lens: { focalPx: camera.focalPx, principal: camera.principal, solve: [] },
        tiePoints: points.map((world, j) => ({ id: `t${j}`, world, pixel: pixels[j] })),
      });
      const own = error((p) => projectPoint(answer.camera! as Camera, p));
      expect(own).toBeLessThan(reference * 1.0001);
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

describe("lens arithmetic", () => {
  test("55 mm on a sensor 22.3 mm wide sees 22.9° across", () => {
    // Common practice, no published source (docs/design.md section 13).
    const frame = { width: 5184, height: 3456 };
    const focalPx = focalFromSensor(55, 22.3, frame);
    const { horizontal } = fieldsOfView({ focalPx, principal: [2592, 1728] }, frame);
    expect(toDegrees(horizontal)).toBeCloseTo(22.9, 1);
    expect(Math.round(focalPx)).toBe(12786);
  });

  test("35 mm equivalents: a full 36 × 24 frame keeps its focal length by diagonal and by width", () => {
    // CIPA DC-008 (EXIF 2.3) counts FocalLengthIn35mmFilm by the diagonal of 43.27 mm.
    const frame = { width: 6000, height: 4000 };
    const eq = equivalents35mm(focalFromSensor(50, 36, frame), frame);
    expect(eq.diagonal).toBeCloseTo(50, 6);
    expect(eq.width).toBeCloseTo(50, 6);
    expect(Math.hypot(36, 24)).toBeCloseTo(43.27, 2);
    // A frame of 4:3 shows the difference.
    const square = { width: 4000, height: 3000 };
    const f = focalFromEquivalent(28, square);
    expect(equivalents35mm(f, square).diagonal).toBeCloseTo(28, 9);
    expect(equivalents35mm(f, square).width).toBeCloseTo((28 * 36 * 5) / (4 * Math.hypot(36, 24)), 6);
  });

  test("a fold inside the frame is seen, an ordinary lens is not accused", () => {
    expect(foldsWithin({ ...noDistortion(), k1: -0.4 }, 1)).toBe(true);
    expect(foldsWithin({ ...noDistortion(), k1: -0.05 }, 0.9)).toBe(false);
  });

  test("angles", () => expect(toRadians(180)).toBeCloseTo(Math.PI, 12));
});
