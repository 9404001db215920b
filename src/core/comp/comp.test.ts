import { describe, expect, test } from "@jest/globals";
import { seeded, gaussian } from "../../testing/random.ts";
import type { Camera } from "../optics/camera.ts";
import { rotationFromAngles } from "../optics/camera.ts";
import { noDistortion } from "../optics/distortion.ts";
import { makePart } from "../set/parts/make.ts";
import { typedVertex } from "../set/vertex.ts";
import type { Passes } from "../trace/film.ts";
import { emptyPasses } from "../trace/film.ts";
import { codeStack } from "./codeStack.ts";
import { curveOf } from "./curve.ts";
import type { FinishPart } from "./finish.ts";
import { finishHalo, finishRows } from "./finish.ts";
import { fitPairs, gradeColour, grader, newGrade, pairsDoubt } from "./grade.ts";
import { measureLateral } from "./lateral.ts";
import { fitted, lutColour, lutOf, packLut, readCube, writeCube } from "./lut.ts";
import { grown } from "./mattes/grow.ts";
import { matteOver, newMatte } from "./mattes/index.ts";
import type { Matte } from "./mattes/index.ts";
import { placeOf } from "./placeRaster.ts";
import { tabled, valueAt } from "./tabled.ts";
import type { Comp } from "./schema.ts";
import { newComp } from "./schema.ts";

const [WIDTH, HEIGHT] = [90, 120];
const FULL = { width: WIDTH, height: HEIGHT };

function plateOf(): { width: number; height: number; linear: Float32Array } {
  const random = seeded(5);
  const linear = Float32Array.from(
    { length: WIDTH * HEIGHT * 3 },
    (_, i) => 0.2 + 0.1 * Math.sin(i / 700) + 0.02 * random(),
  );
  return { width: WIDTH, height: HEIGHT, linear };
}

/** A bright prop in the middle, its shadow beside it, its reflection below. */
function passesOf(): Passes {
  const passes = emptyPasses(WIDTH, HEIGHT);
  for (let y = 0; y < HEIGHT; y++)
    for (let x = 0; x < WIDTH; x++) {
      const i = y * WIDTH + x;
      const inside = Math.hypot(x - 45, y - 50) < 14;
      if (inside) {
        passes.prop.set([1.4, 0.5, 0.3, 1], i * 4);
        passes.depth[i] = 4;
      } else if (Math.abs(y - 66) < 6 && x > 40 && x < 80) passes.ratio.set([0.4, 0.42, 0.5], i * 3);
      else if (Math.abs(x - 45) < 10 && y > 64 && y < 100) passes.added.set([0.05, 0.02, 0.01], i * 3);
    }
  return passes;
}

const camera: Camera = {
  focalPx: 80,
  principal: [45, 60],
  distortion: noDistortion(),
  rotation: rotationFromAngles({ heading: 0, tilt: -0.4, roll: 0 }),
  position: [0, -3, 2],
};
const corner = (x: number, y: number) => typedVertex([x, y, 0]);
const SET = {
  near: makePart(
    "near",
    "near",
    { kind: "polygon", vertices: [corner(-9, -2), corner(9, -2), corner(9, 1), corner(-9, 1)], holes: [] },
    "material-1",
  ),
  far: makePart(
    "far",
    "far",
    { kind: "polygon", vertices: [corner(-9, 1), corner(9, 1), corner(9, 30), corner(-9, 30)], holes: [] },
    "material-1",
  ),
};

const shotOf = (change: (comp: Comp) => void): FinishPart => {
  const comp = newComp();
  change(comp);
  return { comp, set: SET, solved: { camera, evidence: "", rmsPx: null, sigma: null } };
};

