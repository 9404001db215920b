import type { Vec3 } from "../math/vec3.ts";
import type { Model } from "./model.ts";
import { plainMaterial } from "./model.ts";
import { shapeMesh } from "./shapes/index.ts";

/** Shapes of one metre that stand on z = 0, centred on the vertical, of one even surface. */
export function primitiveModel(
  kind: "box" | "sphere" | "cylinder",
  colour: Vec3,
  roughness: number,
  metallic: number,
): Model {
  const size: Vec3 = [1, 1, 1];
  return {
    meshes: [shapeMesh(kind === "sphere" ? { kind, size } : { kind, size, bevel: 0 })],
    materials: [plainMaterial({ name: kind, baseColor: [...colour, 1], roughness, metallic })],
    textures: [],
  };
}
