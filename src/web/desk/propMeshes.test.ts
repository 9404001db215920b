import { expect, test } from "@jest/globals";
import type * as THREE from "three";
import type { Model } from "#core/props/model";
import { plainMaterial } from "#core/props/model";
import { PropMeshes } from "./propMeshes.ts";

const texels = new Uint8Array(16).fill(128);
const crate: Model = {
  meshes: [
    {
      positions: new Float32Array([0, 0, 0, 1, 0, 0, 0, 1, 0]),
      normals: new Float32Array([0, 0, 1, 0, 0, 1, 0, 0, 1]),
      indices: new Uint32Array([0, 1, 2]),
      uvs: new Float32Array(6),
      material: 0,
    },
  ],
  materials: [{ ...plainMaterial({ baseColor: [1, 1, 1, 1] }), baseTexture: 0 }],
  textures: [{ width: 2, height: 2, texels }],
};
/** The same file in another colour, as a look makes it. */
const painted: Model = { ...crate, materials: [{ ...crate.materials[0], baseColor: [1, 0, 0, 1] }] };

const meshOf = (meshes: PropMeshes, model: Model) =>
  meshes.groupOf(model).children[0] as THREE.Mesh<THREE.BufferGeometry, THREE.MeshPhysicalMaterial>;

/** What of it has left the graphics card. */
function goneOf(things: Record<string, THREE.BufferGeometry | THREE.Material | THREE.Texture>): string[] {
  const gone: string[] = [];
  for (const [name, thing] of Object.entries(things))
    (thing as THREE.Material).addEventListener("dispose", () => gone.push(name));
  return gone;
}

test("models that share their lists lie on the graphics card once, and leave it with the last that shows them", () => {
  const meshes = new PropMeshes();
  meshes.begin();
  const [first, second] = [meshOf(meshes, crate), meshOf(meshes, painted)];
  expect(second.geometry).toBe(first.geometry);
  expect(second.material.map!.source).toBe(first.material.map!.source);
  expect(second.material.color.g).toBe(0);
  const gone = goneOf({
    shape: first.geometry,
    white: first.material,
    red: second.material,
    picture: first.material.map!,
  });
  meshes.sweep();
  expect(gone).toEqual([]);

  meshes.begin();
  expect(meshOf(meshes, painted)).toBe(second);
  meshes.sweep();
  expect(gone.sort()).toEqual(["picture", "white"]);

  meshes.begin();
  meshes.sweep();
  expect(gone.sort()).toEqual(["picture", "red", "shape", "white"]);
});

test("shaders are made anew only when a model comes that was not there", () => {
  const meshes = new PropMeshes();
  for (const [models, fresh] of [
    [[crate], true],
    [[crate], false],
    [[crate, painted], true],
    [[painted], false],
  ] as const) {
    meshes.begin();
    for (const model of models) meshes.groupOf(model);
    meshes.sweep();
    expect(meshes.takeFresh()).toBe(fresh);
  }
});

test("each prop of a model has materials of its own, which leave with it while the model's stay", () => {
  const meshes = new PropMeshes();
  const materialOf = (prop: string, sunlit: boolean) => {
    const [mesh] = meshes.groupFor(prop, crate, sunlit).children;
    return (mesh as THREE.Mesh<THREE.BufferGeometry, THREE.MeshPhysicalMaterial>).material;
  };
  meshes.begin();
  const [first, second] = [materialOf("prop-1", true), materialOf("prop-2", false)];
  meshes.sweep();
  expect(second).not.toBe(first);
  expect(second.map).toBe(first.map);
  expect(second.customProgramCacheKey()).toBe(first.customProgramCacheKey());
  expect(meshes.takeFresh()).toBe(true);
  const gone = goneOf({ first, second, picture: first.map! });
  meshes.begin();
  expect(materialOf("prop-1", false)).toBe(first);
  meshes.sweep();
  expect(gone).toEqual(["second"]);
  expect(meshes.takeFresh()).toBe(false);
});

test("glass leaves of light what its absorption leaves on the way through it (Beer and Lambert), and throws no shadow", () => {
  const absorption: [number, number, number] = [40, 8, 22];
  const glass = { ...crate.materials[0], transmission: 1, thin: false, absorption };
  const meshes = new PropMeshes();
  meshes.begin();
  const mesh = meshOf(meshes, { ...crate, materials: [glass] });
  const { material } = mesh;
  expect(material.transmission).toBe(1);
  expect(mesh.castShadow).toBe(false);
  const way = 0.03;
  const left = material.attenuationColor.toArray().map((c) => c ** (way / material.attenuationDistance));
  expect(left).toEqual(absorption.map((a) => expect.closeTo(Math.exp(-a * way), 6)));
  const clear = meshOf(meshes, { ...crate, materials: [{ ...glass, absorption: [0, 0, 0] }] }).material;
  expect([clear.attenuationDistance, ...clear.attenuationColor.toArray()]).toEqual([Infinity, 1, 1, 1]);
  expect(meshOf(meshes, crate).castShadow).toBe(true);
});
