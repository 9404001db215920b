import { expect, test } from "@jest/globals";
import { newLamp, newLight } from "#core/light/schema";
import { unlitBy } from "#core/light/rig";
import type { Vec3 } from "#core/math/vec3";
import { primitiveModel } from "#core/props/primitives";
import { standing } from "#core/props/transform";
import { flagsOf } from "#core/set/roles";
import { copySettings } from "#core/shot/copySettings";
import { followCopy, removeProp } from "#core/shot/references";
import { ALL_SUMS } from "#core/trace/film";
import type { PropPiece, TraceScene } from "#core/trace/scene";
import * as L from "#kernel/layout";
import { emptyScene, lookAt } from "../testing/render.ts";
import { testShot } from "../testing/shots.ts";
import { renderScene } from "./renderScene.ts";

const SIZE = 64;
/** Two balls on a ground, far enough apart that neither counts for the other, under sun, sky and a lamp. */
function place(roughness: number, metallic: number, unlit?: PropPiece["unlit"]): TraceScene {
  const ball = primitiveModel("sphere", [0.5, 0.5, 0.5], roughness, metallic);
  return {
    ...emptyScene(lookAt([0, -9, 6], [0, 0, 0], 30)),
    picture: false,
    plate: { width: SIZE, height: SIZE, pixels: new Float32Array(SIZE * SIZE * 3).fill(0.25) },
    set: [
      {
        positions: new Float32Array([-6, -6, 0, 6, -6, 0, 6, 6, 0, -6, 6, 0]),
        indices: new Uint32Array([0, 1, 2, 0, 2, 3]),
        flags: flagsOf("catcher"),
        albedo: [0.3, 0.3, 0.3],
        specular: 0,
        roughness: 0.5,
      },
    ],
    sun: { direction: [0.3, -0.5, Math.sqrt(1 - 0.34)], irradiance: [2, 2, 2], angularRadius: 0.02 },
    sky: [0.2, 0.22, 0.26],
    lamps: [
      {
        name: "lamp",
        kind: "rectangle",
        position: [0, -2, 4],
        facing: [0, 0.4, -Math.sqrt(1 - 0.16)],
        across: [1, 0, 0],
        size: [1, 1],
        radiance: [3, 2, 1],
      },
    ],
    props: [
      { model: ball, placement: standing([-1.8, 0, 0]), name: "left", unlit },
      { model: ball, placement: standing([1.8, 0, 0]), name: "right" },
    ],
  };
}

/** Sums over each half of the picture: light on the props by group, and the catcher's light with the props. */
async function sumsOf(scene: TraceScene) {
  const settings = { width: SIZE, height: SIZE, seed: 3, maxDepth: 6, sums: ALL_SUMS };
  const { pixels, layout } = await renderScene(scene, settings, { samples: 64, threads: 2 });
  const groups = layout.groups.length;
  const halves = [0, 1].map(() => ({
    props: new Array<number>(groups).fill(0),
    set: new Array<number>(groups).fill(0),
  }));
  for (let i = 0, f = 0; i < SIZE * SIZE; i++, f += layout.stride) {
    const half = halves[i % SIZE < SIZE / 2 ? 0 : 1];
    for (let g = 0; g < groups; g++) {
      half.props[g] += pixels[f + layout.propLights + g * 3];
      half.set[g] += pixels[f + layout.lights + g * L.LIGHT_FLOATS];
    }
  }
  return { left: halves[0], right: halves[1] };
}

const near = (a: number, b: number, share = 0.01) => expect(Math.abs(a / b - 1)).toBeLessThan(share);
const [SUN, SKY, LAMP] = [L.GROUP_SUN, L.GROUP_SKY, L.GROUP_LAMPS];

test.each([
  ["matt", 0.9, 0],
  ["a mirror", 0, 1],
] as const)("a light that leaves a prop out lights the others, and its shadow stays: %s", async (_, rough, metal) => {
  const all = await sumsOf(place(rough, metal));
  const spared = await sumsOf(place(rough, metal, { sun: true, sky: false, lamps: [0] }));
  for (const group of [SUN, LAMP]) {
    expect(all.left.props[group]).toBeGreaterThan(0);
    // What is left of it comes by way of the ground.
    expect(spared.left.props[group]).toBeLessThan(0.2 * all.left.props[group]);
    near(spared.right.props[group], all.right.props[group]);
    // The same rays meet the same things: not a shade of it is gone.
    near(spared.left.set[group], all.left.set[group], 1e-6);
  }
  near(spared.left.props[SKY], all.left.props[SKY]);
  const skyless = await sumsOf(place(rough, metal, { sun: false, sky: true, lamps: [] }));
  expect(skyless.left.props[SKY]).toBeLessThan(0.2 * all.left.props[SKY]);
  near(skyless.left.props[SUN], all.left.props[SUN]);
  near(skyless.right.props[SKY], all.right.props[SKY]);
});

test("who is left out follows copies, goes with the prop, and is of its own shot", () => {
  const shot = testShot();
  shot.light = newLight();
  shot.light.lamps = { a: newLamp("a", "disc", [0, 0, 2] as Vec3), b: newLamp("b", "disc", [1, 0, 2] as Vec3) };
  shot.light.sun.except = ["boat"];
  shot.light.lamps.b.except = ["boat", "crate"];
  expect(unlitBy(shot, "boat")).toEqual({ sun: true, sky: false, lamps: [1] });
  expect(unlitBy(shot, "other")).toBeNull();
  // A lamp that is off has no number.
  shot.light.lamps.a.on = false;
  expect(unlitBy(shot, "crate")).toEqual({ sun: false, sky: false, lamps: [0] });
  followCopy(shot, "crate", "crate-2");
  expect(unlitBy(shot, "crate-2")).toEqual({ sun: false, sky: false, lamps: [0] });
  removeProp(shot, "boat");
  expect(unlitBy(shot, "boat")).toBeNull();
  const other = testShot();
  copySettings(other, shot, ["light.lamps"]);
  expect(Object.values(other.light.lamps).flatMap(({ except }) => except)).toEqual([]);
});