/** Every stage on, each doing something. */
const everything = (c: Comp): void => {
  Object.assign(c.shadow, { on: true, density: 1.2, softness: 0.05, contact: 0.5, colour: [1, 0.9, 0.8] });
  Object.assign(c.reflection, {
    on: true,
    level: 0.7,
    blurPx: 1.5,
    fadePx: 12,
    roughness: 0.4,
    fadeMetres: 0.5,
    fadeAngle: 1,
  });
  Object.assign(c.props, {
    on: true,
    exposure: 0.3,
    warmth: 0.1,
    contrast: 1.2,
    saturation: 0.8,
    black: [0.01, 0.01, 0.01],
  });
  Object.assign(c.sharpness, { on: true, sigmaPx: 1.1 });
  Object.assign(c.lens, { on: true, redPx: 1.5, bluePx: -1, vignette: 0.3 });
  Object.assign(c.glow, { on: true, from: 0.5, size: 20, amount: 0.3 });
  Object.assign(c.grain, {
    on: true,
    model: { read: [0.01, 0.01, 0.01], shot: [1e-4, 1e-4, 1e-4], size: 0.5, joined: [0, 0, 0], from: [0, 0, 0] },
  });
  Object.assign(c.look, { on: true, of: "cg", contrast: 1.2 });
  c.mattes = {
    m: { ...newMatte("m"), shapes: [{ shape: { kind: "parts", parts: ["far"] }, way: "add", inverted: false }] },
  };
  Object.assign(c.foreground, { on: true, matte: "m", strength: 0.6 });
};
const whole = (shot: FinishPart, passes: Passes, plate = plateOf()) =>
  finishRows(shot, plate, passes, { full: FULL, scale: 1, y0: 0, renderedSigma: 0.4155 });

