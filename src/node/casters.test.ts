import { expect, test } from "@jest/globals";
import { flagsOf } from "#core/set/roles";
import { castersOf } from "#core/light/casters";
import { maskFromRegions } from "#core/light/mask";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { normalize } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { projectPoint } from "#core/optics/camera";
import { primitiveModel } from "#core/props/primitives";
import { standing } from "#core/props/transform";
import { SceneMemory, scratchAddress } from "#core/trace/memory";
import type { TraceScene } from "#core/trace/scene";
import { lightAt } from "#core/render/lightAt";
import * as L from "#kernel/layout";
import { emptyScene, lookAt, quadModel } from "../testing/render.ts";
import { compileKernel, newKernelMemory, openKernel } from "./kernelFile.ts";
import { renderScene } from "./renderScene.ts";

/** A wall that is not in the set: only its shade is marked on the plate. */

const frame = { width: 800, height: 600 };
const camera: Camera = { ...lookAt([1, -9, 4], [0, 0, 0], 700), principal: [400, 300] };
const sun: Vec3 = normalize([0.35, 0.8, 0.5]);
const WALL = { from: -3, to: 3, at: 2, tall: 2.5 };
/** From a point of the wall's top to its shadow. */
const throwOf: Vec2 = [(-0.35 / 0.5) * WALL.tall, (-0.8 / 0.5) * WALL.tall];

const pixelOf = (p: Vec3): Vec2 => projectPoint(camera, p)!;
const marked = {
  points: [
    pixelOf([WALL.from, WALL.at, 0]),
    pixelOf([WALL.to, WALL.at, 0]),
    pixelOf([WALL.to + throwOf[0], WALL.at + throwOf[1], 0]),
    pixelOf([WALL.from + throwOf[0], WALL.at + throwOf[1], 0]),
  ],
  feather: 1,
};
const plate = { ...frame, pixels: new Float32Array(frame.width * frame.height * 3).fill(0.2) };
const casters = () => castersOf([marked], camera, frame, sun, 0, plate);

const ground = quadModel([-20, -20, 0], [40, 0, 0], [0, 40, 0], {}).meshes[0];
const scene = (): TraceScene => ({
  ...emptyScene(camera),
  frame,
  picture: false,
  plate,
  set: [{ ...ground, flags: flagsOf("catcher"), albedo: [0.3, 0.3, 0.3], specular: 0, roughness: 1 }],
  sun: { direction: sun, irradiance: [3, 3, 3], angularRadius: 0.005 },
  sky: [1, 1, 1],
  mask: maskFromRegions([marked], frame),
  casters: casters(),
});

/**
 * Configuration factor from a plane element to an upright rectangle of height a and width b that begins c before it, by
 * Lambert's formula for polygons (Photometria 1760): half the sum over its edges of the angle that each subtends times the
 * element's normal on the edge's plane, over π. The upright edges' planes hold the normal and give nothing; the lower edge
 * subtends atan(b/c) in the element's own plane; the upper one atan(b/√(a²+c²)) in a plane turned by c/√(a²+c²).
 */
const factorOf = (a: number, b: number, c: number): number => {
  const slope = Math.hypot(a, c);
  return (Math.atan(b / c) - (c / slope) * Math.atan(b / slope)) / (2 * Math.PI);
};

async function probe(s: TraceScene, points: Vec3[]) {
  const memory = newKernelMemory();
  const kernel = await openKernel(await compileKernel(), memory, scratchAddress(0));
  const space = new SceneMemory(memory);
  return lightAt(kernel, space, s, points.map(pixelOf), 4096).map((at) => at!);
}

test("a marked shade tells where the wall stands and how tall it is", () => {
  const [caster] = casters();
  for (const x of [-2.5, 0, 2.5]) {
    const [across, towards] = [
      WALL.at * caster.toSun[0] - x * caster.toSun[1],
      x * caster.toSun[0] + WALL.at * caster.toSun[1],
    ];
    expect(Math.abs(caster.foot + caster.slant * across - towards)).toBeLessThan(0.02);
  }
  expect(Math.abs(caster.tall - WALL.tall)).toBeLessThan(0.03);
});

