import type { Vec3 } from "../math/vec3.ts";
import type { Mesh, Model } from "../props/model.ts";
import { COPY_FLOATS, copyCount, modelBounds } from "../props/model.ts";
import { joinedRows } from "../props/array.ts";
import type { Placement } from "../props/transform.ts";
import { placementMatrix } from "../props/transform.ts";

/** What a prop can touch of another: triangles in the world, of the copies that are near its way. */

export interface Soup {
  positions: Float32Array;
  indices: Uint32Array;
}

/** All within a distance of a ray's line. */
export interface Way {
  from: Vec3;
  /** Unit vector. */
  direction: Vec3;
  reach: number;
}

const UNIT = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0];

/** Middle and radius of a ball around a mesh as it stands in its model, without its copies. */
function ballOf(mesh: Mesh): { middle: Vec3; radius: number } {
  const { low, high } = modelBounds({ meshes: [{ ...mesh, copies: undefined }], materials: [], textures: [] });
  const middle = low.map((x, k) => (x + high[k]) / 2) as Vec3;
  return { middle, radius: Math.hypot(...low.map((x, k) => high[k] - x)) / 2 };
}

const moved = (m: readonly number[], [x, y, z]: Vec3): Vec3 =>
  [0, 4, 8].map((r) => m[r] * x + m[r + 1] * y + m[r + 2] * z + m[r + 3]) as Vec3;

/** The most that a matrix stretches anything, or a little more. */
const stretchOf = (m: readonly number[]): number => Math.hypot(m[0], m[1], m[2], m[4], m[5], m[6], m[8], m[9], m[10]);

/** A way that a placed model may take: along a direction, as wide as its own size all around. */
export function wayOf(model: Pick<Model, "meshes">, placement: Placement, direction: Vec3): Way {
  const { low, high } = modelBounds({ ...model, materials: [], textures: [] });
  const corner = placementMatrix(placement);
  const from = moved(corner, low.map((x, k) => (x + high[k]) / 2) as Vec3);
  const size = low.map((x, k) => (high[k] - x) * placement.scale[k]);
  // Tipping swings it out by its own length at most.
  return { from, direction, reach: 2 * Math.hypot(...size) };
}

function near(way: Way, at: Vec3, radius: number): boolean {
  const d = at.map((x, k) => x - way.from[k]);
  const along = d[0] * way.direction[0] + d[1] * way.direction[1] + d[2] * way.direction[2];
  const off = Math.hypot(...d.map((x, k) => x - along * way.direction[k]));
  return off <= way.reach + radius;
}

/** Triangles of a placed model in the world; of its copies those that come near the way. */
export function soupNear(model: Pick<Model, "meshes">, placement: Placement, way: Way): Soup {
  const world = placementMatrix(placement);
  const pieces: { mesh: Mesh; matrix: number[] }[] = [];
  for (const mesh of model.meshes) {
    const ball = ballOf(mesh);
    for (let c = 0; c < copyCount(mesh); c++) {
      const own = mesh.copies ? [...mesh.copies.subarray(c * COPY_FLOATS, (c + 1) * COPY_FLOATS)] : UNIT;
      const matrix = joinedRows(world, own);
      if (near(way, moved(matrix, ball.middle), ball.radius * stretchOf(matrix))) pieces.push({ mesh, matrix });
    }
  }
  const positions = new Float32Array(pieces.reduce((sum, { mesh }) => sum + mesh.positions.length, 0));
  const indices = new Uint32Array(pieces.reduce((sum, { mesh }) => sum + mesh.indices.length, 0));
  let [v, t] = [0, 0];
  for (const { mesh, matrix: m } of pieces) {
    const p = mesh.positions;
    for (let i = 0; i < p.length; i += 3)
      for (let k = 0; k < 3; k++)
        positions[v + i + k] = m[k * 4] * p[i] + m[k * 4 + 1] * p[i + 1] + m[k * 4 + 2] * p[i + 2] + m[k * 4 + 3];
    for (let i = 0; i < mesh.indices.length; i++) indices[t + i] = v / 3 + mesh.indices[i];
    v += p.length;
    t += mesh.indices.length;
  }
  return { positions, indices };
}