describe("finishing", () => {
  test("without a prop the plate stays as it is to the bit, with every stage on", () => {
    const plate = plateOf();
    const { linear, touched } = whole(shotOf(everything), emptyPasses(WIDTH, HEIGHT), plate);
    expect(linear).toEqual(plate.linear);
    expect(touched.some((t) => t === 1)).toBe(false);
  });

  test("rows by themselves, with their halo, are those of the whole to the bit", () => {
    const shot = shotOf((c) => {
      everything(c);
      c.grain.matte = c.look.matte = "m";
    });
    const plate = plateOf();
    const all = whole(shot, passesOf(), plate);
    const halo = finishHalo(shot, 1, FULL, 0.4155);
    expect(halo).toBeGreaterThan(10);
    for (const [from, to] of [
      [0, 31],
      [31, 64],
      [64, HEIGHT],
    ]) {
      const [h0, h1] = [Math.max(0, from - halo), Math.min(HEIGHT, to + halo)];
      const cut = (of: Float32Array, stride: number) => of.slice(h0 * WIDTH * stride, h1 * WIDTH * stride);
      const passes = passesOf();
      const rows = {
        width: WIDTH,
        height: h1 - h0,
        prop: cut(passes.prop, 4),
        ratio: cut(passes.ratio, 3),
        added: cut(passes.added, 3),
        depth: cut(passes.depth, 1),
      };
      const part = { width: WIDTH, height: h1 - h0, linear: cut(plate.linear, 3) };
      const where = { full: FULL, scale: 1, y0: h0, renderedSigma: 0.4155 };
      const { linear, touched, layers } = finishRows(shot, part, rows, where, { from: from - h0, to: to - h0 });
      expect(linear).toEqual(all.linear.subarray(from * WIDTH * 3, to * WIDTH * 3));
      expect(touched).toEqual(all.touched.subarray(from * WIDTH, to * WIDTH));
      expect(layers.prop).toEqual(all.layers.prop.subarray(from * WIDTH * 4, to * WIDTH * 4));
    }
  });

  test("a stage at half strength lies in the middle, a matte holds it to its place, and left out it does nothing", () => {
    const at = (linear: Float32Array, x: number, y: number) => linear[(y * WIDTH + x) * 3];
    const bare = whole(
      shotOf(() => undefined),
      passesOf(),
    ).linear;
    const full = whole(
      shotOf((c) => void Object.assign(c.props, { on: true, exposure: -1 })),
      passesOf(),
    ).linear;
    const half = whole(
      shotOf((c) => void Object.assign(c.props, { on: true, exposure: -1, strength: 0.5 })),
      passesOf(),
    ).linear;
    expect(at(full, 45, 50)).toBeCloseTo(at(bare, 45, 50) / 2, 6);
    expect(at(half, 45, 50)).toBeCloseTo(0.75 * at(bare, 45, 50), 6);
    const upper = (c: Comp) => {
      const points = [
        [0, 0],
        [90, 0],
        [90, 50],
        [0, 50],
      ].map(([x, y]) => ({ at: [x, y] as [number, number], feather: 0 }));
      c.mattes = {
        m: {
          ...newMatte("m"),
          shapes: [{ shape: { kind: "curve", points, round: false }, way: "add", inverted: false }],
        },
      };
      Object.assign(c.props, { on: true, exposure: -1, matte: "m" });
    };
    const held = whole(shotOf(upper), passesOf()).linear;
    expect(at(held, 45, 42)).toBe(at(full, 45, 42));
    expect(at(held, 45, 58)).toBe(at(bare, 45, 58));
    const without = finishRows(shotOf(upper), plateOf(), passesOf(), {
      full: FULL,
      scale: 1,
      y0: 0,
      renderedSigma: 0.4,
      without: "props",
    });
    expect(without.linear).toEqual(bare);
  });

  test("shadow: more density is optical density, less a share, its colour leaves a channel's light, in metres it is softer near by", () => {
    const plate = plateOf();
    const passes = passesOf();
    const dark = whole(
      shotOf((c) => void Object.assign(c.shadow, { on: true, density: 1.5, colour: [1, 1, 0.5] })),
      passes,
      plate,
    );
    const i = (66 * WIDTH + 70) * 3;
    // ISO 5-1: D = -lg T, so that half as much again leaves T to the power of 1.5; and of blue 1 - 0.75 (1 - 0.5).
    expect(dark.linear[i] / plate.linear[i]).toBeCloseTo(10 ** (1.5 * Math.log10(0.4)), 5);
    expect(dark.linear[i + 2] / plate.linear[i + 2]).toBeCloseTo(0.625, 5);
    // Two bands of shadow: as wide in metres, the nearer blurred over more pixels.
    const strips = () => {
      const p = emptyPasses(WIDTH, HEIGHT);
      for (const top of [44, 100])
        for (let x = 30; x < 60; x++)
          for (let y = top; y < top + 3; y++) p.ratio.fill(0.3, (y * WIDTH + x) * 3, (y * WIDTH + x) * 3 + 3);
      return p;
    };
    const soft = whole(
      shotOf((c) => void Object.assign(c.shadow, { on: true, softness: 0.06 })),
      strips(),
      plate,
    ).layers.ratio;
    const spread = (y: number) => {
      let sum = 0;
      for (let x = 60; x < WIDTH; x++) sum += 1 - soft[(y * WIDTH + x) * 3];
      return sum;
    };
    expect(spread(101)).toBeGreaterThan(1.5 * spread(45));
  });

  test("contact darkens only where the render says that it is closed in", () => {
    const passes = { ...passesOf(), occlusion: new Float32Array(WIDTH * HEIGHT).fill(1) };
    passes.occlusion[66 * WIDTH + 50] = 0.2;
    const { layers } = whole(
      shotOf((c) => void Object.assign(c.shadow, { on: true, contact: 1 })),
      passes,
    );
    expect(layers.ratio[(66 * WIDTH + 50) * 3]).toBeCloseTo(0.4 * 0.2, 6);
    expect(layers.ratio[(66 * WIDTH + 60) * 3]).toBeCloseTo(0.4, 6);
  });

  test("glow gives back the light that it takes from what is bright", () => {
    const { layers } = whole(
      shotOf((c) => void Object.assign(c.glow, { on: true, from: 0.5, size: 25, amount: 0.25 })),
      passesOf(),
    );
    const sum = (k: number) => layers.glow!.reduce((s, v, i) => (i % 3 === k ? s + v : s), 0);
    const light = 0.2126 * 1.4 + 0.7152 * 0.5 + 0.0722 * 0.3;
    let inside = 0;
    for (let i = 3; i < layers.prop.length; i += 4) inside += layers.prop[i];
    const given = (inside * 0.25 * (light - 0.5) * 1.4) / light;
    expect(Math.abs(sum(0) / given - 1)).toBeLessThan(0.02);
  });

  test("sharpness: what was rendered sharper is blurred by what is missing", () => {
    const passes = emptyPasses(WIDTH, HEIGHT);
    for (let y = 0; y < HEIGHT; y++)
      for (let x = 45; x < WIDTH; x++) passes.prop.set([1, 1, 1, 1], (y * WIDTH + x) * 4);
    const shot = shotOf((c) => void Object.assign(c.sharpness, { on: true, sigmaPx: 2 }));
    const { layers } = finishRows(shot, plateOf(), passes, { full: FULL, scale: 1, y0: 0, renderedSigma: 1.2 });
    // Variance of the step's derivative, in the middle row.
    let [mean, square] = [0, 0];
    for (let x = 30; x < 60; x++) {
      const d = layers.prop[(60 * WIDTH + x + 1) * 4] - layers.prop[(60 * WIDTH + x) * 4];
      mean += d * x;
      square += d * x * x;
    }
    expect(Math.sqrt(square - mean * mean)).toBeCloseTo(Math.sqrt(4 - 1.44), 1);
  });
});

