import { expect, test } from "@jest/globals";
import { importGlb } from "#core/exchange/gltf";
import type { Mesh, Model } from "#core/props/model";
import { COPY_FLOATS, modelBounds, plainMaterial, triangleCount } from "#core/props/model";
import { primitiveModel } from "#core/props/primitives";
import { lowestPoint, placeMesh, placementMatrix } from "#core/props/transform";
import type { Placement } from "#core/props/transform";
import type { TraceScene } from "#core/trace/scene";
import { packGlb } from "../testing/glb.ts";
import { SIZE, emptyScene, lookAt } from "../testing/render.ts";
import { renderScene } from "./renderScene.ts";
import * as L from "#kernel/layout";

const ball = primitiveModel("sphere", [0.7, 0.4, 0.2], 0.5, 0).meshes[0];
const PLACES: Placement[] = [0, 1, 2, 3, 4].map((i) => ({
  position: [1.2 * (i - 2), 0.4 * i, 0.3 * i],
  turn: 0.7 * i,
  lean: [0.1 * i, 0.05],
  scale: [0.5 + 0.1 * i, 0.6, 0.4],
}));

/** The same five balls as copies of one mesh, and as five meshes; beside them one that stands once. */
function twoWays(shines: boolean): [Model, Model] {
  const copies = new Float32Array(PLACES.length * COPY_FLOATS);
  PLACES.forEach((p, i) => copies.set(placementMatrix(p), i * COPY_FLOATS));
  const materials = [
    plainMaterial({ name: "ball", emissive: shines ? [3, 2, 1] : [0, 0, 0] }),
    plainMaterial({ name: "other" }),
  ];
  const other: Mesh = {
    ...placeMesh({ position: [0, -1, 0], turn: 0, lean: [0, 0], scale: [0.4, 0.4, 0.4] }, ball),
    material: 1,
  };
  return [
    { meshes: [other, { ...ball, copies }], materials, textures: [] },
    { meshes: [other, ...PLACES.map((p) => placeMesh(p, ball))], materials, textures: [] },
  ];
}

test.each([false, true])("copies are traced as meshes of their own would be (shining: %s)", async (shines) => {
  const films = await Promise.all(
    twoWays(shines).map((model) => {
      const placement: Placement = { position: [0.2, 0.1, 0.3], turn: 0.4, lean: [0, 0.1], scale: [1, 1.2, 0.9] };
      const scene: TraceScene = {
        ...emptyScene(lookAt([0, -9, 3], [0, 0, 0.8], 25)),
        props: [{ model, placement, end: shines ? undefined : { ...placement, position: [0.4, 0.1, 0.3] } }],
        sun: shines ? null : { direction: [0.3, -0.5, 0.8], irradiance: [2, 2, 2], angularRadius: 0.005 },
        sky: [0.2, 0.25, 0.3],
        floor: { height: 0, albedo: [0.3, 0.3, 0.3] },
      };
      const sums = { half: false, features: true, extras: true, mattes: true, propLights: false };
      return renderScene(scene, { width: SIZE, height: SIZE, seed: 5, maxDepth: 5, sums }, { samples: 64, threads: 1 });
    }),
  );
  const [a, b] = films;
  expect(a.layout).toEqual(b.layout);
  let [sum, off] = [0, 0];
  for (let i = 0; i < a.pixels.length; i++) {
    sum += Math.abs(b.pixels[i]);
    off += Math.abs(a.pixels[i] - b.pixels[i]);
  }
  // The rays are the same ones; what differs are roundings that send a few another way.
  expect(off / sum).toBeLessThan(0.01);
  expect(a.pixels[L.FILM_SAMPLES]).toBe(64);
});

test("bounds, lowest point and triangles of copies are those of the meshes that they stand for", () => {
  const [copied, baked] = twoWays(false);
  expect(triangleCount(copied)).toBe(triangleCount(baked));
  const [a, b] = [modelBounds(copied), modelBounds(baked)];
  for (let k = 0; k < 3; k++) {
    expect(a.low[k]).toBeCloseTo(b.low[k], 5);
    expect(a.high[k]).toBeCloseTo(b.high[k], 5);
  }
  const leaning: Placement = { position: [1, 2, 3], turn: 0.3, lean: [0.4, -0.2], scale: [2, 1, 0.5] };
  expect(lowestPoint(leaning, copied)).toBeCloseTo(lowestPoint(leaning, baked), 5);
});

test("a GLB's mesh that many nodes name is kept once, with their places turned from Y up to Z up", async () => {
  const triangles = 20_000;
  const positions = new Float32Array(triangles * 9).map((_, i) => Math.sin(i * 12.9898) * 0.5);
  const nodes = [
    { mesh: 0, translation: [1, 2, 3] },
    { mesh: 0, rotation: [0, Math.SQRT1_2, 0, Math.SQRT1_2] },
    { mesh: 0, scale: [2, 3, 4] },
    { mesh: 0, rotation: [Math.SQRT1_2, 0, 0, Math.SQRT1_2], translation: [0, 5, 0] },
  ];
  const build = (places: object[]) =>
    packGlb(
      {
        asset: { version: "2.0" },
        scenes: [{ nodes: places.map((_, i) => i) }],
        nodes: places,
        meshes: [{ primitives: [{ attributes: { POSITION: 0 } }] }],
        accessors: [
          { componentType: 5126, type: "VEC3", count: triangles * 3, bufferView: 0, min: [-1, -1, -1], max: [1, 1, 1] },
        ],
        bufferViews: [{ buffer: 0, byteLength: positions.byteLength }],
        buffers: [{ byteLength: positions.byteLength }],
      },
      new Uint8Array(positions.buffer),
    );
  const none = () => Promise.reject(new Error("no textures"));
  const { model } = await importGlb(build(nodes), none);
  expect(model.meshes).toHaveLength(1);
  expect(model.meshes[0].copies).toHaveLength(4 * COPY_FLOATS);
  expect(triangleCount(model)).toBe(4 * triangles);
  // One node at a time is turned into the world by itself: the same corners.
  for (const [i, node] of nodes.entries()) {
    const alone = (await importGlb(build([node]), none)).model.meshes[0];
    const m = model.meshes[0].copies!.subarray(i * COPY_FLOATS, (i + 1) * COPY_FLOATS);
    for (const v of [0, 7, 59_999]) {
      const [x, y, z] = model.meshes[0].positions.subarray(v * 3, v * 3 + 3);
      for (let k = 0; k < 3; k++) {
        const at = m[k * 4] * x + m[k * 4 + 1] * y + m[k * 4 + 2] * z + m[k * 4 + 3];
        expect(at).toBeCloseTo(alone.positions[v * 3 + k], 4);
      }
    }
  }
});
