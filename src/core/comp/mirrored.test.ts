import { describe, expect, test } from "@jest/globals";
import type { Camera } from "../optics/camera.ts";
import { projectPoint, rotationFromAngles } from "../optics/camera.ts";
import { noDistortion } from "../optics/distortion.ts";
import { makePart } from "../set/parts/make.ts";
import { typedVertex } from "../set/vertex.ts";
import type { Passes } from "../trace/film.ts";
import { emptyPasses } from "../trace/film.ts";
import type { FinishPart } from "./finish.ts";
import { finishHalo, finishRows, finishing } from "./finish.ts";
import { layersOf } from "./layers.ts";
import { mirrored } from "./mirrored.ts";
import { newComp } from "./schema.ts";

const [WIDTH, HEIGHT] = [160, 200];
const full = { width: WIDTH, height: HEIGHT };
const camera: Camera = {
  focalPx: 150,
  principal: [80, 90],
  distortion: noDistortion(),
  rotation: rotationFromAngles({ heading: 0, tilt: -0.45, roll: 0 }),
  position: [0, -4, 2],
};
const corner = (x: number, y: number, z = 0) => typedVertex([x, y, z]);
const ground = makePart(
  "ground",
  "ground",
  { kind: "polygon", vertices: [corner(-9, -3.9), corner(9, -3.9), corner(9, 20), corner(-9, 20)], holes: [] },
  "material-1",
);
const shotOf = (change: object): FinishPart => {
  const comp = newComp();
  Object.assign(comp.reflection, { on: true }, change);
  return { comp, set: { ground }, solved: { camera, evidence: "", rmsPx: null, sigma: null } };
};
const grey = { width: WIDTH, height: HEIGHT, linear: new Float32Array(WIDTH * HEIGHT * 3).fill(0.2) };
/** Row of the foot of an upright board across the picture at y = 0, and rows of points of its mirror image. */
const rowOf = (height: number) => projectPoint(camera, [0, 0, -height])![1];
const FOOT = Math.floor(rowOf(0));

/** The board, whose mirror image is a bright line at a height of 0.5 m. */
function passesOf(scale = 1): Passes {
  const passes = emptyPasses(WIDTH, HEIGHT);
  for (let x = 0; x < WIDTH; x++) {
    for (let y = Math.round(20 * scale); y <= FOOT; y++) passes.prop.set([0.5, 0.5, 0.5, 1], (y * WIDTH + x) * 4);
    passes.added.fill(1, (Math.floor(rowOf(0.5)) * WIDTH + x) * 3, (Math.floor(rowOf(0.5)) * WIDTH + x) * 3 + 3);
  }
  return passes;
}
const mirrorOf = () => {
  const where = { full, scale: 1, y0: 0, renderedSigma: 0.4 };
  return mirrored(layersOf(grey.linear, passesOf(), 0), finishing(shotOf({}), grey, where).where)!;
};

describe("what a floor mirrors", () => {
  test("is as high as the point whose mirror image lies at that pixel", () => {
    const mirror = mirrorOf();
    for (const height of [0.2, 0.5, 0.8, 1.1]) {
      const [x, y] = projectPoint(camera, [0, 0, -height])!;
      const read = mirror.height[Math.floor(y) * WIDTH + Math.floor(x)];
      // Half a row of the picture is up to 2 cm of height here, and so is the foot's.
      expect(Math.abs(read - height)).toBeLessThan(0.04);
    }
  });

  test("is looked at under the angle of the line of sight with the normal, and spreads longer than wide by it", () => {
    const mirror = mirrorOf();
    const [x, y] = [80, 170];
    const i = y * WIDTH + x;
    const down = 0.45 + Math.atan((y + 0.5 - 90) / 150);
    expect(mirror.cosine[i]).toBeCloseTo(Math.sin(down), 3);
    expect(mirror.across[i] / mirror.down[i]).toBeCloseTo(Math.sin(down), 3);
  });

  test("fades to a third at the height that is asked, and by the power of the angle", () => {
    const row = Math.floor(rowOf(0.5));
    const i = (row * WIDTH + 80) * 3;
    const { height, cosine } = mirrorOf();
    const added = (change: object) =>
      finishRows(shotOf(change), grey, passesOf(), { full, scale: 1, y0: 0, renderedSigma: 0.4 }).layers.added[i];
    expect(added({ fadeMetres: height[i / 3] })).toBeCloseTo(Math.exp(-1), 5);
    expect(added({ fadeAngle: 5 })).toBeCloseTo((1 - cosine[i / 3]) ** 5, 5);
  });

  test("of a rough floor is spread about its place by the slopes, and keeps its light", () => {
    const { layers } = finishRows(shotOf({ roughness: 0.3 }), grey, passesOf(), {
      full,
      scale: 1,
      y0: 0,
      renderedSigma: 0.4,
    });
    const at = (y: number) => layers.added[(y * WIDTH + 80) * 3];
    let sum = 0;
    for (let y = FOOT + 1; y < HEIGHT; y++) sum += at(y);
    // Slopes of one axis spread by alpha / √2, alpha the roughness squared; the mirrored ray turns by twice as much, and is
    // seen from the eye under the share of its way that lies behind the mirror.
    const image = Math.hypot(4, 2.5);
    const share = 1 - 2 / 2.5;
    const sigma = (150 * 2 * share * 0.3 ** 2) / Math.SQRT2;
    expect(image * share).toBeCloseTo(Math.hypot(4 * share, 0.5), 1);
    expect(sum).toBeGreaterThan(0.93);
    expect(sum).toBeLessThan(1.07);
    // A line of one row: what is left in its own row tells the spread.
    const left = at(Math.floor(rowOf(0.5)));
    expect(left * sigma * Math.sqrt(2 * Math.PI)).toBeGreaterThan(0.95);
    expect(left * sigma * Math.sqrt(2 * Math.PI)).toBeLessThan(1.05);
  });

  test("rows by themselves are those of the whole to the bit where the look upwards ends", () => {
    const scale = 0.05;
    const shot = { ...shotOf({ roughness: 0.5, fadeMetres: 0.4, fadeAngle: 1 }) };
    const small: Camera = { ...camera, focalPx: camera.focalPx / scale, principal: [80 / scale, 90 / scale] };
    shot.solved = { camera: small, evidence: "", rmsPx: null, sigma: null };
    const whole = finishRows(shot, grey, passesOf(), { full, scale, y0: 0, renderedSigma: 0.4 }).linear;
    const halo = finishHalo(shot, scale, full, 0.4);
    expect(halo).toBeLessThan(60);
    const [from, to] = [90, 130];
    const [h0, h1] = [from - halo, to + halo];
    const cut = (of: Float32Array, stride: number) => of.slice(h0 * WIDTH * stride, h1 * WIDTH * stride);
    const passes = passesOf();
    const rows: Passes = {
      width: WIDTH,
      height: h1 - h0,
      prop: cut(passes.prop, 4),
      ratio: cut(passes.ratio, 3),
      added: cut(passes.added, 3),
      depth: cut(passes.depth, 1),
    };
    const part = { width: WIDTH, height: h1 - h0, linear: cut(grey.linear, 3) };
    const own = finishRows(shot, part, rows, { full, scale, y0: h0, renderedSigma: 0.4 }).linear;
    const row = WIDTH * 3;
    expect(own.slice((from - h0) * row, (to - h0) * row)).toEqual(whole.slice(from * row, to * row));
    expect(whole.slice(from * row, to * row).some((v) => Math.abs(v - 0.2) > 0.01)).toBe(true);
  });
});