describe("tone", () => {
  test("pairs: white and black of the line through them", () => {
    const { white, black } = fitPairs([
      { cg: [0.1, 0.1, 0.1], plate: [0.15, 0.12, 0.1] },
      { cg: [0.9, 0.9, 0.9], plate: [0.75, 0.84, 0.9] },
    ]);
    const out = Float64Array.of(0.1, 0.1, 0.1);
    gradeColour(grader({ ...newGrade(), white, black }), out);
    expect([...out].map((v) => Number(v.toFixed(6)))).toEqual([0.15, 0.12, 0.1]);
    expect(fitPairs([{ cg: [0.5, 0.5, 0.5], plate: [0.25, 0.5, 1] }]).white).toEqual([0.5, 1, 2]);
  });

  test("pairs that would tint the prop wildly, or make it many times brighter, are doubted by name", () => {
    const grey = (cg: number, plate: number) => ({ cg: [cg, cg, cg], plate: [plate, plate, plate] }) as const;
    expect(pairsDoubt([])).toBeNull();
    // A stop darker and a little warmer: what a match is for.
    expect(pairsDoubt([{ cg: [0.4, 0.4, 0.4], plate: [0.22, 0.2, 0.18] }])).toBeNull();
    // Red paint on the plate against something grey on the prop.
    const paint = pairsDoubt([{ cg: [0.3, 0.3, 0.3], plate: [0.6, 0.1, 0.15] }]);
    expect(paint).toContain("red 6.0 times as strong against green");
    expect(pairsDoubt([{ cg: [0.3, 0.3, 0.3], plate: [0.3, 0, 0.3] }])).toContain("many times as strong against green");
    // Two greys that nearly are one: the line through them is steep.
    expect(pairsDoubt([grey(0.3, 0.2), grey(0.32, 0.4)])).toContain("10 times as bright");
    expect(pairsDoubt([grey(0.05, 0.04), grey(0.6, 0.5)])).toBeNull();
    // Nothing of black can be scaled: it is lifted, by haze alike in all channels, by paint in one.
    expect(pairsDoubt([grey(0.001, 0.2)])).toBeNull();
    expect(pairsDoubt([{ cg: [0, 0, 0], plate: [0.4, 0.1, 0.1] }])).toContain("red comes out 0.30 above green");
  });

  test("a tabled power is the power within four ten-millionths, at every light", () => {
    for (const c of [0.1, 0.7, 1.1, 4]) {
      const own = (x: number) => (x > 0 ? 0.18 * (x / 0.18) ** c : x);
      const table = tabled(own);
      const quick = (x: number) => valueAt(table, x);
      for (let x = 1e-6; x < 200; x *= 1.0173)
        expect(Math.abs(quick(Math.fround(x)) / own(Math.fround(x)) - 1)).toBeLessThan(4e-7);
      expect([quick(0), quick(-0.3)]).toEqual([0, -0.3]);
    }
  });

  test("a curve goes through its points, never turns back between them, and goes on straight", () => {
    const of = curveOf([
      [0, 0.05],
      [0.3, 0.1],
      [0.5, 0.7],
      [1, 1],
    ]);
    expect([0, 0.3, 0.5, 1].map((x) => Number(of(x).toFixed(9)))).toEqual([0.05, 0.1, 0.7, 1]);
    for (let x = 0; x < 1; x += 0.01) expect(of(x + 0.01)).toBeGreaterThanOrEqual(of(x) - 1e-12);
    expect(of(1.2)).toBeGreaterThan(1);
  });

  test("a table of colours comes back from its file, from the document within 1/4095, and larger ones are fitted", () => {
    const swap = (c: Float64Array) => c.set([c[1], c[2] * 0.5, 1 - c[0]]);
    const read = readCube(writeCube('a "look"', 5, swap));
    expect(read.title).toBe("a 'look'");
    const c = Float64Array.from([0.3, 0.55, 0.81]);
    lutColour(read, c);
    [0.55, 0.405, 0.7].forEach((v, k) => expect(c[k]).toBeCloseTo(v, 5));
    const kept = lutOf(packLut("look", read));
    read.values.forEach((v, i) => expect(Math.abs(kept.values[i] - v)).toBeLessThan(0.6 / 4095));
    const big = fitted(readCube(writeCube("big", 40, swap)));
    const d = Float64Array.from([0.3, 0.55, 0.81]);
    lutColour(big, d);
    [0.55, 0.405, 0.7].forEach((v, k) => expect(d[k]).toBeCloseTo(v, 5));
  });

  test.each([
    ["LUT_1D_SIZE 4\n0 0 0", "one dimension"],
    ["LUT_3D_SIZE 1", "size of 1"],
    ["LUT_3D_SIZE 2\n0 0 0", "ends after 1 of 8"],
    ["0 0 0", "before LUT_3D_SIZE"],
    ["nothing here", "names no LUT_3D_SIZE"],
    ["LUT_3D_SIZE 100000", "size of 100000"],
    ["LUT_3D_SIZE 2\n0 x 0", "no number"],
  ])("a file that is none is refused with a sentence: %s", (text, why) => {
    expect(() => readCube(text)).toThrow(why);
  });
});

