import sharp from "sharp";
import { linearToSrgb, srgbToLinear } from "../colour/srgb.ts";
import { describe, expect, test } from "@jest/globals";
import { gaussian, seeded } from "../../testing/random.ts";
import type { Vec2 } from "../math/vec3.ts";
import type { Passes } from "../trace/film.ts";
import { emptyPasses } from "../trace/film.ts";
import { filterTable, softness } from "../trace/filter.ts";
import { finishRows } from "./finish.ts";
import { grainAt, grainVariance, neighbourCorrelation } from "./grain.ts";
import { measureGrain } from "./measureGrain.ts";
import type { Comp, GrainModel } from "./schema.ts";
import { newComp } from "./schema.ts";
import { measureSharpness } from "./sharpness.ts";

const [WIDTH, HEIGHT] = [640, 480];

/** A plate of slow slopes, fine texture and hard things, under noise of a known kind. */
function noisyPlate(
  model: GrainModel,
  seed: number,
  brick = 0,
): { width: number; height: number; linear: Float32Array } {
  const random = seeded(seed);
  const white = Float32Array.from({ length: (WIDTH + 8) * (HEIGHT + 8) * 3 }, () => gaussian(random));
  const speckle = Float32Array.from({ length: brick > 0 ? WIDTH * HEIGHT : 0 }, () => gaussian(random));
  const reach = 3;
  const taps = Array.from({ length: 2 * reach + 1 }, (_, i) =>
    model.size > 0 ? Math.exp(-((i - reach) ** 2) / (2 * model.size ** 2)) : Number(i === reach),
  );
  const norm = Math.sqrt(taps.reduce((sum, t) => sum + t * t, 0));
  const linear = new Float32Array(WIDTH * HEIGHT * 3);
  for (let y = 0; y < HEIGHT; y++)
    for (let x = 0; x < WIDTH; x++) {
      const n = [0, 0, 0];
      taps.forEach((a, j) =>
        taps.forEach((b, i) => {
          const at = ((y + j) * (WIDTH + 8) + x + i) * 3;
          for (let k = 0; k < 3; k++) n[k] += ((a * b) / (norm * norm)) * white[at + k];
        }),
      );
      // Walls at six brightnesses, the lower third paved with a fine texture, with dark joints.
      let light = 0.03 + 0.14 * Math.floor((x / WIDTH) * 6) + 0.02 * (y / HEIGHT);
      if (y > (2 * HEIGHT) / 3) light *= 0.8 + 0.2 * Math.sin(x * 1.3) * Math.sin(y * 0.9);
      if (x % 107 < 2) light *= 0.4;
      // All of the darkest walls is as rough as brick, in all channels alike.
      if (x < (brick * WIDTH) / 6) light *= 1 + 0.25 * speckle[y * WIDTH + x];
      const [rg, rb] = [model.joined[0], model.joined[1]];
      const joined = [n[0], rg * n[0] + Math.sqrt(1 - rg * rg) * n[1], rb * n[0] + Math.sqrt(1 - rb * rb) * n[2]];
      for (let k = 0; k < 3; k++) {
        const own = light * [1.05, 1, 0.9][k];
        linear[(y * WIDTH + x) * 3 + k] = own + Math.sqrt(grainVariance(model, k, own)) * joined[k];
      }
    }
  return { width: WIDTH, height: HEIGHT, linear };
}

const MODELS: [string, GrainModel][] = [
  ["fine", { read: [0.002, 0.002, 0.003], shot: [2e-4, 1.5e-4, 3e-4], size: 0, joined: [0, 0, 0], from: [0, 0, 0] }],
  ["coarse", { read: [0.001, 0.001, 0.001], shot: [4e-4, 4e-4, 4e-4], size: 0.6, joined: [0, 0, 0], from: [0, 0, 0] }],
  [
    "joined",
    { read: [0.003, 0.003, 0.003], shot: [1e-4, 1e-4, 1e-4], size: 0.4, joined: [0.5, 0.3, 0.15], from: [0, 0, 0] },
  ],
];

