import { describe, expect, test } from "@jest/globals";
import * as v from "valibot";
import type { Vec3 } from "../math/vec3.ts";
import { scale, toRadians } from "../math/vec3.ts";
import type { Camera } from "../optics/camera.ts";
import { pixelOnPlane, groundPlane, projectPoint, rotationFromAngles } from "../optics/camera.ts";
import { noDistortion } from "../optics/distortion.ts";
import { sizesCsv } from "./csv.ts";
import { MEASURES, MeasureSchema, newMeasure, readingOf } from "./measures.ts";
import { CLICK_SIGMA, STATED, measurePlusMinus, plusMinus } from "./noise.ts";
import type { SetRecord } from "./parts/index.ts";
import { kindOf } from "./parts/index.ts";
import type { AnyShape } from "./parts/make.ts";
import { makePart } from "./parts/make.ts";
import { evenRow, rowStep, rowWays } from "./parts/row.ts";
import { facesOf } from "./faces.ts";
import { alongWorld, measurePart, tallyOf } from "./sizes.ts";
import { placedVertex, typedVertex } from "./vertex.ts";

const part = <S extends AnyShape>(id: string, shape: S) => makePart(id, id, shape, "m");
const turned = (points: [number, number][], deg: number) => {
  const [c, s] = [Math.cos(toRadians(deg)), Math.sin(toRadians(deg))];
  return points.map(([x, y]) => typedVertex([3 + c * x - s * y, -2 + s * x + c * y, 0.4]));
};
const RECTANGLE: [number, number][] = [
  [0, 0],
  [1.1, 0],
  [1.1, 0.7],
  [0, 0.7],
];

describe("sizes along a part's own sides", () => {
  test.each([0, 12, 44, 60, -31])("a box turned by %s degrees keeps its sizes", (deg) => {
    const set: SetRecord = {
      box: part("box", { kind: "block", base: turned(RECTANGLE, deg), height: 0.5, closed: true }),
    };
    const read = measurePart(set, set.box);
    // The side nearest to X comes first.
    const [first, second] = Math.abs(deg) > 45 ? [0.7, 1.1] : [1.1, 0.7];
    expect(read.extent[0]).toBeCloseTo(first, 9);
    expect(read.extent[1]).toBeCloseTo(second, 9);
    expect(read.extent[2]).toBeCloseTo(0.5, 9);
    expect(alongWorld(read)).toBe(deg === 0);
  });

  test("a leaning post is as long as its axis, and a slope is measured along itself", () => {
    const set: SetRecord = {
      post: part("post", { kind: "post", foot: typedVertex([0, 0, 0]), axis: [0.6, 0, 0.8], radius: 0.1 }),
      roof: part("roof", {
        kind: "polygon",
        vertices: [
          [0, 0, 0],
          [4, 0, 0],
          [4, 3, 4],
          [0, 3, 4],
        ].map((p) => typedVertex(p as Vec3)),
        holes: [],
      }),
    };
    expect(measurePart(set, set.post).extent[2]).toBeCloseTo(1, 9);
    expect([...measurePart(set, set.roof).extent].sort()).toEqual([
      expect.closeTo(0, 9),
      expect.closeTo(4, 9),
      expect.closeTo(5, 9),
    ]);
  });
});