describe("mattes", () => {
  const rowsOf = (plate = plateOf()) => ({
    width: WIDTH,
    height: HEIGHT,
    y0: 0,
    scale: 1,
    plate: plate.linear,
    place: () => placeOf({ set: SET }, camera, { full: FULL, scale: 1, y0: 0, rows: HEIGHT }),
  });
  const matte = (shape: Matte["shapes"][number]["shape"], rest: Partial<Matte> = {}): Matte => ({
    ...newMatte("m"),
    shapes: [{ shape, way: "add", inverted: false }],
    ...rest,
  });
  const area = (m: Float32Array) => m.reduce((a, b) => a + b, 0);
  const square = (feather: number) =>
    [
      [20, 30],
      [60, 30],
      [60, 70],
      [20, 70],
    ].map(([x, y]) => ({ at: [x, y] as [number, number], feather }));

  test("a curve covers its area, softly by its feather; round it goes through its points", () => {
    const hard = matteOver(matte({ kind: "curve", points: square(0), round: false }), rowsOf());
    expect(Math.abs(area(hard) - 1600)).toBeLessThan(8);
    const soft = matteOver(matte({ kind: "curve", points: square(12), round: false }), rowsOf());
    expect(soft[50 * WIDTH + 20]).toBeGreaterThan(0.35);
    expect(soft[50 * WIDTH + 20]).toBeLessThan(0.65);
    expect(soft[50 * WIDTH + 15]).toBeGreaterThan(0);
    const round = matteOver(matte({ kind: "curve", points: square(0), round: true }), rowsOf());
    expect(round[50 * WIDTH + 18]).toBe(1);
  });

  test("what the camera sees of parts of the set, and how far it is, by the plane's own geometry", () => {
    const near = matteOver(matte({ kind: "parts", parts: ["near"] }), rowsOf());
    const place = rowsOf().place();
    // Pixels in the middle column: the ray meets the ground at a known y.
    for (const v of [60, 70, 90, 110]) {
      const angle = 0.4 + Math.atan((v + 0.5 - 60) / 80);
      const y = -3 + 2 / Math.tan(angle);
      const x = 45;
      expect(near[v * WIDTH + x]).toBe(y > -2 && y < 1 ? 1 : 0);
      const along = (2 / Math.sin(angle)) * Math.cos(angle - 0.4);
      expect(Math.abs(place.depth[v * WIDTH + x] / along - 1)).toBeLessThan(0.02);
    }
    const far = matteOver(matte({ kind: "depth", near: 0, far: 4, soft: 0 }), rowsOf());
    expect(far[110 * WIDTH + 45]).toBe(1);
    expect(far[40 * WIDTH + 45]).toBe(0);
  });

  test("colour and luminance keys, and a brush that keeps to an edge of the plate", () => {
    const plate = plateOf();
    for (let y = 0; y < HEIGHT; y++)
      for (let x = 0; x < WIDTH; x++) if (x >= 45) plate.linear.set([0.6, 0.05, 0.05], (y * WIDTH + x) * 3);
    const red = matteOver(matte({ kind: "colour", colours: [[0.6, 0.05, 0.05]], within: 4, soft: 4 }), rowsOf(plate));
    expect([red[10 * WIDTH + 80], red[10 * WIDTH + 10]]).toEqual([1, 0]);
    const bright = matteOver(matte({ kind: "luminance", low: 0.5, high: 1, soft: 0.02 }), rowsOf(plate));
    expect(bright[10 * WIDTH + 80]).toBe(0);
    const stroke = {
      kind: "brush",
      points: [
        [40, 20],
        [40, 90],
      ] as [number, number][],
      radius: 12,
      hardness: 0.9,
    } as const;
    const free = matteOver(matte({ ...stroke, points: [...stroke.points], edge: 0, stop: 0 }), rowsOf(plate));
    const kept = matteOver(matte({ ...stroke, points: [...stroke.points], edge: 40, stop: 0 }), rowsOf(plate));
    expect(free[50 * WIDTH + 48]).toBe(1);
    expect(kept[50 * WIDTH + 48]).toBe(0);
    expect(kept[50 * WIDTH + 36]).toBe(1);
  });

  test("together: added, taken away, kept, turned round, grown and shrunk", () => {
    const left: Matte = matte({ kind: "curve", points: square(0), round: false });
    const right = [
      [40, 30],
      [90, 30],
      [90, 70],
      [40, 70],
    ].map(([x, y]) => ({ at: [x, y] as [number, number], feather: 0 }));
    const other = { shape: { kind: "curve" as const, points: right, round: false }, inverted: false };
    const areaOf = (way: "add" | "subtract" | "keep", rest: Partial<Matte> = {}) =>
      area(matteOver({ ...left, shapes: [...left.shapes, { ...other, way }], ...rest }, rowsOf()));
    expect(Math.abs(areaOf("add") - 2800)).toBeLessThan(14);
    expect(Math.abs(areaOf("subtract") - 800)).toBeLessThan(14);
    expect(Math.abs(areaOf("keep") - 800)).toBeLessThan(14);
    expect(Math.abs(areaOf("add", { inverted: true }) - (WIDTH * HEIGHT - 2800))).toBeLessThan(14);
    // A disc rolled round a square: its sides, and a quarter of a disc at each corner.
    const wide = area(matteOver({ ...left, grow: 6 }, rowsOf()));
    expect(Math.abs(wide - (1600 + 4 * 40 * 6 + Math.PI * 36))).toBeLessThan(60);
    const narrow = area(matteOver({ ...left, grow: -6 }, rowsOf()));
    expect(Math.abs(narrow - 28 * 28)).toBeLessThan(60);
    expect(grown(Float32Array.from([0, 1, 0, 0, 0]), 5, 1, 1)).toEqual(Float32Array.from([1, 1, 1, 0, 0]));
  });
});

