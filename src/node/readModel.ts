import type { SourceFile } from "#core/exchange/files";
import { importGlb } from "#core/exchange/gltf";
import type { ImporterName } from "#core/exchange/importers/index";
import { readModelFiles } from "#core/exchange/importers/index";
import type { Vec3 } from "#core/math/vec3";
import type { Model } from "#core/props/model";
import { modelBounds, placedCopy, triangleCount } from "#core/props/model";
import { decodeTexture } from "./images.ts";
import { plainGlb } from "./plainGlb.ts";

/** A model as it is brought in: what is kept of it, and what is asked of its user. */
export interface BroughtModel {
  glb: Uint8Array;
  format: ImporterName;
  name: string;
  triangles: number;
  /** Extent along X, Y and Z (up), metres; of a file without units one unit is taken as a metre. */
  size: Vec3;
  /** False where the format has no units, or does not say which way is up. */
  unitIsSure: boolean;
  upIsSure: boolean;
  /** Points of its surface, three numbers each, for its outline. */
  outline: number[];
  notices: string[];
  missing: string[];
}

/** Points of an outline. */
const POINTS = 700;

/** Corners from all over the model, as many as an outline takes, to a thousandth of its size. */
function outlineOf(model: Model, size: Vec3): number[] {
  const total = model.meshes.reduce((sum, { positions }) => sum + positions.length / 3, 0);
  const step = Math.max(1, Math.floor(total / POINTS));
  const grain = Math.max(...size) / 1000 || 1;
  const points: number[] = [];
  let skip = 0;
  for (const mesh of model.meshes) {
    const positions = placedCopy(mesh, 0);
    for (; skip * 3 < positions.length; skip += step)
      for (let k = 0; k < 3; k++) points.push(Math.round(positions[skip * 3 + k] / grain) * grain);
    skip -= positions.length / 3;
  }
  return points;
}

/** Reads a model from files that came together. Throws ModelError with advice. */
export async function readModel(files: readonly SourceFile[]): Promise<BroughtModel> {
  const { glb, format, name, unit, upIsSure, missing, ...found } = await readModelFiles(files);
  const plain = await plainGlb(glb);
  const { model, notices } = await importGlb(plain, decodeTexture);
  const { low, high } = modelBounds(model);
  const size: Vec3 = [high[0] - low[0], high[1] - low[1], high[2] - low[2]];
  return {
    glb: plain,
    format,
    name,
    triangles: triangleCount(model),
    size,
    unitIsSure: unit !== null,
    upIsSure,
    outline: outlineOf(model, size),
    notices: [...found.notices, ...notices],
    missing,
  };
}
