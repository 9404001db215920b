import { describe, expect, test } from "@jest/globals";
import { nonNegativeLeastSquares } from "#core/math/nnls";
import type { Vec3 } from "#core/math/vec3";
import { between, gaussian, seeded } from "../../testing/random.ts";
import type { LitPatch } from "./solveSources.ts";
import { MODEL_SIGMA, solveSources, worthOf } from "./solveSources.ts";

const GREY: Vec3 = [0.2, 0.2, 0.2];
/** A patch under sources of given colours that reach it with given units, by Lambert's law. */
function patch(id: string, units: number[], colours: Vec3[], albedo = GREY, bounce: Vec3 = [0, 0, 0]): LitPatch {
  const e = [0, 1, 2].map((k) => bounce[k] + units.reduce((sum, u, s) => sum + u * colours[s][k], 0));
  return {
    id,
    colour: e.map((x, k) => (x * albedo[k]) / Math.PI) as Vec3,
    albedo,
    spread: 0.1,
    surface: "ground",
    bounce,
    units: units.map((u) => [u, u, u]),
  };
}
const rig = (sun: Vec3, sky: Vec3) => [
  { kind: "sun", colour: sun },
  { kind: "sky", colour: sky },
];
const SUN: Vec3 = [3, 2.6, 2.1];
const SKY: Vec3 = [0.3, 0.4, 0.55];

