import { expect, test } from "@jest/globals";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { pixelOnPlane, projectPoint } from "#core/optics/camera";
import type { SetRecord } from "#core/set/parts/index";
import { makePart } from "#core/set/parts/make";
import { settle } from "#core/set/settle";
import { measurePart } from "#core/set/sizes";
import { placedVertex, typedVertex } from "#core/set/vertex";
import { documentOf } from "../demo/documents.ts";
import * as loft from "../demo/netloft.ts";
import { gaussian, seeded } from "../testing/random.ts";

/** The net loft's bench on its own plate, drawn by clicks of 1 px noise through the true camera, and laid onto the edges. */

const { camera, bench } = loft;

test("clicked a pixel off, the bench comes to its true size on the edges that the plate shows", async () => {
  const { plate } = await documentOf("netloft");
  const random = seeded(5);
  const REPEATS = 40;
  const errors: { clicked: number[]; settled: number[] } = { clicked: [], settled: [] };
  for (let i = 0; i < REPEATS; i++) {
    const clicked = (p: Vec3) => {
      const [u, v] = projectPoint(camera, p)!;
      const pixel: Vec2 = [u + gaussian(random), v + gaussian(random)];
      return placedVertex(pixelOnPlane(camera, pixel, { normal: [0, 0, 1], offset: bench.top })!, pixel);
    };
    const corners: Vec3[] = [
      [bench.x0, bench.y0, bench.top],
      [bench.x1, bench.y0, bench.top],
      [bench.x1, bench.y1, bench.top],
      [bench.x0, bench.y1, bench.top],
    ];
    const vertices = corners.map(clicked);
    const set: SetRecord = { top: makePart("top", "Bench", { kind: "polygon", vertices, holes: [] }, "m") };
    const found = settle(set, "top", camera, plate);
    if (typeof found === "string") throw new Error(found);
    expect(found.edges).toBe(4);
    const off = (of: SetRecord) => {
      const [long, across] = measurePart(of, of.top).extent;
      return [Math.abs(long - (bench.x1 - bench.x0)), Math.abs(across - (bench.y1 - bench.y0))];
    };
    errors.clicked.push(...off(set));
    errors.settled.push(...off({ ...set, top: found.part }));
  }
  const rms = (list: number[]) => Math.sqrt(list.reduce((sum, x) => sum + x * x, 0) / list.length);
  console.log(
    `bench, rms off: clicked ${(1000 * rms(errors.clicked)).toFixed(1)} mm, settled ${(1000 * rms(errors.settled)).toFixed(1)} mm, at most ${(1000 * Math.max(...errors.settled)).toFixed(1)} mm`,
  );
  expect(rms(errors.settled)).toBeLessThan(0.25 * rms(errors.clicked));
  for (const error of errors.settled) expect(error).toBeLessThan(0.006);
});

test("what was typed, and what stands where the plate is even, is left alone with a sentence", async () => {
  const { plate } = await documentOf("netloft");
  const typed = [0, 1, 2].map((i) => typedVertex([i, i * i, 0]));
  const set: SetRecord = { own: makePart("own", "Own", { kind: "polygon", vertices: typed, holes: [] }, "m") };
  expect(settle(set, "own", camera, plate)).toMatch(/typed corners stay/);
  const white = { ...plate, linear: new Float32Array(plate.linear.length).fill(0.5) };
  const pixels: Vec2[] = [
    [500, 600],
    [600, 600],
    [600, 660],
    [500, 660],
  ];
  const vertices = pixels.map((p) => placedVertex(pixelOnPlane(camera, p, { normal: [0, 0, 1], offset: 0 })!, p));
  const even: SetRecord = { own: makePart("own", "Own", { kind: "polygon", vertices, holes: [] }, "m") };
  expect(settle(even, "own", camera, white)).toMatch(/no clear edges/);
  const many = Array.from({ length: 20 }, () => vertices).flat();
  const crowd: SetRecord = { own: makePart("own", "Own", { kind: "polygon", vertices: many, holes: [] }, "m") };
  expect(settle(crowd, "own", camera, plate)).toMatch(/too many clicked corners/);
});
