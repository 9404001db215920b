import type { Vec3 } from "../../math/vec3.ts";
import type { Mesh } from "../../props/model.ts";
import { placedCopy, copyCount } from "../../props/model.ts";
import type { SceneFile } from "./scene.ts";
import { uniqueNames } from "./scene.ts";

/** Set and props as Wavefront OBJ with its MTL: metres, Z up, every thing an object of its own in the world. */
export function writeObj(scene: SceneFile, materialFile: string): { obj: string; mtl: string } {
  const unique = uniqueNames();
  const obj: string[] = [`mtllib ${materialFile}`];
  const mtl: string[] = [];
  let first = 1;
  let firstUv = 1;
  const put = (v: ArrayLike<number>, place: (p: Vec3) => Vec3) => {
    for (let i = 0; i < v.length; i += 3)
      obj.push(
        `v ${place([v[i], v[i + 1], v[i + 2]])
          .map((c) => Number(c.toPrecision(8)))
          .join(" ")}`,
      );
  };
  const faces = (indices: ArrayLike<number>, uvs: boolean) => {
    for (let i = 0; i < indices.length; i += 3)
      obj.push(
        `f ${[0, 1, 2].map((k) => `${first + indices[i + k]}${uvs ? `/${firstUv + indices[i + k]}` : ""}`).join(" ")}`,
      );
  };
  const material = (name: string, colour: readonly number[], rough: number, opacity: number) => {
    const own = unique(`${name} look`);
    mtl.push(
      `newmtl ${own}`,
      `Kd ${colour.slice(0, 3).join(" ")}`,
      `Ns ${Math.round(1000 * (1 - rough) ** 2)}`,
      `d ${opacity}`,
      "",
    );
    return own;
  };
  for (const { name, positions, indices, albedo } of scene.set) {
    obj.push(`o ${unique(name)}`, `usemtl ${material(name, albedo, 0.9, 1)}`);
    put(positions, (p) => p);
    faces(indices, false);
    first += positions.length / 3;
  }
  for (const { name, model, place } of scene.props) {
    const names = model.materials.map((m) => material(`${name} ${m.name}`, m.baseColor, m.roughness, m.baseColor[3]));
    const stand = (p: Vec3): Vec3 =>
      [0, 4, 8].map((r) => place[r] * p[0] + place[r + 1] * p[1] + place[r + 2] * p[2] + place[r + 3]) as Vec3;
    model.meshes.forEach((mesh: Mesh) => {
      for (let copy = 0; copy < copyCount(mesh); copy++) {
        obj.push(`o ${unique(mesh.name ?? name)}`, `usemtl ${names[mesh.material]}`);
        put(placedCopy(mesh, copy), stand);
        if (mesh.uvs) for (let i = 0; i < mesh.uvs.length; i += 2) obj.push(`vt ${mesh.uvs[i]} ${1 - mesh.uvs[i + 1]}`);
        faces(mesh.indices, mesh.uvs !== null);
        first += mesh.positions.length / 3;
        if (mesh.uvs) firstUv += mesh.uvs.length / 2;
      }
    });
  }
  return { obj: `${obj.join("\n")}\n`, mtl: `${mtl.join("\n")}\n` };
}