test("a chart with known lateral colour is measured", () => {
  const [width, height] = [640, 480];
  const random = seeded(9);
  const linear = new Float32Array(width * height * 3);
  const corner = Math.hypot(width / 2, height / 2);
  const [red, blue] = [1.6, -0.9];
  /** Squares of 80 pixels, turned a little, softened over a pixel. */
  const chart = (x: number, y: number) => {
    const [u, v] = [x * 0.995 + y * 0.1, y * 0.995 - x * 0.1];
    const edge = (t: number) => {
      const d = Math.abs((((t % 160) + 160) % 160) - 80) - 40;
      return 0.5 + 0.5 * Math.tanh(d / 0.9);
    };
    const [a, b] = [edge(u), edge(v)];
    return 0.15 + 0.5 * (a * (1 - b) + b * (1 - a));
  };
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++)
      [red, 0, blue].forEach((px, k) => {
        // What lies at a radius is shown farther out.
        const from = 1 / (1 + px / corner);
        const [u, v] = [(x + 0.5 - width / 2) * from, (y + 0.5 - height / 2) * from];
        linear[(y * width + x) * 3 + k] = chart(u, v) + 0.003 * gaussian(random);
      });
  const found = measureLateral({ width, height, linear }, [])!;
  expect(Math.abs(found.redPx - red)).toBeLessThan(0.1);
  expect(Math.abs(found.bluePx - blue)).toBeLessThan(0.1);
  expect(found.sigmaPx).toBeLessThan(0.05);
});

test("a stack of code values gives any picture within one", () => {
  const random = seeded(2);
  const n = 4000;
  const codes = () => Uint8Array.from({ length: n * 3 }, () => Math.floor(256 * random()));
  const [plate, behind, picture] = [codes(), codes(), codes()];
  const alpha = Float32Array.from({ length: n }, () => (random() < 0.3 ? 0 : random()));
  const { shadow, light, object, darker, lighter } = codeStack(plate, behind, picture, alpha);
  for (let p = 0; p < n; p++)
    for (let k = 0; k < 3; k++) {
      const i = p * 3 + k;
      let v = Math.round((plate[i] * shadow[i]) / 255);
      v = Math.min(255, v + light[i]);
      const a = object[p * 4 + 3];
      v = Math.round((object[p * 4 + k] * a + v * (255 - a)) / 255);
      v = Math.min(255, Math.round((v * darker[i]) / 255) + lighter[i]);
      expect(Math.abs(v - picture[i])).toBeLessThanOrEqual(1);
    }
});
