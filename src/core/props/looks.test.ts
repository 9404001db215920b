import { describe, expect, test } from "@jest/globals";
import { meshKey } from "./looks.ts";
import type { Model, Texture } from "./model.ts";
import { plainMaterial } from "./model.ts";
import { modelOf } from "./placed.ts";
import { primitiveModel } from "./primitives.ts";
import type { Prop } from "./schema.ts";
import { plainProp, plainReading } from "./schema.ts";

const FILE = "a".repeat(64);
const PICTURE = "b".repeat(64);
const picture: Texture = { width: 1, height: 1, texels: new Uint8Array([200, 10, 10, 255]) };
const asPicture: Model = { meshes: [], materials: [], textures: [picture] };

/** A file of two boxes of the same material, the second without texture coordinates. */
function file(): Model {
  const { meshes } = primitiveModel("box", [1, 1, 1], 1, 0);
  return {
    meshes: [meshes[0], { ...meshes[0], uvs: null }],
    materials: [plainMaterial({ name: "oak" })],
    textures: [{ width: 1, height: 1, texels: new Uint8Array(4) }],
  };
}
const propWith = (looks: Prop["looks"]): Prop => ({
  id: "p",
  name: "p",
  source: { kind: "model", asset: FILE, fileName: "f.glb", reading: plainReading(), skin: null },
  placement: { position: [0, 0, 0], turnDeg: 0, leanDeg: [0, 0], scale: [1, 1, 1] },
  keeps: "metres",
  ...plainProp(),
  looks,
});

describe("looks", () => {
  test("one mesh has a look by itself, and the others of its material stay as they were", () => {
    const models = new Map([[FILE, file()]]);
    const made = modelOf(propWith({ [meshKey(1)]: { preset: null, metallic: 1 } }), models)!;
    const metallic = made.meshes.map(({ material }) => made.materials[material].metallic);
    expect(metallic).toEqual([0, 1]);
    // With a look by name as well, that of the mesh is instead of it.
    const both = modelOf(
      propWith({ oak: { preset: null, roughness: 0.1 }, [meshKey(1)]: { preset: null, metallic: 1 } }),
      models,
    )!;
    const [first, second] = both.meshes.map(({ material }) => both.materials[material]);
    expect([first.roughness, first.metallic]).toEqual([0.1, 0]);
    expect(second.metallic).toBe(1);
  });

  test("a picture of its own is taken once it is there, for all of the material, with places in metres where there are none", () => {
    const models = new Map([[FILE, file()]]);
    const prop = propWith({ oak: { preset: null, pictures: { base: PICTURE } } });
    expect(modelOf(prop, models)!.materials[0].baseTexture).toBeNull();
    models.set(PICTURE, asPicture);
    const made = modelOf(prop, models)!;
    expect(made.textures[made.materials[0].baseTexture!]).toBe(picture);
    expect(made.meshes[0]).toBe(models.get(FILE)!.meshes[0]);
    const { positions: p, uvs, indices } = made.meshes[1];
    for (let t = 0; t < indices.length; t += 3) {
      const [a, b] = [indices[t], indices[t + 1]];
      const metres = Math.hypot(...[0, 1, 2].map((k) => p[a * 3 + k] - p[b * 3 + k]));
      const across = Math.hypot(uvs![a * 2] - uvs![b * 2], uvs![a * 2 + 1] - uvs![b * 2 + 1]);
      expect(across).toBeCloseTo(metres, 6);
    }
  });

  test("the same picture for two kinds is one texture, and the file's own stay", () => {
    const models = new Map([
      [FILE, file()],
      [PICTURE, asPicture],
    ]);
    const made = modelOf(propWith({ oak: { preset: null, pictures: { base: PICTURE, normal: PICTURE } } }), models)!;
    expect(made.textures).toHaveLength(2);
    expect(made.materials[0].normalTexture).toBe(made.materials[0].baseTexture);
  });
});
