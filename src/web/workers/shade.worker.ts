import { expose, transfer } from "comlink";
import type { Vec3 } from "#core/math/vec3";
import { normalize } from "#core/math/vec3";
import type { Mesh } from "#core/props/model";
import { copyCount, placedCopy } from "#core/props/model";
import { invertMatrix } from "#core/props/transform";
import type { Blocker, BlockerMesh, PlaceHit, Sheet } from "#core/trace/ambient";
import { ambientOfCorners, blockerMesh, blockerOf, shadeOn } from "#core/trace/ambient";
import { referenceClosest } from "#core/trace/referenceBvh";

/** Triangles of a model's meshes in its own coordinates, known by a number. */
export interface ShadeModel {
  id: number;
  meshes: Pick<Mesh, "positions" | "normals" | "indices" | "copies">[];
}

/** A prop as it stands: its model by number, and its placing (rows of a 3 x 4 matrix). */
export interface ShadeProp {
  id: string;
  model: number;
  matrix: number[];
}

export interface ShadeJob {
  props: ShadeProp[];
  /** Triangles of the place, in the world. */
  place: { positions: Float32Array; indices: Uint32Array };
  /** Height of the ground that goes on beyond them. */
  ground: number;
  /** Sheets that are asked for, each with the prop whose shade falls on it, and its cells. */
  sheets: { prop: string; sheet: Sheet; cells: [number, number] }[];
}

/** Shares of light that are kept from the corners of a prop's meshes, in their order, on either side; of copies those of the first. */
export interface LitProp {
  prop: string;
  meshes: Float32Array[];
}

const SHEET_RAYS = 40;
/** Rays for the corners of all props together. */
const RAYS = 300_000;
/** Triangles of a model with its copies that are in the way of light. */
const MOST_TRIANGLES = 250_000;

interface Kept extends ShadeModel {
  blocker: BlockerMesh;
}
const kept = new Map<number, Kept>();

/** All meshes of a model with their copies, as far as there is room, as one tree. */
function keptOf(model: ShadeModel): Kept {
  const pieces: { positions: ArrayLike<number>; indices: Uint32Array }[] = [];
  let triangles = 0;
  for (const mesh of model.meshes)
    for (let copy = 0; copy < copyCount(mesh as Mesh); copy++) {
      triangles += mesh.indices.length / 3;
      if (triangles > MOST_TRIANGLES && copy > 0) break;
      pieces.push({ positions: placedCopy(mesh as Mesh, copy), indices: mesh.indices });
    }
  const positions = new Float32Array(pieces.reduce((sum, piece) => sum + piece.positions.length, 0));
  const indices = new Uint32Array(pieces.reduce((sum, piece) => sum + piece.indices.length, 0));
  let corner = 0;
  let at = 0;
  for (const piece of pieces) {
    positions.set(piece.positions, corner * 3);
    for (const i of piece.indices) indices[at++] = corner + i;
    corner += piece.positions.length / 3;
  }
  return { ...model, blocker: blockerMesh(positions, indices) };
}

function placeOf({ place, ground }: ShadeJob): PlaceHit {
  const { positions: p, indices } = place;
  const tree = indices.length > 0 ? blockerMesh(p, indices).tree : null;
  return ([x, y, z], d) => {
    const hit = tree && referenceClosest(tree, x, y, z, d[0], d[1], d[2]);
    const floor = d[2] < 0 && z > ground ? (ground - z) / d[2] : Infinity;
    if (!hit || hit.distance > floor) return floor < Infinity ? { distance: floor, normal: [0, 0, 1] } : null;
    const [a, b, c] = [0, 1, 2].map((k) => indices[hit.triangle * 3 + k] * 3);
    const u = [0, 1, 2].map((k) => p[b + k] - p[a + k]);
    const v = [0, 1, 2].map((k) => p[c + k] - p[a + k]);
    const n: Vec3 = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
    const towards = n[0] * d[0] + n[1] * d[1] + n[2] * d[2] < 0 ? 1 : -1;
    return { distance: hit.distance, normal: normalize(n.map((w) => towards * w) as Vec3) };
  };
}

