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
  /** Its box's lower corner, alike. */
  low: Vec3;
  /** False where the format has no units, or does not say which way is up. */
  unitIsSure: boolean;
  upIsSure: boolean;
  /** Points of its surface, three numbers each, for its outline. */
  outline: number[];
  notices: string[];
  missing: string[];
}

/** Points of an outline. */
const POINTS = 900;

/** Points of the model's surface, spread evenly over its area, to a thousandth of its size. */
function outlineOf({ meshes }: Model, size: Vec3): number[] {
  const grain = Math.max(...size) / 1000 || 1;
  // The same points every time: shares of the golden ratio.
  const share = (i: number, ratio: number) => (i * ratio) % 1;
  const areas = meshes.map((mesh) => {
    const p = placedCopy(mesh, 0);
    const sums = new Float64Array(mesh.indices.length / 3);
    let sum = 0;
    for (let t = 0; t < sums.length; t++) {
      const [a, b, c] = [mesh.indices[t * 3] * 3, mesh.indices[t * 3 + 1] * 3, mesh.indices[t * 3 + 2] * 3];
      const [ux, uy, uz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
      const [vx, vy, vz] = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
      const [x, y, z] = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
      sum += Math.sqrt(x * x + y * y + z * z);
      sums[t] = sum;
    }
    return { p, sums, sum };
  });
  const total = areas.reduce((sum, a) => sum + a.sum, 0);
  const points: number[] = [];
  areas.forEach(({ p, sums, sum }, m) => {
    const n = Math.ceil((POINTS * sum) / (total || 1));
    let t = 0;
    for (let i = 0; i < n; i++) {
      while (t < sums.length - 1 && sums[t] < ((i + 0.5) / n) * sum) t++;
      let [s, r] = [share(i + 1, 0.7548776662), share(i + 1, 0.5698402909)];
      if (s + r > 1) [s, r] = [1 - s, 1 - r];
      const [a, b, c] = [0, 1, 2].map((k) => meshes[m].indices[t * 3 + k] * 3);
      for (let k = 0; k < 3; k++)
        points.push(Math.round((p[a + k] + s * (p[b + k] - p[a + k]) + r * (p[c + k] - p[a + k])) / grain) * grain);
    }
  });
  return points;
}

/** Shares of the time that reading takes until the text is read, one GLB is made, compression undone, and textures decoded. */
const DONE = { text: 0.5, glb: 0.7, plain: 0.75, textures: 0.97 };

/** Reads a model from files that came together, and tells how far it is, from 0 to 1. Throws ModelError with advice. */
export async function readModel(
  files: readonly SourceFile[],
  tell: (share: number) => void = () => undefined,
): Promise<BroughtModel> {
  const { glb, format, name, unit, upIsSure, missing, ...found } = await readModelFiles(files, (share) =>
    tell(share * DONE.text),
  );
  tell(DONE.glb);
  const plain = await plainGlb(glb);
  tell(DONE.plain);
  const { model, notices } = await importGlb(plain, decodeTexture, (share) =>
    tell(DONE.plain + share * (DONE.textures - DONE.plain)),
  );
  tell(DONE.textures);
  const { low, high } = modelBounds(model);
  const size: Vec3 = [high[0] - low[0], high[1] - low[1], high[2] - low[2]];
  return {
    glb: plain,
    format,
    name,
    triangles: triangleCount(model),
    size,
    low,
    unitIsSure: unit !== null,
    upIsSure,
    outline: outlineOf(model, size),
    notices: [...found.notices, ...notices],
    missing,
  };
}