/** Passes over a plate with nothing but grain laid on them. */
function grained(plate: Parameters<typeof finishRows>[1], passes: Passes, grain: Comp["grain"], y0 = 0): Float32Array {
  const shot = { comp: { ...newComp(), grain }, set: {}, solved: null };
  const full = { width: passes.width, height: passes.height };
  return finishRows(shot, plate, passes, { full, scale: 1, y0, renderedSigma: 0.4 }).linear;
}

/** The variance within 10 % at some brightnesses, the size within 15 %, the channels as they go together. */
function expectModel(found: GrainModel, truth: GrainModel, lights: readonly number[]): void {
  for (const light of lights)
    for (let k = 0; k < 3; k++)
      expect(Math.abs(grainVariance(found, k, light) / grainVariance(truth, k, light) - 1)).toBeLessThan(0.1);
  if (truth.size > 0) expect(Math.abs(found.size / truth.size - 1)).toBeLessThan(0.15);
  else expect(neighbourCorrelation(found.size)).toBeLessThan(0.03);
  found.joined.forEach((c, i) => expect(Math.abs(c - truth.joined[i])).toBeLessThan(0.08));
}

describe("the plate's grain", () => {
  test.each(MODELS)("of a known kind (%s) is measured: variance within 10 %, size within 15 %", (_name, model) => {
    const measured = measureGrain(noisyPlate(model, 7))!;
    expectModel(measured.model, model, [0.1, 0.3, 0.6]);
  });

  test.each(MODELS)("of a known kind (%s) is told beside walls that are rough all over", (_name, model) => {
    const plate = noisyPlate(model, 13, 2);
    const measured = measureGrain(plate)!;
    expectModel(measured.model, model, [0.1, 0.4, 0.7]);
    // What is shown as measured is the smooth part.
    for (const [x] of measured.shown) expect(x).toBeGreaterThan(WIDTH / 3 - 16);
  });

  test.each(MODELS)("of a known kind (%s) is told by a few chosen parts, and by them alone", (_name, model) => {
    const plate = noisyPlate(model, 11);
    // Beside the joints, on walls of three brightnesses.
    const areas = [0, 2, 4].map((wall): [number, number, number, number] => {
      const from = Math.ceil((wall * WIDTH) / 6 / 107) * 107 + 6;
      return [from, 10, from + 84, 10 + 84];
    });
    const measured = measureGrain(plate, areas)!;
    for (const light of [0.1, 0.3, 0.6])
      for (let k = 0; k < 3; k++)
        expect(Math.abs(grainVariance(measured.model, k, light) / grainVariance(model, k, light) - 1)).toBeLessThan(
          0.1,
        );
    for (const [x, y] of measured.shown)
      expect(areas.some(([l, t, r, b]) => x > l && x < r && y > t && y < b)).toBe(true);
    // Twice the grain somewhere else changes nothing; too small a part tells nothing.
    const louder = { ...plate, linear: plate.linear.slice() };
    for (let i = WIDTH * 150 * 3; i < louder.linear.length; i++) louder.linear[i] *= 1 + 0.2 * ((i % 7) / 7);
    expect(measureGrain(louder, areas)).toEqual(measured);
    expect(measureGrain(plate, [[10, 10, 40, 40]])).toBeNull();
  });

  test.each(MODELS)("laid on something clean (%s) it measures as the plate's", (_name, model) => {
    // A CG wall over all of the plate, at six brightnesses.
    const passes = emptyPasses(WIDTH, HEIGHT);
    const clean = noisyPlate({ ...model, read: [0, 0, 0], shot: [0, 0, 0] }, 1);
    for (let i = 0; i < WIDTH * HEIGHT; i++) {
      passes.prop.set(clean.linear.subarray(i * 3, i * 3 + 3), i * 4);
      passes.prop[i * 4 + 3] = 1;
    }
    const grain = { on: true, strength: 1, matte: null, seed: 5, model, areas: [] };
    const linear = grained(clean, passes, grain);
    const measured = measureGrain({ ...clean, linear })!;
    for (const light of [0.1, 0.3, 0.6])
      for (let k = 0; k < 3; k++)
        expect(Math.abs(grainVariance(measured.model, k, light) / grainVariance(model, k, light) - 1)).toBeLessThan(
          0.1,
        );
    if (model.size > 0) expect(Math.abs(measured.model.size / model.size - 1)).toBeLessThan(0.15);
    measured.model.joined.forEach((c, i) => expect(Math.abs(c - model.joined[i])).toBeLessThan(0.08));
  });

  test("a shadow gets back the grain that its ratio took, and what nothing touches keeps its bits", () => {
    const [, model] = MODELS[0];
    const plate = noisyPlate(model, 3);
    const passes = emptyPasses(WIDTH, HEIGHT);
    for (let y = 0; y < HEIGHT; y++)
      for (let x = 0; x < WIDTH / 2; x++) passes.ratio.fill(0.4, (y * WIDTH + x) * 3, (y * WIDTH + x) * 3 + 3);
    const grain: Comp["grain"] = { on: true, strength: 1, matte: null, seed: 5, model, areas: [] };
    const linear = grained(plate, passes, grain);
    const spread = (of: Float32Array, x0: number) => {
      let [sum, squares, n] = [0, 0, 0];
      for (let y = 20; y < 200; y++)
        for (let x = x0; x < x0 + 60; x++, n++) {
          const v = of[(y * WIDTH + x) * 3 + 1] - of[(y * WIDTH + x) * 3 + 4];
          sum += v;
          squares += v * v;
        }
      return (squares / n - (sum / n) ** 2) / 2;
    };
    const light = 0.4 * (0.03 + 0.14 + 0.005);
    expect(Math.abs(spread(linear, 120) / grainVariance(model, 1, light) - 1)).toBeLessThan(0.06);
    for (let i = (WIDTH / 2) * 3; i < WIDTH * 3; i++) expect(linear[i]).toBe(plate.linear[i]);
  });

  test("in the dark, which the plate does not show, it is about as calm as such a camera has it", async () => {
    // Sensor noise under sRGB (IEC 61966-2-1), 8 bits and JPEG: walls of 0.08 and more, and then one of 0.006.
    const shoot = async (light: (wall: number) => number): Promise<Float32Array> => {
      const random = seeded(21);
      const codes = Uint8Array.from({ length: WIDTH * HEIGHT * 3 }, (_, i) => {
        const level = light(Math.floor(((Math.floor(i / 3) % WIDTH) * 6) / WIDTH));
        const value = level + Math.sqrt(0.0016 ** 2 + 1.6e-4 * level) * gaussian(random);
        return Math.round(255 * Math.min(1, Math.max(0, linearToSrgb(value))));
      });
      const raw = { width: WIDTH, height: HEIGHT, channels: 3 as const };
      const jpeg = await sharp(codes, { raw }).jpeg({ quality: 92 }).toBuffer();
      return Float32Array.from(await sharp(jpeg).raw().toBuffer(), (c) => srgbToLinear(c / 255));
    };
    const size = { width: WIDTH, height: HEIGHT };
    const { model } = measureGrain({ ...size, linear: await shoot((wall) => 0.08 * (1 + wall)) })!;
    const dark = await shoot(() => 0.006);
    let [sum, squares] = [0, 0];
    for (let i = 1; i < dark.length; i += 3) [sum, squares] = [sum + dark[i], squares + dark[i] ** 2];
    const n = dark.length / 3;
    const truth = Math.sqrt(squares / n - (sum / n) ** 2);
    const told = Math.sqrt(grainVariance(model, 1, sum / n));
    expect(told / truth).toBeGreaterThan(0.6);
    expect(told / truth).toBeLessThan(1.3);
    // A curve that texture has lifted in the bright is not believed down there.
    const lifted = { ...model, read: model.read.map((r) => 4 * r) as GrainModel["read"] };
    expect(Math.sqrt(grainVariance(lifted, 1, sum / n)) / truth).toBeLessThan(2);
    expect(Math.sqrt(grainVariance({ ...lifted, from: [0, 0, 0] }, 1, sum / n)) / truth).toBeGreaterThan(2.5);
  });

  /** Standard deviation of green on the walls, and mean squared steps within and between JPEG's squares over its square. */
  function stepsOn(linear: Float32Array, wall: number): { sigma: number; within: number; between: number } {
    let [sum, squares, n] = [0, 0, 0];
    const steps = [0, 0];
    const counts = [0, 0];
    const x0 = 8 * Math.ceil((wall * WIDTH) / 48) + 8;
    for (let y = 0; y < HEIGHT; y++)
      for (let x = x0; x < x0 + 80; x++) {
        const at = (y * WIDTH + x) * 3 + 1;
        [sum, squares, n] = [sum + linear[at], squares + linear[at] ** 2, n + 1];
        const kind = x % 8 === 0 ? 1 : 0;
        steps[kind] += (linear[at] - linear[at - 3]) ** 2;
        counts[kind]++;
      }
    const variance = squares / n - (sum / n) ** 2;
    const [within, between] = steps.map((step, kind) => step / counts[kind] / variance);
    return { sigma: Math.sqrt(variance), within, between };
  }

  test("that JPEG has cut into squares (ITU-T T.81) is laid as such squares, as strong, and as a fresh one where it has not", async () => {
    const random = seeded(21);
    const levels = Array.from({ length: 6 }, (_, wall) => 0.08 * (1 + wall));
    const wallOf = (pixel: number) => Math.floor(((pixel % WIDTH) * 6) / WIDTH);
    const codes = Uint8Array.from({ length: WIDTH * HEIGHT * 3 }, (_, i) => {
      const level = levels[wallOf(Math.floor(i / 3))];
      const value = level + Math.sqrt(0.0016 ** 2 + 1.6e-4 * level) * gaussian(random);
      return Math.round(255 * linearToSrgb(value));
    });
    const raw = { width: WIDTH, height: HEIGHT, channels: 3 as const };
    const light = (of: Uint8Array) => Float32Array.from(of, (c) => srgbToLinear(c / 255));
    const size = { width: WIDTH, height: HEIGHT };
    expect(measureGrain({ ...size, linear: light(codes) })!.model.blocks).toBeUndefined();
    const jpeg = await sharp(codes, { raw }).jpeg({ quality: 95, chromaSubsampling: "4:4:4" }).toBuffer();
    const plate = light(new Uint8Array(await sharp(jpeg).raw().toBuffer()));
    const { model } = measureGrain({ ...size, linear: plate })!;
    expect(model.blocks).toMatchObject({ on: true, side: 8, x: 0, y: 0 });

    const passes = emptyPasses(WIDTH, HEIGHT);
    for (let i = 0; i < WIDTH * HEIGHT; i++) passes.prop.set([0, 1, 2].map(() => levels[wallOf(i)]).concat(1), i * 4);
    const calm = { ...size, linear: new Float32Array(WIDTH * HEIGHT * 3) };
    const laid = grained(calm, passes, { on: true, strength: 1, matte: null, seed: 9, model, areas: [] });
    for (const wall of [0, 3, 5]) {
      const [own, real] = [stepsOn(laid, wall), stepsOn(plate, wall)];
      expect(Math.abs(own.sigma / real.sigma - 1)).toBeLessThan(0.05);
      expect(Math.abs(own.within / real.within - 1)).toBeLessThan(0.25);
      expect(Math.abs(own.between / real.between - 1)).toBeLessThan(0.08);
    }
    // Told by parts of it that do not begin where its squares do, it is cut alike.
    const told = measureGrain({ ...size, linear: plate }, [
      [229, 13, 309, 401],
      [443, 13, 523, 401],
    ])!.model;
    expect(told.blocks).toMatchObject({ side: 8, x: 0, y: 0 });
    for (const level of [0.24, 0.4])
      expect(Math.abs(grainVariance(told, 1, level) / grainVariance(model, 1, level) - 1)).toBeLessThan(0.15);
    // Cut off by three and five pixels, its squares are found where they are now.
    const [width, height] = [WIDTH - 3, HEIGHT - 5];
    const cropped = new Float32Array(width * height * 3);
    for (let y = 0; y < height; y++)
      cropped.set(plate.subarray(((y + 5) * WIDTH + 3) * 3, (y + 6) * WIDTH * 3), y * width * 3);
    const there = measureGrain({ width, height, linear: cropped })!.model;
    expect(there.blocks).toMatchObject({ side: 8, x: 5, y: 3 });
    for (const level of [0.1, 0.3, 0.45])
      expect(Math.abs(grainVariance(there, 1, level) / grainVariance(model, 1, level) - 1)).toBeLessThan(0.1);
    // Measured again it is the same grain.
    const again = measureGrain({ ...size, linear: laid })!.model;
    for (const level of [0.1, 0.3, 0.45])
      expect(Math.abs(grainVariance(again, 1, level) / grainVariance(model, 1, level) - 1)).toBeLessThan(0.1);
    again.blocks!.spectrum.forEach((share, f) =>
      expect(Math.abs(share - model.blocks!.spectrum[f])).toBeLessThan(0.02),
    );
  });

  test("of JPEG's squares, at half the size, is as strong as such a picture averaged by two", () => {
    const spectrum = Array.from({ length: 64 }, (_, f) => 2 ** -((f % 8) + Math.floor(f / 8)));
    const all = spectrum.reduce((sum, s) => sum + s, 0);
    const blocks = { on: true, side: 8, x: 2, y: 6, spectrum: spectrum.map((s) => s / all) };
    const model: GrainModel = { ...MODELS[0][1], shot: [0, 0, 0], blocks };
    const lay = (grain: GrainModel) => {
      const passes = emptyPasses(256, 256);
      for (let i = 0; i < 256 * 256; i++) passes.prop.set([0.5, 0.5, 0.5, 1], i * 4);
      const calm = { width: 256, height: 256, linear: new Float32Array(256 * 256 * 3) };
      return grained(calm, passes, { on: true, strength: 1, matte: null, seed: 5, model: grain, areas: [] });
    };
    const varianceOf = (values: number[]) => {
      const mean = values.reduce((sum, v) => sum + v, 0) / values.length;
      return values.reduce((sum, v) => sum + (v - mean) ** 2, 0) / values.length;
    };
    const whole = lay(model);
    const green = (x: number, y: number) => whole[(y * 256 + x) * 3 + 1];
    const averaged: number[] = [];
    for (let y = 0; y < 256; y += 2)
      for (let x = 0; x < 256; x += 2)
        averaged.push((green(x, y) + green(x + 1, y) + green(x, y + 1) + green(x + 1, y + 1)) / 4);
    const half = lay(grainAt(model, 0.5)).filter((_, i) => i % 3 === 1);
    expect(Math.abs(varianceOf([...half]) / varianceOf(averaged) - 1)).toBeLessThan(0.08);
  });

  test.each([
    ["fine", MODELS[1][1]],
    [
      "of JPEG's squares",
      {
        ...MODELS[0][1],
        blocks: { on: true, side: 8, x: 2, y: 7, spectrum: Array.from({ length: 64 }, () => 1 / 64) },
      } as GrainModel,
    ],
  ])("bands join: rows laid by themselves are the rows of the whole (%s)", (_name, model) => {
    const passes = emptyPasses(64, 40);
    for (let i = 0; i < 64 * 40; i++) passes.prop.set([0.3, 0.3, 0.3, 1], i * 4);
    const plate = { width: 64, height: 40, linear: new Float32Array(64 * 40 * 3) };
    const grain: Comp["grain"] = { on: true, strength: 1, matte: null, seed: 9, model, areas: [] };
    const whole = grained(plate, passes, grain);
    const part = grained(
      { width: 64, height: 15, linear: plate.linear.subarray(25 * 64 * 3) },
      { ...emptyPasses(64, 15), prop: passes.prop.subarray(25 * 64 * 4) },
      grain,
      25,
    );
    expect(part).toEqual(whole.subarray(25 * 64 * 3));
  });

  test("a plate without anything flat says nothing", () => {
    const linear = Float32Array.from({ length: 200 * 100 * 3 }, (_, i) => {
      const [x, y] = [Math.floor(i / 3) % 200, Math.floor(i / 600)];
      return 0.5 + 0.4 * Math.sin(x / 2) * Math.sin(y / 2.4);
    });
    expect(measureGrain({ width: 200, height: 100, linear })).toBeNull();
  });
});

