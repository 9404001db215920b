import { readFile } from "node:fs/promises";
import { fileURLToPath } from "node:url";
import { describe, expect, test } from "@jest/globals";
import { randomCamera, randomEdge } from "../../testing/marks.ts";
import { seeded } from "../../testing/random.ts";
import { testPlate } from "../../testing/shots.ts";
import { halfEncoding, isFloat, srgbEncoding } from "../image/profile.ts";
import { evidenceKey, markSigma, requestOfShot } from "../match/requestOfShot.ts";
import { newEdge } from "../match/schema.ts";
import { solve } from "../match/solve.ts";
import { rotationAngleBetween } from "../math/vec3.ts";
import { projectPoint } from "../optics/camera.ts";
import type { PlateInfo } from "../plate/schema.ts";
import { makeEdit, takeStep } from "./edits.ts";
import { noVersion, onPlate, takeVersion } from "./plateVersion.ts";
import type { Shot } from "./schema.ts";
import { ShotSchema, parseShot } from "./schema.ts";

const kept = fileURLToPath(new URL("../../testing/kept/shot-7.json", import.meta.url));

/** A shot of 96 × 64 pixels with something of every kind that lies on the plate. */
async function fullShot(): Promise<Shot> {
  const shot = parseShot(JSON.parse(await readFile(kept, "utf8")));
  const plate = "main";
  shot.ties["tie-1"] = { id: "tie-1", plate, pixel: [30, 40], world: [0, 0, 0], muted: false };
  shot.horizon["horizon-1"] = { id: "horizon-1", plate, pixel: [10, 12] };
  shot.gauges["gauge-1"] = {
    id: "gauge-1",
    plate,
    kind: "tape",
    points: [
      [4, 5],
      [6, 7],
    ],
  };
  shot.lens.focalPx = 90;
  shot.lens.principal = [47, 31];
  shot.lens.crop = { width: 120, height: 80, left: 12, top: 8 };
  shot.match.held = { world: [0, 0, 0], pixel: [50, 33] };
  shot.solved!.rmsPx = 0.5;
  shot.solved!.sigma = { focalPx: 2, rotationDeg: [0.1, 0.2, 0.3], positionM: null, cameraHeightM: 0.02 };
  shot.light.shadows["shade-1"] = {
    id: "shade-1",
    plate,
    points: [
      [1, 2],
      [3, 4],
      [5, 9],
    ],
    feather: 2,
    hidesSky: 0.5,
  };
  shot.comp.lens.redPx = 0.25;
  shot.comp.reflection.blurPx = 1.5;
  shot.comp.reflection.fadePx = 20;
  shot.comp.grain.areas = [[4, 5, 14, 15]];
  shot.comp.mattes["matte-1"] = {
    name: "Bollard",
    inverted: false,
    grow: -1,
    blur: 0.5,
    shapes: [
      {
        way: "add",
        inverted: false,
        shape: {
          kind: "curve",
          round: true,
          points: [
            { at: [1, 1], feather: 2 },
            { at: [9, 1], feather: 0 },
            { at: [9, 9], feather: 3 },
          ],
        },
      },
      {
        way: "subtract",
        inverted: false,
        shape: { kind: "brush", points: [[7, 8]], radius: 4, hardness: 0.5, edge: 12, stop: 0 },
      },
    ],
  };
  return shot;
}

const version = (width: number, height: number, change: Partial<PlateInfo> = {}): PlateInfo => ({
  ...testPlate(width, height),
  asset: "1".repeat(64),
  codes: "2".repeat(64),
  fileName: "quay, graded.tif",
  encoding: srgbEncoding(16),
  ...change,
});

/** Every number of a document by its path, list indices as #. */
function numbersOf(value: unknown, path: string, into: Map<string, number[]>): Map<string, number[]> {
  if (typeof value === "number") into.set(path, [...(into.get(path) ?? []), value]);
  else if (typeof value === "object" && value !== null)
    for (const [key, inner] of Object.entries(value))
      numbersOf(inner, `${path}.${/^\d+$/.test(key) || /-\d+$/.test(key) ? "#" : key}`, into);
  return into;
}