/** Points and normals of a mesh's first copy in the world; normals by the inverse transpose. */
function inWorld(mesh: ShadeModel["meshes"][number], m: readonly number[], inverse: readonly number[]) {
  const { normals } = mesh;
  const positions = placedCopy(mesh as Mesh, 0);
  const points = new Float32Array(positions.length);
  const ways = new Float32Array(positions.length);
  for (let i = 0; i < positions.length; i += 3) {
    const n: Vec3 = [0, 0, 0];
    for (let k = 0; k < 3; k++) {
      const r = k * 4;
      points[i + k] = m[r] * positions[i] + m[r + 1] * positions[i + 1] + m[r + 2] * positions[i + 2] + m[r + 3];
      n[k] = inverse[k] * normals[i] + inverse[4 + k] * normals[i + 1] + inverse[8 + k] * normals[i + 2];
    }
    ways.set(normalize(n), i);
  }
  return { points, ways };
}

/** The mean of each cell and its neighbours. */
function smoothed(shade: Float32Array, [columns, rows]: readonly [number, number]): Float32Array {
  const out = new Float32Array(shade.length);
  for (let j = 0; j < rows; j++)
    for (let i = 0; i < columns; i++) {
      let sum = 0;
      let weight = 0;
      for (let y = Math.max(0, j - 1); y <= Math.min(rows - 1, j + 1); y++)
        for (let x = Math.max(0, i - 1); x <= Math.min(columns - 1, i + 1); x++) {
          const w = (x === i ? 2 : 1) * (y === j ? 2 : 1);
          sum += w * shade[y * columns + x];
          weight += w;
        }
      out[j * columns + i] = sum / weight;
    }
  return out;
}

/** What is in the way, by prop. */
const blockersOf = ({ props }: ShadeJob): Map<string, Blocker> =>
  new Map(props.map(({ id, model, matrix }) => [id, blockerOf(kept.get(model)!.blocker, matrix)]));

/** Shade of the light from all around, reckoned away from the page. */
const shading = {
  keep(models: ShadeModel[]): void {
    for (const model of models) kept.set(model.id, keptOf(model));
  },

  keepOnly(ids: number[]): void {
    const needed = new Set(ids);
    for (const id of kept.keys()) if (!needed.has(id)) kept.delete(id);
  },

  /** Shades of the sheets, in their order. */
  shade(job: ShadeJob): Float32Array[] {
    const own = blockersOf(job);
    const shades = job.sheets.map(({ prop, sheet, cells }) =>
      smoothed(shadeOn(sheet, cells, [own.get(prop)!], SHEET_RAYS), cells),
    );
    return transfer(
      shades,
      shades.map(({ buffer }) => buffer),
    );
  },

  /** The light that is kept from the props. */
  light(job: ShadeJob): LitProp[] {
    const blockers = [...blockersOf(job).values()];
    const place = placeOf(job);
    const cornersIn = (model: number) => kept.get(model)!.meshes.reduce((sum, { indices }) => sum + indices.length, 0);
    const corners = job.props.reduce((sum, { model }) => sum + cornersIn(model), 0);
    const lit = job.props.map(({ id, model, matrix }) => {
      const inverse = invertMatrix(matrix);
      const meshes = kept.get(model)!.meshes.map((mesh) => {
        const { points, ways } = inWorld(mesh, matrix, inverse);
        const rays = Math.ceil((RAYS * mesh.indices.length) / corners);
        return ambientOfCorners(points, ways, mesh.indices, blockers, place, rays).map((open) => 1 - open);
      });
      return { prop: id, meshes };
    });
    return transfer(
      lit,
      lit.flatMap(({ meshes }) => meshes.map(({ buffer }) => buffer)),
    );
  },
};

export type Shading = typeof shading;
expose(shading);
