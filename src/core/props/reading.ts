import type { Vec3 } from "../math/vec3.ts";
import { derivedOf } from "./derived.ts";
import type { Mesh, Model } from "./model.ts";
import { COPY_FLOATS, modelBounds } from "./model.ts";
import type { Reading } from "./schema.ts";

/** How a file is read: its unit, which way is up, and what of it stands where the prop is placed. */

/** Rows of the turn that brings an axis of a file up. */
const UPRIGHT: Record<Reading["up"], number[]> = {
  z: [1, 0, 0, 0, 1, 0, 0, 0, 1],
  y: [1, 0, 0, 0, 0, -1, 0, 1, 0],
  x: [0, 0, -1, 0, 1, 0, 1, 0, 0],
};

/** The extent of a model that has this extent in its file, as it is read; metres. */
export const readSize = (size: readonly number[], { unit, up }: Reading): Vec3 =>
  [0, 3, 6].map((r) => Math.abs([0, 1, 2].reduce((sum, k) => sum + UPRIGHT[up][r + k] * size[k], 0)) * unit) as Vec3;

/** A model as its file is read: so many metres a unit, and that axis up. */
export function readModel(model: Model, reading: Reading): Model {
  const upright = uprightModel(model, reading);
  return reading.foot === "base"
    ? derivedOf(upright).of("on its base", () => moved(upright, baseOf(upright).map((x) => -x) as Vec3))
    : upright;
}

/** The middle of a model's base, in its own coordinates. */
export function baseOf(model: Model): Vec3 {
  const { low, high } = modelBounds(model);
  return [(low[0] + high[0]) / 2, (low[1] + high[1]) / 2, low[2]];
}

/** Share of an extent by which a file's origin may be off the middle, or off the base, to be taken for a foot. */
const OFF = { across: 0.25, up: 0.1 };

/**
 * What serves as the foot of a model whose box is this in its file's units: its origin, where that is under the model and
 * near its base, else the middle of its base, since files are drawn wherever their makers worked.
 */
export function suitedFoot(low: readonly number[], size: readonly number[], up: Reading["up"]): Reading["foot"] {
  const row = (r: number, p: readonly number[]) => [0, 1, 2].reduce((sum, k) => sum + UPRIGHT[up][r + k] * p[k], 0);
  const ends = [low, low.map((x, k) => x + size[k])];
  const [x, y, z] = [0, 3, 6].map((r) => ends.map((end) => row(r, end)).sort((a, b) => a - b));
  const off = ([a, b]: number[]) => Math.abs(a + b) / 2 > OFF.across * (b - a) + 1e-9;
  const largest = Math.max(...size);
  return off(x) || off(y) || Math.abs(z[0]) > OFF.up * Math.max(z[1] - z[0], 0.1 * largest) ? "base" : "origin";
}

function moved(model: Model, by: Vec3): Model {
  return {
    ...model,
    meshes: model.meshes.map((mesh): Mesh => {
      if (!mesh.copies) return { ...mesh, positions: mesh.positions.map((x, i) => x + by[i % 3]) };
      return { ...mesh, copies: mesh.copies.map((x, i) => (i % 4 === 3 ? x + by[((i % COPY_FLOATS) - 3) / 4] : x)) };
    }),
  };
}

function uprightModel(model: Model, { unit, up }: Reading): Model {
  if (unit === 1 && up === "z") return model;
  const m = UPRIGHT[up];
  const turned = (list: Float32Array, by: number) => {
    const out = new Float32Array(list.length);
    for (let i = 0; i < list.length; i += 3)
      for (let k = 0; k < 3; k++)
        out[i + k] = by * (m[k * 3] * list[i] + m[k * 3 + 1] * list[i + 1] + m[k * 3 + 2] * list[i + 2]);
    return out;
  };
  return derivedOf(model).of(`read ${unit} ${up}`, () => ({
    ...model,
    meshes: model.meshes.map((mesh): Mesh => {
      if (!mesh.copies) return { ...mesh, positions: turned(mesh.positions, unit), normals: turned(mesh.normals, 1) };
      // Copies keep their own coordinates: only where they stand is turned and scaled.
      const copies = new Float32Array(mesh.copies.length);
      for (let at = 0; at < copies.length; at += COPY_FLOATS)
        for (let row = 0; row < 3; row++)
          for (let k = 0; k < 4; k++)
            copies[at + row * 4 + k] =
              unit * [0, 1, 2].reduce((sum, j) => sum + m[row * 3 + j] * mesh.copies![at + j * 4 + k], 0);
      return { ...mesh, copies };
    }),
  }));
}