/** What lies on the plate or is as long as some of its pixels, by the vocabulary of docs/design.md. */
const ON_THE_PLATE = [
  ".edges.#.points.#.#",
  ".lengths.#.from.#",
  ".lengths.#.to.#",
  ".ties.#.pixel.#",
  ".horizon.#.pixel.#",
  ".gauges.#.points.#.#",
  ".origin.#",
  ".lens.focalPx",
  ".lens.principal.#",
  ".lens.crop.width",
  ".lens.crop.height",
  ".lens.crop.left",
  ".lens.crop.top",
  ".match.markPx",
  ".match.held.pixel.#",
  ".solved.camera.focalPx",
  ".solved.camera.principal.#",
  ".solved.rmsPx",
  ".solved.sigma.focalPx",
  ".set.#.vertices.#.pixel.#",
  ".set.#.foot.pixel.#",
  ".measures.#.points.#.pixel.#",
  ".light.sightings.#.foot.#",
  ".light.sightings.#.top.#",
  ".light.sightings.#.tip.#",
  ".light.probes.#.pixel.#",
  ".light.probes.#.radius",
  ".light.shadows.#.points.#.#",
  ".light.shadows.#.feather",
  ".comp.lens.redPx",
  ".comp.reflection.blurPx",
  ".comp.reflection.fadePx",
  ".comp.grain.areas.#.#",
  ".comp.mattes.#.grow",
  ".comp.mattes.#.blur",
  ".comp.mattes.#.shapes.#.shape.points.#.at.#",
  ".comp.mattes.#.shapes.#.shape.points.#.feather",
  ".comp.mattes.#.shapes.#.shape.points.#.#",
  ".comp.mattes.#.shapes.#.shape.radius",
];