describe("sources from patches", () => {
  test("sun and sky come out of a lit and a shaded patch, whatever the rig was before", () => {
    const random = seeded(7);
    for (let i = 0; i < 40; i++) {
      const colour = (): Vec3 => [between(random, 0.1, 3), between(random, 0.1, 3), between(random, 0.1, 3)];
      const truth = [colour(), colour()];
      const bounce = colour().map((v) => v / 10) as Vec3;
      const patches = [patch("a", [0.6, 2.8], truth, GREY, bounce), patch("b", [0, 1.6], truth, GREY, bounce)];
      const { colours } = solveSources(patches, rig(colour(), colour()));
      truth.forEach((c, s) => c.forEach((v, k) => expect(Math.abs(colours[s][k] / v - 1)).toBeLessThan(0.01)));
    }
    const sunny = [patch("a", [0.6, 2.8], [SUN, SKY]), patch("b", [0, 1.6], [SUN, SKY])];
    expect(solveSources(sunny, rig(SUN, SKY)).confused).toEqual([]);
  });

  test("a patch that counts for four draws the answer as four of it do", () => {
    const list = [patch("a", [0.6, 2.8], [SUN, SKY]), patch("b", [0, 1.6], [SUN, SKY])];
    const off = patch("c", [0, 2], [SUN, SKY.map((x) => 1.2 * x) as Vec3]);
    const four = [1, 2, 3, 4].map((i) => ({ ...off, id: `c${i}` }));
    const { colours } = solveSources([...list, { ...off, weight: 4 }], rig(SUN, SKY));
    const asFour = solveSources([...list, ...four], rig(SUN, SKY)).colours;
    const once = solveSources([...list, off], rig(SUN, SKY)).colours;
    colours[1].forEach((v, k) => {
      expect(v).toBeCloseTo(asFour[1][k], 6);
      expect(v).toBeGreaterThan(once[1][k] * 1.02);
    });
  });

  test("an overcast sky comes out of one patch", () => {
    const { colours, residual } = solveSources(
      [patch("a", [2.9], [SKY])],
      [{ kind: "sky", colour: [0.25, 0.25, 0.25] }],
    );
    colours[0].forEach((v, k) => expect(v).toBeCloseTo(SKY[k], 4));
    expect(residual[0]).toBeCloseTo(0, 4);
  });

  test("one lit patch cannot tell sun from sky: both keep their ratio, that is said, and shade is worth more than light", () => {
    const lit = [patch("a", [0.6, 2.8], [SUN, SKY])];
    const present = rig([2, 2, 2], [0.2, 0.2, 0.2]);
    const { colours, confused, sigma } = solveSources(lit, present);
    expect(confused).toEqual([[0, 1]]);
    expect(Math.max(...sigma)).toBeGreaterThan(0.5);
    const e = 0.6 * colours[0][1] + 2.8 * colours[1][1];
    expect(e).toBeCloseTo(0.6 * SUN[1] + 2.8 * SKY[1], 1);
    expect(colours[0][1] / colours[1][1]).toBeGreaterThan(5);
    const shade = worthOf(lit, present, colours, patch("b", [0, 1.6], colours));
    expect(shade).toBeGreaterThan(3 * worthOf(lit, present, colours, patch("b", [0.6, 2.7], colours)));
  });

  test("a chart that lies in the sun does not tell it from the sky, however the grain of its fields falls", () => {
    const random = seeded(11);
    const present = rig([2, 2, 2], [0.2, 0.2, 0.2]);
    for (let i = 0; i < 30; i++) {
      const off = (sigma: number) => 1 + sigma * gaussian(random);
      const fields = [0.9, 0.59, 0.36, 0.19, 0.09, 0.03].map((grey, n) => {
        const field = patch(`field ${n}`, [0.6, 2.8], [SUN, SKY], [grey, grey, grey]);
        // A percent of grain, and half a percent of what sampling the sky leaves.
        const seen = field.units.map((u) => u.map((v) => v * off(0.005)) as Vec3);
        return { ...field, colour: field.colour.map((v) => v * off(0.01)) as Vec3, units: seen };
      });
      const { colours, confused } = solveSources(fields, present);
      expect(confused).toEqual([[0, 1]]);
      expect(Math.abs(colours[0][1] / colours[1][1] / 10 - 1)).toBeLessThan(0.2);
      const e = (sun: Vec3, sky: Vec3) => 0.6 * sun[1] + 2.8 * sky[1];
      expect(Math.abs(e(colours[0], colours[1]) / e(SUN, SKY) - 1)).toBeLessThan(0.03);
    }
  });

  test("windows that the patches do not tell apart stay alike, and their sum is what the patches say", () => {
    const truth: Vec3[] = [SKY, SKY, SKY];
    const windows = truth.map(() => ({ kind: "lamp", colour: [10, 10, 10] as Vec3 }));
    const patches = [patch("a", [0.4, 0.39, 0.02], truth), patch("b", [0.1, 0.1, 0.3], truth)];
    patches[0].colour = patches[0].colour.map((c) => 1.04 * c) as Vec3;
    const { colours } = solveSources(patches, windows);
    for (const c of colours) c.forEach((v, k) => expect(Math.abs(v / SKY[k] - 1)).toBeLessThan(0.08));
  });

  test("nothing shines below 0: a shaded patch that is too bright takes all from the sun", () => {
    const bright = patch("b", [0, 1.6], [SUN, [2, 2, 2]]);
    const { colours } = solveSources(
      [
        patch(
          "a",
          [0.6, 1.6],
          [
            [0, 0, 0],
            [1, 1, 1],
          ],
        ),
        bright,
      ],
      rig(SUN, SKY),
    );
    colours[0].forEach((v) => expect(v).toBeLessThan(0.001));
    colours[1].forEach((v) => expect(v).toBeGreaterThan(0.9));
  });

  test("the ± of a source holds over patches that are off by what it assumes", () => {
    const random = seeded(11);
    let held = 0;
    const repeats = 400;
    for (let i = 0; i < repeats; i++) {
      const noisy = [
        [0.6, 2.8],
        [0.4, 2.2],
        [0, 1.6],
        [0, 2.4],
      ].map((units, n) => {
        const p = patch(String(n), units, [SUN, SKY]);
        const off = 1 + MODEL_SIGMA * gaussian(random);
        return { ...p, colour: p.colour.map((c) => c * off) as Vec3 };
      });
      const { colours, sigma } = solveSources(noisy, rig(SUN, SKY));
      held += Number(Math.abs(colours[0][1] / SUN[1] - 1) < 1.96 * sigma[0]);
    }
    expect(held / repeats).toBeGreaterThan(0.92);
    expect(held / repeats).toBeLessThan(0.98);
  });

  test("least squares that are not below 0 fulfil the conditions of Kuhn and Tucker", () => {
    const random = seeded(3);
    for (let i = 0; i < 50; i++) {
      const rows = Array.from({ length: 7 }, () => Array.from({ length: 4 }, () => gaussian(random)));
      const right = rows.map(() => gaussian(random));
      const { x } = nonNegativeLeastSquares(rows, right);
      const left = rows.map((row, r) => row.reduce((sum, v, k) => sum + v * x[k], 0) - right[r]);
      x.forEach((v, k) => {
        const slope = rows.reduce((sum, row, r) => sum + row[k] * left[r], 0);
        expect(v).toBeGreaterThanOrEqual(0);
        if (v > 0) expect(Math.abs(slope)).toBeLessThan(1e-8);
        else expect(slope).toBeGreaterThan(-1e-8);
      });
    }
  });
});
