import type { Model } from "../props/model.ts";
import { copyCount, placedCopy } from "../props/model.ts";
import { planarFaces } from "./coplanar.ts";
import type { Face } from "./face.ts";
import type { SetRecord } from "./parts/index.ts";

/**
 * Faces of models that are used as set, by the SHA-256 of their files. A file never changes under its hash, so what is
 * kept here is a constant: whoever loads a shot's models says so once with `provideSetModel`.
 */

/** Triangles that a model of the place may have: all of them are drawn on, snapped to and pointed at. */
export const MOST_SET_TRIANGLES = 100_000;

export interface SetModel {
  /** Names of its meshes, each once, with the number of the material that they had in the file. */
  meshes: { name: string; material: number; faces: number }[];
  /** In the model's own coordinates; ids are the mesh's number and the face's. */
  faces: Face[];
}

const known = new Map<string, SetModel>();

/** Whether a model is loaded. */
export const hasSetModel = (hash: string): boolean => known.has(hash);

/** Faces of a loaded model; undefined before that. */
export const setModelOf = (hash: string): SetModel | undefined => known.get(hash);

/** Takes a loaded model in. Doing so again changes nothing. */
export function provideSetModel(hash: string, model: Model): void {
  if (!known.has(hash)) known.set(hash, setModelFrom(model));
}

/** Takes in all models of the place that a shot names and that are loaded. */
export function provideSetModels({ set }: { set: SetRecord }, models: ReadonlyMap<string, Model>): void {
  for (const part of Object.values(set)) {
    const model = part.kind === "model" && models.get(part.asset);
    if (model) provideSetModel(part.asset, model);
  }
}

export function setModelFrom(model: Model): SetModel {
  const names = new Map<string, number>();
  const meshes: SetModel["meshes"] = [];
  const faces: Face[] = [];
  model.meshes.forEach((mesh, i) => {
    const plain = mesh.name || `mesh ${i + 1}`;
    const often = (names.get(plain) ?? 0) + 1;
    names.set(plain, often);
    const own = Array.from({ length: copyCount(mesh) }, (_, copy) =>
      planarFaces({ positions: placedCopy(mesh, copy), indices: mesh.indices }),
    ).flat();
    own.forEach((rings, n) => faces.push({ id: `${i + 1}.${n + 1}`, rings }));
    meshes.push({ name: often > 1 ? `${plain} ${often}` : plain, material: mesh.material, faces: own.length });
  });
  return { meshes, faces };
}
