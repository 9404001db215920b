import { expect, test } from "@jest/globals";
import { meshKey } from "#core/props/looks";
import type { Mesh, Model } from "#core/props/model";
import { plainMaterial } from "#core/props/model";
import { modelOf } from "#core/props/placed";
import type { Prop } from "#core/props/schema";
import { plainProp } from "#core/props/schema";
import { shapeMesh } from "#core/props/shapes/index";
import { standing } from "#core/props/transform";
import { rotationFromAngles } from "#core/optics/camera";
import { noDistortion } from "#core/optics/distortion";
import { SOFT } from "#core/trace/filter";
import { opennessOf } from "#core/trace/openness";
import * as L from "#kernel/layout";
import { renderScene } from "./renderScene.ts";

/** Wear, looked at as a picture of a wall of 1 m × 1 m that faces the camera in even light. */

const SIDE = 96;
const block = (changes: Parameters<typeof plainMaterial>[0]): Model => ({
  meshes: [shapeMesh({ kind: "box", size: [1, 1, 1], bevel: 0 })],
  materials: [plainMaterial({ specular: 0, roughness: 1, ...changes })],
  textures: [],
});
const worn = (dirt: number, rust: number, scratches: number) => ({ dirt, rust, scratches, low: 0, height: 1, size: 1 });

async function pictureOf(model: Model, seed = 1): Promise<Float32Array> {
  const frame = { width: SIDE, height: SIDE };
  const film = await renderScene(
    {
      camera: {
        focalPx: SIDE * 4,
        principal: [SIDE / 2, SIDE / 2],
        distortion: noDistortion(),
        rotation: rotationFromAngles({ heading: 0, tilt: 0, roll: 0 }),
        position: [0, -4.5, 0.5],
      },
      frame,
      set: [],
      props: [{ model, placement: standing() }],
      sun: null,
      sky: [1, 1, 1],
      floor: null,
      plate: null,
      mask: null,
      backdrop: null,
      picture: true,
    },
    { ...frame, seed, maxDepth: 2, filter: SOFT, limit: 0 },
    { samples: 16, threads: 1 },
  );
  const pixels = new Float32Array(SIDE * SIDE * 3);
  for (let i = 0, f = 0; i < SIDE * SIDE; i++, f += film.layout.stride)
    for (let k = 0; k < 3; k++) pixels[i * 3 + k] = film.pixels[f + k] / film.pixels[f + L.FILM_SAMPLES];
  return pixels;
}
/** Mean of one channel over rows, from the top as a share of the height. */
function meanOf(pixels: Float32Array, channel: number, from = 0.05, to = 0.95): number {
  let [sum, n] = [0, 0];
  for (let y = Math.round(from * SIDE); y < Math.round(to * SIDE); y++)
    for (let x = Math.round(0.05 * SIDE); x < 0.95 * SIDE; x++, n++) sum += pixels[(y * SIDE + x) * 3 + channel];
  return sum / n;
}

const WHITE: [number, number, number, number] = [0.8, 0.8, 0.8, 1];

test("without strength nothing is worn, to the bit; dirt darkens what is near the ground most, more with its strength", async () => {
  const clean = await pictureOf(block({ baseColor: WHITE }));
  // In even light a wall without gloss shows its albedo.
  expect(meanOf(clean, 1)).toBeCloseTo(0.8, 2);
  expect(await pictureOf(block({ baseColor: WHITE, wear: worn(0, 0, 0) }))).toEqual(clean);
  const means: number[][] = [];
  for (const strength of [0.4, 1]) {
    const dirty = await pictureOf(block({ baseColor: WHITE, wear: worn(strength, 0, 0) }));
    means.push([meanOf(dirty, 1, 0.05, 0.35), meanOf(dirty, 1, 0.85, 0.95)]);
  }
  for (const [above, below] of means) expect(below).toBeLessThan(above - 0.1);
  expect(means[1][1]).toBeLessThan(means[0][1]);
  // Dirt is brown: it never makes a wall brighter, nor bluer.
  const full = await pictureOf(block({ baseColor: WHITE, wear: worn(1, 0, 0) }));
  for (let row = 0.1; row < 0.9; row += 0.1) {
    const [red, blue] = [meanOf(full, 0, row, row + 0.1), meanOf(full, 2, row, row + 0.1)];
    expect(red).toBeLessThan(0.8);
    expect(blue).toBeLessThan(red);
  }
});

