import { beforeAll, describe, expect, test } from "@jest/globals";
import { newLamp } from "#core/light/schema";
import type { Vec3 } from "#core/math/vec3";
import { dot, normalize } from "#core/math/vec3";
import {
  AROUND,
  IRRADIANCE,
  LookAround,
  directionsAround,
  irradianceAround,
  unlitAround,
  weighedShot,
} from "#core/render/around";
import { flagsOf } from "#core/set/roles";
import { SceneMemory, scratchAddress } from "#core/trace/memory";
import type { Picture, PropPiece, TraceScene } from "#core/trace/scene";
import { emptyScene, lookAt } from "../testing/render.ts";
import { testShot } from "../testing/shots.ts";
import { compileKernel, newKernelMemory, openKernel } from "./kernelFile.ts";

/** What is around a place, for the view's props, against closed forms. */

const SKY: Vec3 = [1, 0.5, 0.25];
const LAMP: Vec3 = [6, 5, 4];
const SUN = 2;
const ALBEDO = 0.3;
/** Half of an endless ground, beside what the camera sees; a lamp above it that is a degree and a half wide. */
const half = 4000;
const scene = (): TraceScene => ({
  ...emptyScene(lookAt([0, 0, 50], [-300, 0, 50], 400)),
  picture: false,
  plate: { width: 16, height: 16, pixels: new Float32Array(16 * 16 * 3).fill(0.9) },
  set: [
    {
      positions: new Float32Array([-half, -half, 0, half, -half, 0, half, half, 0, -half, half, 0]),
      indices: new Uint32Array([0, 1, 2, 0, 2, 3]),
      flags: flagsOf("catcher"),
      albedo: [ALBEDO, ALBEDO, ALBEDO],
      specular: 0,
      roughness: 1,
    },
  ],
  sun: { direction: normalize([0.6, 0, 0.8]), irradiance: [SUN, SUN, SUN], angularRadius: 0.005 },
  sky: SKY,
  lamps: [
    {
      name: "lamp",
      kind: "disc",
      position: [0, 8, 2],
      facing: [0, -1, 0],
      across: [1, 0, 0],
      size: [1, 1],
      radiance: LAMP,
    },
  ],
});

let look: LookAround;
beforeAll(async () => {
  const memory = newKernelMemory();
  const kernel = await openKernel(await compileKernel(), memory, scratchAddress(0));
  look = new LookAround(kernel, new SceneMemory(memory));
});

async function around(unlit?: PropPiece["unlit"], samples = 16, of = scene()): Promise<Picture> {
  await look.load(of, () => Promise.resolve(true));
  look.begin([0, 0, 2], unlit);
  for (let i = 0; i < samples; i++) look.look();
  return look.picture();
}

/** Mean of the pixels whose middle lies within an angle of a direction, degrees. */
function towards({ pixels }: Picture, way: Vec3, within: number): Vec3 {
  const ways = directionsAround(AROUND, [0.5, 0.5]);
  const sum: Vec3 = [0, 0, 0];
  let count = 0;
  for (let i = 0; i < ways.length; i += 3) {
    if (dot(normalize(way), [ways[i], ways[i + 1], ways[i + 2]]) < Math.cos((within * Math.PI) / 180)) continue;
    count++;
    for (let k = 0; k < 3; k++) sum[k] += pixels[i + k];
  }
  return sum.map((x) => x / count) as Vec3;
}

describe("around a place above a ground", () => {
  test("the sky has its radiance, the lamp its own, and the ground gives back a share of what comes there", async () => {
    const picture = await around();
    expect(towards(picture, [0, 0, 1], 20)).toEqual(SKY.map((x) => expect.closeTo(x, 5)));
    expect(towards(picture, [0, 8, 0], 2)).toEqual(LAMP.map((x) => expect.closeTo(x, 4)));
    // Lambert: albedo times irradiance over pi; an even sky brings pi times its radiance, the sun its cosine. The lamp is
    // seen from the ground below at grazing angles: less than a hundredth of that.
    const below = towards(picture, [0, 0, -1], 25);
    for (let k = 0; k < 3; k++) {
      const expected = (ALBEDO / Math.PI) * (Math.PI * SKY[k] + 0.8 * SUN);
      expect(Math.abs(below[k] / expected - 1)).toBeLessThan(0.02);
    }
  });

  test("what leaves a prop out is not there to be mirrored, but its light on the ground is", async () => {
    const all = await around();
    const spared = await around({ sun: true, sky: true, lamps: [0] });
    expect(towards(spared, [0, 0, 1], 20)).toEqual([0, 0, 0]);
    expect(Math.max(...towards(spared, [0, 8, 0], 2))).toBe(0);
    const [a, b] = [all, spared].map((picture) => towards(picture, [0, 0, -1], 25));
    expect(b[0]).toBeCloseTo(a[0], 5);
  });
});

/** Fresnel's equations for light that is not polarised, from air onto a refractive index of 1.5. */
function fresnel(cosine: number): number {
  const inside = Math.sqrt(1 - (1 - cosine ** 2) / 1.5 ** 2);
  const across = (cosine - 1.5 * inside) / (cosine + 1.5 * inside);
  const along = (1.5 * cosine - inside) / (1.5 * cosine + inside);
  return (across ** 2 + along ** 2) / 2;
}