describe("measures between points", () => {
  test("a 3-4-5 triangle: its length, its right angle, its area and the way around", () => {
    const corners: Vec3[] = [
      [3, 0, 1],
      [0, 0, 1],
      [0, 0, 5],
    ];
    expect(readingOf("length", [corners[0], corners[2]])).toMatchObject({
      value: 5,
      also: [{ value: 3 }, { value: 4 }],
    });
    expect(readingOf("angle", corners).value).toBeCloseTo(90, 12);
    expect(readingOf("area", corners)).toMatchObject({ value: 6, also: [{ value: 12 }] });
  });

  test("counted things: their mean step, the nearest two, and the ground that they are spread over", () => {
    const posts: Vec3[] = [
      [0, 0, 0],
      [2, 0, 0],
      [2, 3, 0],
      [0, 3, 0],
      [1, 1, 0],
    ];
    const { value, also } = readingOf("count", posts);
    expect(value).toBeCloseTo((2 + 3 + 2 + Math.hypot(1, 2)) / 4, 12);
    expect(also).toEqual([
      { label: "of them", value: 5, unit: "count" },
      { label: "nearest", value: expect.closeTo(Math.SQRT2, 12), unit: "length" },
      { label: "spread over", value: expect.closeTo(6, 12), unit: "area" },
    ]);
  });

  test("a measure without its points is refused", () => {
    for (const kind of Object.keys(MEASURES) as (keyof typeof MEASURES)[]) {
      const ends = Array.from({ length: MEASURES[kind].least }, (_, i) => ({
        world: [i, i * i, 0] as Vec3,
        pixel: null,
        normal: [0, 0, 1] as Vec3,
        on: null,
      }));
      expect(v.is(MeasureSchema, newMeasure("measure-1", kind, "main", ends))).toBe(true);
      expect(v.is(MeasureSchema, newMeasure("measure-1", kind, "main", ends.slice(1)))).toBe(false);
    }
  });

  test("a length across the sight of a sharp camera is off by its two clicks (one pixel is distance over focal length)", () => {
    // Straight down from ten metres: one pixel is 1 cm on the ground.
    const camera: Camera = {
      focalPx: 1000,
      principal: [500, 400],
      distortion: noDistortion(),
      rotation: rotationFromAngles({ heading: 0, tilt: -Math.PI / 2 + 1e-9, roll: 0 }),
      position: [0, 0, 10],
    };
    const at = (world: Vec3) => ({ world, pixel: projectPoint(camera, world)!, normal: [0, 0, 1] as Vec3, on: null });
    const measure = newMeasure("measure-1", "length", "main", [at([-1, 0, 0]), at([1, 0, 0])]);
    const still: [Camera, Camera][] = [[camera, camera]];
    expect(measurePlusMinus(measure, camera, still)).toBeCloseTo(STATED * Math.SQRT2 * CLICK_SIGMA * 0.01, 4);
    expect(measurePlusMinus(measure, camera, [])).toBeNull();
    // A camera that stands a hundredth higher or lower makes all lengths a hundredth longer or shorter.
    const up = { ...camera, position: [0, 0, 10.1] as Vec3 };
    const down = { ...camera, position: [0, 0, 9.9] as Vec3 };
    const both = measurePlusMinus(measure, camera, [[up, down]])!;
    expect(both).toBeCloseTo(STATED * Math.hypot(0.02, Math.SQRT2 * 0.01), 4);
  });

  test("the list as CSV has a line a figure, with names that hold commas and quotes (RFC 4180)", () => {
    const measure = newMeasure("measure-1", "length", "main", []);
    measure.name = 'Sill, "left"';
    const set: SetRecord = {
      post: part("post", { kind: "post", foot: typedVertex([0, 0, 0]), axis: [0, 0, 2], radius: 0.1 }),
      row: part("row", evenRow("post", [1.5, 0, 0], 3)),
    };
    const csv = sizesCsv(
      [
        {
          measure,
          reading: readingOf("length", [
            [0, 0, 0],
            [0, 3, 4],
          ]),
          within: 0.02,
        },
      ],
      set,
    );
    const lines = csv.split("\r\n");
    expect(lines[1]).toBe('length,"Sill, ""left""",length,5.0000,0.0200,m');
    expect(lines).toContain('row,"row",of them,4,,');
    expect(lines).toContain('row,"row",step,1.5000,,m');
    expect(lines.at(-1)).toBe("");
  });
});