describe("another version of the plate", () => {
  test("of three times the size: what lies on the plate counts three times the pixels, and nothing else changes", async () => {
    const before = await fullShot();
    const shot = structuredClone(before);
    expect(takeVersion(shot, version(288, 192))).toEqual({ scale: 3, measured: false });
    expect(() => parseShot(JSON.parse(JSON.stringify(shot)))).not.toThrow();
    const [was, is] = [before, shot].map((s) => numbersOf({ ...s, plates: null }, "", new Map()));
    expect([...is.keys()]).toEqual([...was.keys()]);
    for (const [path, values] of was)
      expect([path, is.get(path)]).toEqual([
        path,
        values.map((x) => (ON_THE_PLATE.includes(path) ? (expect.closeTo(3 * x, 9) as unknown) : x)),
      ]);
    expect(ON_THE_PLATE.filter((path) => !was.has(path))).toEqual([]);
  });

  test("and back: the document as it was", async () => {
    const before = await fullShot();
    const shot = structuredClone(before);
    takeVersion(shot, version(288, 192));
    takeVersion(shot, before.plates.main);
    const [was, is] = [before, shot].map((s) => numbersOf(s, "", new Map()));
    for (const [path, values] of was)
      expect([path, is.get(path)]).toEqual([path, values.map((x) => expect.closeTo(x, 9) as unknown)]);
  });

  test("shows every point of the world at the same place of the picture", async () => {
    const before = await fullShot();
    const shot = structuredClone(before);
    takeVersion(shot, version(240, 160));
    for (const world of [
      [0, 0, 0],
      [1, 2, 0.5],
      [-1, 1, 1.5],
    ] as const) {
      const [a, b] = [before, shot].map(({ solved }) => projectPoint(solved!.camera, [...world])!);
      a.forEach((x, k) => expect(b[k]).toBeCloseTo(2.5 * x, 9));
    }
  });

  test("its marks give the same camera, of as many more pixels and with the same doubt", async () => {
    const random = seeded(11);
    const camera = randomCamera(random);
    const before = await fullShot();
    Object.assign(before, { edges: {}, lengths: {}, ties: {}, horizon: {}, origin: null, cameraHeight: null, set: {} });
    before.lens = { ...before.lens, focal: "solve", focalPx: null, principal: null, crop: null };
    before.plates.main = { ...before.plates.main, width: 1920, height: 1280 };
    for (const [i, axis] of ["x", "x", "x", "y", "y", "y", "z", "z"].entries()) {
      const { edge } = randomEdge(random, camera, axis, `edge-${i}`);
      const points = edge.points.map(([u, v]) => [u + random() - 0.5, v + random() - 0.5] as [number, number]);
      before.edges[`edge-${i}`] = newEdge(`edge-${i}`, axis, points);
    }
    const shot = structuredClone(before);
    takeVersion(shot, version(4800, 3200));
    const [small, large] = [before, shot].map((s) => solve(requestOfShot(s)));
    expect(large.camera!.focalPx / small.camera!.focalPx).toBeCloseTo(2.5, 6);
    expect(rotationAngleBetween(large.camera!.rotation, small.camera!.rotation)).toBeLessThan(1e-6);
    expect(large.sigma!.focalPx / small.sigma!.focalPx).toBeCloseTo(2.5, 3);
    expect(large.rmsPx! / small.rmsPx!).toBeCloseTo(2.5, 3);
    large.sigma!.rotationDeg.forEach((deg, k) => expect(deg / small.sigma!.rotationDeg[k]).toBeCloseTo(1, 3));
  });

  test("a camera that its marks gave still stands, one that they no longer give does not", async () => {
    const shot = await fullShot();
    shot.solved!.evidence = evidenceKey(shot);
    takeVersion(shot, version(192, 128));
    expect(shot.solved!.evidence).toBe(evidenceKey(shot));
    shot.solved!.evidence = "of other marks";
    takeVersion(shot, version(96, 64));
    expect(shot.solved!.evidence).toBe("of other marks");
  });

  test("new marks on a smaller version are no surer than the hand that sets them", async () => {
    const shot = await fullShot();
    const photo = markSigma(shot);
    takeVersion(shot, version(48, 32));
    expect(markSigma(shot)).toBe(photo);
    takeVersion(shot, version(384, 256));
    expect(markSigma(shot)).toBeCloseTo(4 * photo, 9);
  });

  test("what its file does not say of the photograph stays; grain and softness are its own", async () => {
    const shot = await fullShot();
    const { main } = shot.plates;
    Object.assign(main, { owner: "Harbour office", licence: "for this job" });
    Object.assign(main.exif, { focalMm: 27.5, camera: "SK-1", orientation: 6 });
    main.encoding.response = { shoulder: 0.7, contrast: 1.1 };
    shot.comp.sharpness.sigmaPx = 0.8;
    const graded = version(192, 128);
    graded.exif = { ...graded.exif, camera: "SK-1 II" };
    expect(takeVersion(shot, graded).measured).toBe(true);
    expect(shot.plates.main).toMatchObject({
      owner: "Harbour office",
      licence: "for this job",
      fileName: graded.fileName,
    });
    expect(shot.plates.main.exif).toMatchObject({ focalMm: 27.5, camera: "SK-1 II", orientation: null });
    expect(shot.plates.main.encoding).toEqual({ ...srgbEncoding(16), response: { shoulder: 0.7, contrast: 1.1 } });
    expect(shot.comp.sharpness.sigmaPx).toBeNull();
    // Floats hold the light itself.
    takeVersion(shot, version(192, 128, { encoding: halfEncoding(srgbEncoding(8).toRec709) }));
    expect([isFloat(shot.plates.main.encoding), shot.plates.main.encoding.response]).toEqual([true, undefined]);
  });

  test("of another shape is refused and changes nothing; sizes rounded to whole pixels are not another shape", async () => {
    const shot = await fullShot();
    const before = structuredClone(shot);
    for (const [width, height] of [
      [192, 108],
      [64, 96],
      [96, 70],
    ]) {
      expect(noVersion(shot, version(width, height))).toMatch(/another shape .*stretched/);
      expect(() => takeVersion(shot, version(width, height))).toThrow(/another shape/);
    }
    expect(shot).toEqual(before);
    shot.plates.main = { ...shot.plates.main, width: 1620, height: 1080 };
    expect(noVersion(shot, version(4000, 2667))).toBeNull();
    expect(noVersion(shot, version(800, 533))).toBeNull();
    expect(noVersion(shot, version(4000, 2660))).not.toBeNull();
  });

  test("a state that was kept on one is seen on the other, without being changed itself", async () => {
    const kept = await fullShot();
    const before = structuredClone(kept);
    const seen = onPlate(kept, version(192, 128));
    expect(seen.solved!.camera.focalPx).toBeCloseTo(2 * before.solved!.camera.focalPx, 9);
    expect(kept).toEqual(before);
    expect(onPlate(kept, version(96, 64))).toBe(kept);
    expect(onPlate(kept, version(192, 108))).toBe(kept);
  });

  test("is one step that can be taken back", async () => {
    const shot = await fullShot();
    const edit = makeEdit(shot, "step-1", "Take another version", (d) => void takeVersion(d, version(288, 192)))!;
    const work = takeStep({ shot, undo: [], redo: [] }, { kind: "do", edit });
    expect(work.shot.plates.main.width).toBe(288);
    expect(takeStep(work, { kind: "undo", id: "step-1", step: "s" }).shot).toEqual(shot);
  });
});

test("every field of the document that is named for its pixels says that it counts them", () => {
  const unsaid: string[] = [];
  const saysPixels = (schema: object): boolean => {
    const { pipe = [], wrapped } = schema as { pipe?: object[]; wrapped?: object };
    return (
      (wrapped !== undefined && saysPixels(wrapped)) ||
      pipe.some((step) => ("metadata" in step ? true : step !== schema && saysPixels(step)))
    );
  };
  const seen = new Set<object>();
  const walk = (schema: unknown, path: string): void => {
    if (typeof schema !== "object" || schema === null || seen.has(schema)) return;
    seen.add(schema);
    const { entries, wrapped, item, items, value, options, pipe } = schema as Record<string, unknown>;
    for (const [key, inner] of Object.entries((entries ?? {}) as Record<string, object>)) {
      if (/Px$/.test(key) && !saysPixels(inner)) unsaid.push(`${path}.${key}`);
      walk(inner, `${path}.${key}`);
    }
    for (const inner of [wrapped, item, value]) walk(inner, path);
    for (const inner of [items, options, pipe].flat()) walk(inner, path);
  };
  walk(ShotSchema, "");
  // Softness is measured on each version anew.
  expect(unsaid).toEqual([".comp.sharpness.sigmaPx"]);
});