test("rust grows with its strength, is redder than what it is on, and takes the shine of metal away", async () => {
  const red = async (strength: number) => {
    const pixels = await pictureOf(block({ baseColor: WHITE, wear: worn(0, strength, 0) }));
    let n = 0;
    for (let i = 0; i < pixels.length; i += 3) if (pixels[i] > 1.5 * pixels[i + 2]) n++;
    return n / (SIDE * SIDE);
  };
  const shares = [await red(0.2), await red(0.5), await red(0.8)];
  expect(shares[0]).toBeLessThan(shares[1]);
  expect(shares[1]).toBeLessThan(shares[2]);
  expect(shares[1]).toBeGreaterThan(0.1);
  expect(shares[1]).toBeLessThan(0.9);
  // Chrome in even light is as bright as its reflectance; all rusted it is as dark as rust.
  const chrome = { baseColor: WHITE, metallic: 1, roughness: 0.05 };
  expect(meanOf(await pictureOf(block(chrome)), 1)).toBeGreaterThan(0.75);
  expect(meanOf(await pictureOf(block({ ...chrome, wear: worn(0, 1, 0) })), 1)).toBeLessThan(0.2);
});

test("scratches are fine: they cover a few hundredths, and lighten dark paint", async () => {
  const paint: [number, number, number, number] = [0.05, 0.05, 0.05, 1];
  const plain = await pictureOf(block({ baseColor: paint }));
  const scratched = await pictureOf(block({ baseColor: paint, wear: worn(0, 0, 1) }));
  const gain = meanOf(scratched, 1) - meanOf(plain, 1);
  expect(gain).toBeGreaterThan(0.0005);
  expect(gain).toBeLessThan(0.03);
});

test("corners in a notch are less open than those of its rim, and a convex body's are all open", () => {
  const box = block({});
  expect([...opennessOf(box, box.meshes[0])].every((open) => open === 255)).toBe(true);
  // A trench: floor and two walls as deep as it is wide. In the middle of an endless one's floor the walls hide
  // 1 − 1/√(1 + (2·depth/width)²) … of the cosine-weighed sky: the open share is w / (2·√(d² + w²/4)), with w = d: 0.447.
  const [w, d, l] = [1, 1, 40];
  const quad = (p: number[][]) => p.flat();
  const positions = new Float32Array([
    ...quad([
      [-w / 2, -l, 0],
      [w / 2, -l, 0],
      [w / 2, l, 0],
      [-w / 2, l, 0],
    ]),
    ...quad([
      [-w / 2, -l, 0],
      [-w / 2, l, 0],
      [-w / 2, l, d],
      [-w / 2, -l, d],
    ]),
    ...quad([
      [w / 2, -l, 0],
      [w / 2, -l, d],
      [w / 2, l, d],
      [w / 2, l, 0],
    ]),
    0,
    0,
    0,
  ]);
  const normals = new Float32Array(positions.length);
  for (let i = 0; i < positions.length / 3; i++)
    normals.set(i < 4 || i === 12 ? [0, 0, 1] : i < 8 ? [1, 0, 0] : [-1, 0, 0], i * 3);
  const indices = new Uint32Array([0, 1, 12, 1, 2, 12, 2, 3, 12, 3, 0, 12, 4, 5, 6, 4, 6, 7, 8, 9, 10, 8, 10, 11]);
  const mesh: Mesh = { positions, normals, uvs: null, indices, material: 0 };
  const open = opennessOf({ meshes: [mesh], materials: [plainMaterial()], textures: [] }, mesh);
  expect(open[12] / 255).toBeCloseTo(1 / Math.sqrt(5), 1);
});

test("strengths of a look reach the material with the model's own size, for one mesh alone where it is that mesh's", () => {
  const prop: Prop = {
    id: "p",
    name: "p",
    source: {
      kind: "shape",
      shape: { kind: "box", size: [0.4, 0.3, 0.2], bevel: 0 },
      colour: [1, 1, 1],
      roughness: 1,
      metallic: 0,
    },
    placement: { position: [0, 0, 0], turnDeg: 0, leanDeg: [0, 0], scale: [1, 1, 1] },
    keeps: "metres",
    ...plainProp(),
    looks: { [meshKey(0)]: { preset: null, dirt: 0.5 } },
  };
  const made = modelOf(prop, new Map())!;
  expect(made.materials[0].wear).toBeUndefined();
  const { wear } = made.materials[made.meshes[0].material];
  expect(wear).toMatchObject({ dirt: 0.5, rust: 0, scratches: 0, low: 0 });
  expect(wear!.height).toBeCloseTo(0.2, 6);
  expect(wear!.size).toBeCloseTo(0.4, 6);
});