describe("rows", () => {
  const post = part("post", { kind: "post", foot: typedVertex([0, 0, 0]), axis: [0, 0, 1], radius: 0.1 });
  const uneven = () =>
    part("row", {
      ...evenRow("post", [1, 0, 0.1], 3),
      copies: [
        [1.02, 0, 0.1],
        [1.97, 0.01, 0.2],
        [3.01, 0, 0.3],
      ].map((p) => ({ foot: typedVertex(p as Vec3), turnDeg: 0 })),
    });

  test("step and slope are those of the straight line through all feet (least squares)", () => {
    const { step, slopeDeg, uneven: off } = rowStep(uneven());
    // Over numbers 0 to 3: (-1.5 x0 - 0.5 x1 + 0.5 x2 + 1.5 x3) / 5.
    expect(step[0]).toBeCloseTo((-0.5 * 1.02 + 0.5 * 1.97 + 1.5 * 3.01) / 5, 12);
    expect(slopeDeg).toBeCloseTo((Math.atan2(0.1, step[0]) * 180) / Math.PI, 2);
    expect(off).toBeGreaterThan(0.01);
    expect(off).toBeLessThan(0.04);
  });

  test("evened out it keeps that step; slope and number are typed", () => {
    const even = uneven();
    kindOf(even).acts!(even)[0].put(even);
    expect(rowStep(even).uneven).toBeLessThan(1e-9 + rowStep(uneven()).uneven);
    const typed = part("row", evenRow("post", [1, 0, 0], 2));
    const field = (key: string) =>
      kindOf(typed)
        .fields(typed, {})
        .find((f) => f.key === key)!;
    field("slope").put(typed, 30);
    expect(rowWays(typed)[1][2]).toBeCloseTo(1, 12);
    expect(Math.hypot(...rowWays(typed)[1])).toBeCloseTo(2, 12);
    field("copies").put(typed, 5);
    expect(Math.hypot(...rowWays(typed)[4])).toBeCloseTo(5, 9);
  });

  test("another part stands in the last place, on the same foot", () => {
    const row = { ...uneven(), end: "newel" };
    const newel = part("newel", {
      kind: "block",
      base: [
        [5, 5],
        [5.4, 5],
        [5.4, 5.4],
        [5, 5.4],
      ].map(([x, y]) => typedVertex([x, y, 1])),
      height: 1.4,
      closed: true,
    });
    const faces = facesOf({ post, newel, row }, "row");
    const last = faces.filter((f) => f.id.startsWith("3.")).flatMap((f) => f.rings[0]);
    expect(last.length).toBe(24);
    expect(Math.min(...last.map((p) => p[2]))).toBeCloseTo(0.3, 9);
    expect(Math.min(...last.map((p) => p[0]))).toBeCloseTo(3.01 - 0.2, 9);
    // The newel goes: the row forgets it and stays.
    const kind = kindOf(row);
    expect(kind.uses!(row)).toEqual(["newel"]);
    kind.forget!(row, "newel");
    expect(row.end).toBeNull();
  });

  test("four posts of a row cover four lids and take four volumes", () => {
    const row = part("row", evenRow("post", [2, 0, 0], 3));
    const set = { post, row };
    const tally = tallyOf(set, row)!;
    // Area of a regular polygon of 32 sides.
    const lid = 16 * 0.01 * Math.sin((2 * Math.PI) / 32);
    expect(tally).toMatchObject({ count: 4, mean: 2, least: 2 });
    expect(tally.area).toBeCloseTo(4 * lid, 9);
    expect(tally.volume).toBeNull();
    const crate = part("crate", {
      kind: "block",
      base: turned(RECTANGLE, 0),
      height: 0.5,
      closed: true,
    });
    const crates = part("crates", evenRow("crate", [2, 0, 0], 3));
    // Parts of a kind are counted together; of what there is one, or what is no thing among others, nothing is.
    const other = { ...post, id: "other", foot: typedVertex([0, 3, 0]) };
    expect(tallyOf({ post, other, crate }, post)).toMatchObject({ count: 2, mean: 3 });
    expect(tallyOf({ post, crate }, crate)).toBeNull();
    expect(tallyOf({ crate, crates }, crates)!.volume).toBeCloseTo(4 * 1.1 * 0.7 * 0.5, 9);
  });

  test("the stated ± of a step comes from the clicks of its feet, and what was clicked follows the camera", () => {
    const camera: Camera = {
      focalPx: 1000,
      principal: [500, 400],
      distortion: noDistortion(),
      rotation: rotationFromAngles({ heading: 0, tilt: -Math.PI / 2 + 1e-9, roll: 0 }),
      position: [0, 0, 10],
    };
    const foot = (world: Vec3) => placedVertex(world, projectPoint(camera, world)!);
    const row = part("row", {
      ...evenRow("post", [1, 0, 0], 2),
      first: foot([0, 0, 0]),
      copies: [1, 2].map((x) => ({ foot: foot([x, 0, 0]), turnDeg: 0 })),
    });
    const read = (set: SetRecord) => [Math.hypot(...rowStep(set.row as typeof row).step)];
    const [within] = plusMinus({ post, row }, camera, [[camera, camera]], read);
    // The step over three feet is half the way between the outer ones.
    expect(within).toBeCloseTo(STATED * (Math.SQRT2 / 2) * CLICK_SIGMA * 0.01, 4);
    const higher = { ...camera, position: scale(camera.position, 1.1) };
    const vertex = kindOf(row).vertices(row, { post, row })[2].vertex;
    expect(pixelOnPlane(higher, vertex.pixel!, groundPlane())![0]).toBeCloseTo(2.2, 6);
  });
});
