import { MeshoptSimplifier } from "meshoptimizer";
import type { Mesh, Model } from "#core/props/model";
import { MOST_SET_TRIANGLES } from "#core/set/models";

/**
 * Triangles of a model in the interactive view, each mesh counted once; proof and final have all of them. A model of the
 * place, whose triangles are its faces, is never above it.
 */
export const VIEW_TRIANGLES = MOST_SET_TRIANGLES;
/** Triangles that no mesh goes below. */
const LEAST = 300;
/** How far the surface may move where that reaches the count, as a share of the mesh's size. */
const COARSE = 0.02;
/** From so many times the count on. */
const ROUGH = 3.5;
/** What a normal that turns by a radian counts, as a share of the mesh's size. */
const NORMAL_WEIGHT = 0.3;

const trianglesOf = ({ indices }: Mesh): number => indices.length / 3;

/** Vertices that lie farthest along the axes: sizes and lowest points stay what they are. */
function extremes({ positions: p }: Mesh): Uint8Array {
  const locked = new Uint8Array(p.length / 3);
  for (let k = 0; k < 3; k++) {
    let [low, high] = [0, 0];
    for (let i = 0; i < locked.length; i++) {
      if (p[i * 3 + k] < p[low * 3 + k]) low = i;
      if (p[i * 3 + k] > p[high * 3 + k]) high = i;
    }
    // Corners that lie in one place are one corner with several normals.
    for (const most of [low, high])
      for (let i = 0; i < locked.length; i++)
        if (p[i * 3] === p[most * 3] && p[i * 3 + 1] === p[most * 3 + 1] && p[i * 3 + 2] === p[most * 3 + 2])
          locked[i] = 1;
  }
  return locked;
}

/** Those of a list's entries that are still used, in their new order. */
function kept<T extends Float32Array | Uint8Array>(list: T, each: number, remap: Uint32Array, count: number): T {
  const out = new (list.constructor as new (length: number) => T)(count * each);
  for (let i = 0; i < remap.length; i++)
    if (remap[i] !== 0xffffffff) for (let k = 0; k < each; k++) out[remap[i] * each + k] = list[i * each + k];
  return out;
}

/** Extent along the axes of the corners that triangles use. */
function spanOf({ positions: p }: Mesh, indices: Uint32Array): string {
  const [low, high] = [
    [Infinity, Infinity, Infinity],
    [-Infinity, -Infinity, -Infinity],
  ];
  for (const i of indices)
    for (let k = 0; k < 3; k++) {
      if (p[i * 3 + k] < low[k]) low[k] = p[i * 3 + k];
      if (p[i * 3 + k] > high[k]) high[k] = p[i * 3 + k];
    }
  return `${low} ${high}`;
}

/** The fewer triangles that stand for all; what is far too heavy is joined by cells first, which is ten times as quick. */
function fewer(mesh: Mesh, most: number, rough: boolean): Uint32Array {
  const { positions, normals } = mesh;
  const locked = extremes(mesh);
  const begun = rough
    ? MeshoptSimplifier.simplifySloppy(mesh.indices, positions, 3, locked, ROUGH * most * 3, COARSE)[0]
    : mesh.indices;
  const weights = [NORMAL_WEIGHT, NORMAL_WEIGHT, NORMAL_WEIGHT];
  return MeshoptSimplifier.simplifyWithAttributes(
    begun,
    positions,
    3,
    normals,
    3,
    weights,
    locked,
    most * 3,
    COARSE,
  )[0];
}

function lighterMesh(mesh: Mesh, most: number): Mesh {
  if (trianglesOf(mesh) <= most) return mesh;
  let indices = fewer(mesh, most, trianglesOf(mesh) > ROUGH * most);
  // Cells may swallow a tip.
  if (spanOf(mesh, indices) !== spanOf(mesh, mesh.indices)) indices = fewer(mesh, most, false);
  const [remap, count] = MeshoptSimplifier.compactMesh(indices);
  return {
    ...mesh,
    indices,
    positions: kept(mesh.positions, 3, remap, count),
    normals: kept(mesh.normals, 3, remap, count),
    uvs: mesh.uvs && kept(mesh.uvs, 2, remap, count),
    ...(mesh.colours && { colours: kept(mesh.colours, 4, remap, count) }),
  };
}

/** A model as light as the interactive view wants it, of the same size; the same object where it is light already. */
export async function lightened(model: Model, most = VIEW_TRIANGLES): Promise<Model> {
  const total = model.meshes.reduce((sum, mesh) => sum + trianglesOf(mesh), 0);
  if (total <= most) return model;
  await MeshoptSimplifier.ready;
  const share = most / total;
  return {
    ...model,
    meshes: model.meshes.map((mesh) => lighterMesh(mesh, Math.max(LEAST, Math.floor(trianglesOf(mesh) * share)))),
  };
}
