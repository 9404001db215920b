import { describe, expect, test } from "@jest/globals";
import type { Vec2, Vec3 } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { projectPoint, rotationFromAngles } from "#core/optics/camera";
import { noDistortion } from "#core/optics/distortion";
import {
  PERSON_HEIGHT,
  boxLines,
  checkerCells,
  cornerLines,
  horizonLine,
  lineThrough,
  personRing,
  planeGrid,
  poleLines,
  worldLine,
} from "./guides.ts";

const camera: Camera = {
  focalPx: 1250,
  principal: [810, 540],
  distortion: { ...noDistortion(), k1: -0.05 },
  rotation: rotationFromAngles({ heading: 0.6, tilt: -0.09, roll: 0.01 }),
  position: [-4, -9, 1.6],
};
const at = (p: Vec3): Vec2 => projectPoint(camera, p)!;
const close = (a: Vec2, b: Vec2, off = 1e-6) => expect(Math.hypot(a[0] - b[0], a[1] - b[1])).toBeLessThan(off);

describe("world lines on the plate", () => {
  test("run through the lens, from end to end, bent where it bends", () => {
    const line = worldLine(camera, [-2, -3, 0], [3, 1, 0]);
    close(line[0], at([-2, -3, 0]));
    close(line[12], at([3, 1, 0]));
    for (const p of line) expect(p.every(Number.isFinite)).toBe(true);
    expect(worldLine({ ...camera, distortion: noDistortion() }, [-2, -3, 0], [3, 1, 0])).toHaveLength(2);
  });

  test("behind the camera there is nothing, and a line through it is cut", () => {
    expect(worldLine(camera, [-10, -20, 0], [-12, -30, 0])).toEqual([]);
    const cut = worldLine(camera, [-10, -20, 0], [3, 1, 0]);
    close(cut[cut.length - 1], at([3, 1, 0]));
  });

  test("where a barrel lens folds back, far points do not come back into the frame", () => {
    // Ground far to the side: its polynomial image would land inside again.
    const wide = { ...camera, distortion: { ...noDistortion(), k1: -0.3 } };
    for (const line of planeGrid(wide, "ground", 0)) {
      for (const [u, v] of line) {
        // The ground lies below the horizon everywhere.
        if (u > 0 && u < 1620 && v > 0 && v < 1080) expect(v).toBeGreaterThan(380);
      }
    }
  });
});

describe("what is laid over the plate", () => {
  test("the horizon is where level rays go", () => {
    const level: Camera = { ...camera, distortion: noDistortion() };
    const line = horizonLine(level, { width: 1620, height: 1080 });
    const far = projectPoint(level, [-4 + 1e7 * Math.sin(0.6), -9 + 1e7 * Math.cos(0.6), 1.6])!;
    const nearest = Math.min(...line.map((p) => Math.hypot(p[0] - far[0], p[1] - far[1])));
    expect(nearest).toBeLessThan(60);
    for (let i = 1; i < line.length; i++) expect(line[i][0]).toBeGreaterThan(line[i - 1][0]);
  });

  test("the ground's grid has lines both ways through whole metres; upright ones stand on the ground", () => {
    const lines = planeGrid(camera, "ground", 0);
    expect(lines.length).toBeGreaterThan(20);
    const corner = at([-1, -3, 0]);
    const passes = lines.filter((l) => l.some((p, i) => i > 0 && distanceTo(l[i - 1], p, corner) < 0.8));
    expect(passes.length).toBeGreaterThanOrEqual(2);
    const upright = planeGrid(camera, "facing-y", 4);
    expect(upright.length).toBeGreaterThan(10);
    const foot = at([0, 4, 0]);
    expect(upright.some((l) => l.some((p, i) => i > 0 && distanceTo(l[i - 1], p, foot) < 0.8))).toBe(true);
  });

  test("box, pole, corner and checker have the sizes they say", () => {
    const box = boxLines(camera, [0, 0, 0], [1, 2, 0.5]);
    expect(box).toHaveLength(12);
    expect(box.some((l) => Math.hypot(l[0][0] - at([0, 0, 0])[0], l[0][1] - at([0, 0, 0])[1]) < 1e-6)).toBe(true);
    const pole = poleLines(camera, [1, 0, 0], 3);
    close(pole[0][0], at([1, 0, 0]));
    close(pole[0][pole[0].length - 1], at([1, 0, 3]));
    expect(pole).toHaveLength(8);
    expect(cornerLines(camera, [0, 0, 0])).toHaveLength(24);
    const cells = checkerCells(camera, [0, 0, 0], 0.5, 2);
    expect(cells).toHaveLength(8);
    expect(cells.flat().some((p) => Math.hypot(p[0] - at([-1, -1, 0])[0], p[1] - at([-1, -1, 0])[1]) < 1e-6)).toBe(
      true,
    );
  });

  test("a person of 1.71 m before a camera at 1.6 m reaches a little over the horizon", () => {
    const upright: Camera = {
      ...camera,
      distortion: noDistortion(),
      rotation: rotationFromAngles({ heading: 0.6, tilt: 0, roll: 0 }),
    };
    const ring = personRing(upright, [0, -3, 0]);
    const top = Math.min(...ring.map((p) => p[1]));
    const foot = projectPoint(upright, [0, -3, 0])!;
    // Heights against the horizon: 1.71 m over 1.6 m.
    expect((foot[1] - top) / (foot[1] - 540)).toBeCloseTo(PERSON_HEIGHT / 1.6, 2);
    expect(personRing(upright, [-8, -20, 0])).toEqual([]);
  });

  test("the directions at a pixel are those of edges there", () => {
    const p: Vec3 = [0.5, -2, 0.8];
    const along = lineThrough(camera, at(p), [1, 0, 0], 150);
    close(along[4], at(p));
    const next = at([p[0] + 0.05, p[1], p[2]]);
    const [dx, dy] = [along[5][0] - along[4][0], along[5][1] - along[4][1]];
    const cross = (next[0] - along[4][0]) * dy - (next[1] - along[4][1]) * dx;
    expect(Math.abs(cross) / Math.hypot(dx, dy)).toBeLessThan(0.02);
  });
});

/** Distance of a point from a segment, pixels. */
function distanceTo(a: Vec2, b: Vec2, p: Vec2): number {
  const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
  const t = Math.min(1, Math.max(0, ((p[0] - a[0]) * dx + (p[1] - a[1]) * dy) / (dx * dx + dy * dy || 1)));
  return Math.hypot(p[0] - a[0] - t * dx, p[1] - a[1] - t * dy);
}