describe("the plate's sharpness", () => {
  /** A bright quarter with an upright, a level and a slanting side, blurred by a Gaussian, with a little noise. */
  function edges(sigma: number): { plate: { width: number; height: number; linear: Float32Array }; lines: Vec2[][] } {
    const random = seeded(11);
    const [width, height] = [300, 220];
    const slope = 0.13;
    const cdf = (d: number) => {
      let sum = 0;
      // The normal distribution by its series of steps: a published table's values within 1e-4.
      for (let t = -6; t < d / sigma; t += 0.002) sum += (0.002 * Math.exp((-t * t) / 2)) / Math.sqrt(2 * Math.PI);
      return sum;
    };
    const table = Float64Array.from({ length: 2001 }, (_, i) => cdf((i - 1000) / 50));
    const step = (d: number) => table[Math.min(2000, Math.max(0, Math.round(d * 50) + 1000))];
    const linear = new Float32Array(width * height * 3);
    for (let y = 0; y < height; y++)
      for (let x = 0; x < width; x++) {
        const d = (x + 0.5 - 150 - slope * (y + 0.5 - 110)) / Math.hypot(1, slope);
        const v = 0.1 + 0.5 * step(d) + 0.003 * gaussian(random);
        linear.fill(v, (y * width + x) * 3, (y * width + x) * 3 + 3);
      }
    const line: Vec2[] = [
      [150 - slope * 90, 20],
      [150 + slope * 90, 200],
    ];
    return { plate: { width, height, linear }, lines: [line] };
  }

  test.each([0.5, 0.8, 1.4, 2.5])("an edge blurred by %p px is measured within 0.1 px", (sigma) => {
    const { plate, lines } = edges(sigma);
    expect(Math.abs(measureSharpness(plate, lines)!.sigmaPx - sigma)).toBeLessThan(0.1);
  });

  test("what is no clean step is not counted", () => {
    const { plate } = edges(0.8);
    expect(
      measureSharpness(plate, [
        [
          [30, 20],
          [34, 200],
        ],
      ]),
    ).toBeNull();
  });

  test("the filter of a softness has its standard deviation", () => {
    for (const sigma of [0.6, 1.3]) {
      const table = filterTable(softness(sigma));
      // The table is the inverse of the distribution: its mean square is the variance.
      const variance = table.reduce((sum, d) => sum + d * d, 0) / table.length;
      expect(Math.abs(Math.sqrt(variance) / sigma - 1)).toBeLessThan(0.03);
    }
    expect(softness(0.3).kind).toBe("blackman-harris");
  });
});
