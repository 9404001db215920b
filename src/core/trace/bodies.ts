import * as L from "../../kernel/layout.ts";
import type { Mesh, Model } from "../props/model.ts";
import { COPY_FLOATS } from "../props/model.ts";
import type { SceneMemory } from "./memory.ts";

/** Meshes of models in the tracer's memory, and where they stand. */

/** Meshes of a model that share a tree, and where they stand in it. */
export interface Body {
  model: number;
  meshes: Mesh[];
  /** Rows of 3 × 4 matrices; null for once, as it is. */
  copies: Float32Array | null;
}

export function bodiesOf(models: Model[]): Body[] {
  return models.flatMap((model, number): Body[] => {
    const once = model.meshes.filter((m) => !m.copies);
    const often = model.meshes.filter((m) => m.copies);
    return [
      { model: number, meshes: once, copies: null },
      ...often.map((mesh) => ({ model: number, meshes: [mesh], copies: mesh.copies! })),
    ].filter((body) => body.meshes.length > 0);
  });
}

/** Matrices by which a body stands in the world when its prop does: one, or one for every copy. */
export function standingAt(forward: readonly number[], { copies }: Body): number[][] {
  if (!copies) return [[...forward]];
  return Array.from({ length: copies.length / COPY_FLOATS }, (_, c) => {
    const m = copies.subarray(c * COPY_FLOATS, (c + 1) * COPY_FLOATS);
    return Array.from({ length: 12 }, (_unused, i) => {
      const [row, k] = [i - (i % 4), i % 4];
      const sum = forward[row] * m[k] + forward[row + 1] * m[4 + k] + forward[row + 2] * m[8 + k];
      return k === 3 ? sum + forward[row + 3] : sum;
    });
  });
}

/** Writes a mesh's vertices from number `v` and its triangles from number `t` on; returns how many triangles. */
export function putMesh(
  memory: SceneMemory,
  at: { positions: number; normals: number; uvs: number; triangles: number },
  mesh: Mesh,
  v: number,
  t: number,
  part: number,
  bounds: { low: number[]; high: number[] },
): number {
  const vertices = mesh.positions.length / 3;
  memory.f32(at.positions + v * 12, vertices * 3).set(mesh.positions);
  memory.f32(at.normals + v * 12, vertices * 3).set(mesh.normals);
  const uvs = memory.f32(at.uvs + v * 8, vertices * 2);
  if (mesh.uvs) uvs.set(mesh.uvs);
  else uvs.fill(0);
  const count = mesh.indices.length / 3;
  const rows = memory.u32(at.triangles + t * L.TRIANGLE_BYTES, count * 4);
  for (let i = 0, j = 0; i < mesh.indices.length; i += 3, j += 4) {
    rows[j] = mesh.indices[i] + v;
    rows[j + 1] = mesh.indices[i + 1] + v;
    rows[j + 2] = mesh.indices[i + 2] + v;
    rows[j + 3] = part;
  }
  for (let i = 0; i < mesh.positions.length; i++) {
    const k = i % 3;
    const value = mesh.positions[i];
    if (value < bounds.low[k]) bounds.low[k] = value;
    if (value > bounds.high[k]) bounds.high[k] = value;
  }
  return count;
}