test("what the plate shows has its colour, but the gloss of where one looks from in place of the camera's", async () => {
  const shown = 0.5;
  const eye: Vec3 = [0, -30, 6];
  const plain = scene();
  const floor = (specular: number): TraceScene => ({
    ...plain,
    camera: lookAt(eye, [0, 0, 0], 30),
    plate: { width: 16, height: 16, pixels: new Float32Array(16 * 16 * 3).fill(shown) },
    sun: null,
    sky: [1, 1, 1],
    lamps: [],
    set: [{ ...plain.set[0], specular, roughness: 0.1 }],
  });
  const below = (picture: Picture) => towards(picture, [0, 0, -1], 12)[0];
  expect(below(await around(undefined, 16, floor(0)))).toBeCloseTo(shown, 5);
  // Under an even sky the gloss is the share that is reflected; the camera sees the place at a slant.
  const slant = normalize(eye)[2];
  const expected = shown - fresnel(slant) + fresnel(1);
  expect(fresnel(slant) - fresnel(1)).toBeGreaterThan(0.2);
  expect(Math.abs(below(await around(undefined, 64, floor(1))) - expected)).toBeLessThan(0.03);
});

test("pixels lie where a picture of the surroundings has them: longitude from +y, clockwise seen from above, zenith on top", () => {
  const size = { width: 64, height: 32 };
  const ways = directionsAround(size, [0.5, 0.5]);
  for (const [i, j] of [
    [0, 0],
    [32, 16],
    [50, 3],
    [7, 30],
  ]) {
    const [x, y, z] = ways.subarray((j * 64 + i) * 3, (j * 64 + i) * 3 + 3);
    expect((Math.atan2(x, y) / (2 * Math.PI) + 0.5) * 64).toBeCloseTo(i + 0.5, 4);
    expect((Math.acos(z) / Math.PI) * 32).toBeCloseTo(j + 0.5, 4);
  }
});

test("sources weigh as they do on props", () => {
  const shot = testShot();
  Object.assign(shot.light.sun, { irradiance: [3, 2, 1], strength: 0.5, tint: [1, 0.5, 2] });
  expect(weighedShot(shot).light.sun.irradiance).toEqual([1.5, 0.5, 1]);
  expect(shot.light.sun.irradiance).toEqual([3, 2, 1]);
});

/** A picture all around of what is seen along each direction. */
function pictureOf(seen: (way: Vec3) => number): Picture {
  const ways = directionsAround(AROUND, [0.5, 0.5]);
  const pixels = new Float32Array(ways.length);
  for (let i = 0; i < ways.length; i += 3) pixels.fill(seen([ways[i], ways[i + 1], ways[i + 2]]), i, i + 3);
  return { ...AROUND, pixels };
}

test("irradiance of faces: pi in a furnace, (1 + cos) pi / 2 under half a sky, and nothing from a window behind them", () => {
  const normals = directionsAround(IRRADIANCE, [0.5, 0.5]);
  const of = (picture: Picture) => {
    const { pixels } = irradianceAround(picture);
    return (check: (normal: Vec3, irradiance: number) => void) => {
      for (let n = 0; n < normals.length; n += 3) check([normals[n], normals[n + 1], normals[n + 2]], pixels[n]);
    };
  };
  of(pictureOf(() => 1))((_, e) => expect(Math.abs(e / Math.PI - 1)).toBeLessThan(0.002));
  // Configuration factor of the half of the sphere above to a face tilted by an angle (Lambert).
  of(pictureOf((way) => (way[2] > 0 ? 1 : 0)))((n, e) =>
    expect(Math.abs(e - (Math.PI * (1 + n[2])) / 2)).toBeLessThan(0.01),
  );
  // A window of eight degrees' radius: its radiance times its solid angle times the cosine to it.
  const to = normalize([1, 2, 0.5]);
  const far = Math.cos((8 * Math.PI) / 180);
  const solid = 2 * Math.PI * (1 - far);
  of(pictureOf((way) => (dot(way, to) > far ? 50 : 0)))((n, e) => {
    const cosine = dot(n, to);
    if (cosine < -0.2) expect(e).toBe(0);
    else if (cosine > 0.2) expect(Math.abs(e / (50 * solid * cosine) - 1)).toBeLessThan(0.03);
  });
});

test("a source that lights the set alone is left out like one that spares the prop", () => {
  const shot = testShot();
  shot.light.lamps = Object.fromEntries(["a", "b", "c"].map((id) => [id, newLamp(id, "disc", [0, 0, 2])]));
  expect(unlitAround(shot, undefined)).toEqual({ sun: false, sky: false, lamps: [] });
  shot.light.sky.lights = "set";
  shot.light.lamps.b.lights = "set";
  expect(unlitAround(shot, { sun: true, sky: false, lamps: [2] })).toEqual({ sun: true, sky: true, lamps: [1, 2] });
});