test("so does one that a lens with distortion bends, marked along its bent edges", () => {
  // A barrel of 6 % at the frame's corner, as of a wide zoom; common practice, no published source.
  const bent: Camera = { ...camera, distortion: { ...camera.distortion, k1: -0.12 } };
  const corners: Vec2[] = [
    [WALL.from, WALL.at],
    [WALL.to, WALL.at],
    [WALL.to + throwOf[0], WALL.at + throwOf[1]],
    [WALL.from + throwOf[0], WALL.at + throwOf[1]],
  ];
  const points = corners.flatMap(([x, y], i) => {
    const [u, v] = corners[(i + 1) % 4];
    return Array.from({ length: 6 }, (_, k) => projectPoint(bent, [x + ((u - x) * k) / 6, y + ((v - y) * k) / 6, 0])!);
  });
  const [caster] = castersOf([{ points, feather: 1 }], bent, frame, sun, 0, plate);
  for (const x of [-2.5, 0, 2.5]) {
    const towards = x * caster.toSun[0] + WALL.at * caster.toSun[1];
    const across = WALL.at * caster.toSun[0] - x * caster.toSun[1];
    expect(Math.abs(caster.foot + caster.slant * across - towards)).toBeLessThan(0.03);
  }
  expect(Math.abs(caster.tall - WALL.tall)).toBeLessThan(0.04);
  const wide = (WALL.to - WALL.from) * caster.toSun[1];
  expect(Math.abs(caster.span - wide)).toBeLessThan(0.02);
  // Read through a lens without distortion, the same marks tell of a narrower wall.
  const [straight] = castersOf([{ points, feather: 1 }], camera, frame, sun, 0, plate);
  expect(straight.span).toBeLessThan(wide - 0.03);
});

test("the ground before a marked wall sees as much sky as the wall leaves, and no sun in its shade", async () => {
  const points: Vec3[] = [
    [0, 0, 0],
    [1.5, 1, 0],
    [0, -6, 0],
  ];
  const facts = await probe(scene(), points);
  points.forEach(([x, y], i) => {
    const c = WALL.at - y;
    const hidden = factorOf(WALL.tall, x - WALL.from, c) + factorOf(WALL.tall, WALL.to - x, c);
    expect(Math.abs(facts[i].openSky - (1 - hidden))).toBeLessThan(0.012);
    // Its tone is the plate's.
    expect(Math.abs(facts[i].bounce[0] - Math.PI * 0.2 * hidden)).toBeLessThan(Math.PI * 0.2 * 0.012);
  });
  expect(facts.map((f) => f.sunShare)).toEqual([0, 0, 1]);
});

test("a caster hides as much of an environment picture as of an even sky of its radiance", async () => {
  const environment = { width: 32, height: 16, pixels: new Float32Array(32 * 16 * 3).fill(1) };
  const skyOf = async (s: TraceScene) => {
    const film = await renderScene(s, { width: 32, height: 24, seed: 1, maxDepth: 3 }, { samples: 64 });
    let sum = 0;
    for (let i = 0; i < 32 * 24; i++)
      sum += film.pixels[i * film.layout.stride + film.layout.lights + L.GROUP_SKY * L.LIGHT_FLOATS + 3];
    return sum;
  };
  // Without a prop the catcher is not asked.
  const away = { model: primitiveModel("box", [0.5, 0.5, 0.5], 0.5, 0), placement: standing([0, -30, 0]) };
  const bare = { ...scene(), sun: null, mask: null, props: [away] };
  const [even, drawn] = [await skyOf(bare), await skyOf({ ...bare, environment })];
  expect(Math.abs(drawn / even - 1)).toBeLessThan(0.01);
  expect(await skyOf({ ...bare, casters: [] })).toBeGreaterThan(1.02 * even);
});

test("no caster is made up from a region that tells of none", () => {
  const sky: Vec2[] = [
    [100, 2],
    [300, 2],
    [300, 20],
  ];
  const level: Camera = { ...lookAt([0, -9, 1.6], [0, 0, 1.6], 700), principal: [400, 300] };
  expect(castersOf([{ points: sky, feather: 4 }], level, frame, sun, 0, plate)).toEqual([]);
  expect(castersOf([marked], camera, frame, [0, 0, 1], 0, plate)).toEqual([]);
  expect(castersOf([marked], camera, frame, normalize([0, 1, -0.1]), 0, plate)).toEqual([]);
  expect(castersOf([{ ...marked, hidesSky: 0 }], camera, frame, sun, 0, plate)).toEqual([]);
});
