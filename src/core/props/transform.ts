import type { Mat3, Vec3 } from "../math/vec3.ts";
import { add, apply, multiply, scale } from "../math/vec3.ts";
import type { Mesh, Model } from "./model.ts";
import { leastAlong } from "./model.ts";

/** Where a prop stands: turned about its own vertical, then leant, scaled, and moved. Angles in radians. */
export interface Placement {
  position: Vec3;
  /** Turn about Z, counter-clockwise seen from above. */
  turn: number;
  /** Lean about the prop's own X and Y after scaling, before the turn. */
  lean: [number, number];
  scale: Vec3;
}

export const standing = (position: Vec3 = [0, 0, 0]): Placement => ({
  position,
  turn: 0,
  lean: [0, 0],
  scale: [1, 1, 1],
});

/** Rotation of a placement. */
export function placementRotation(p: Placement): Mat3 {
  const [cz, sz] = [Math.cos(p.turn), Math.sin(p.turn)];
  const [cx, sx] = [Math.cos(p.lean[0]), Math.sin(p.lean[0])];
  const [cy, sy] = [Math.cos(p.lean[1]), Math.sin(p.lean[1])];
  const z: Mat3 = [
    [cz, -sz, 0],
    [sz, cz, 0],
    [0, 0, 1],
  ];
  const x: Mat3 = [
    [1, 0, 0],
    [0, cx, -sx],
    [0, sx, cx],
  ];
  const y: Mat3 = [
    [cy, 0, sy],
    [0, 1, 0],
    [-sy, 0, cy],
  ];
  return multiply(z, multiply(x, y));
}

/** Model to world as rows of a 3 x 4 matrix. */
export function placementMatrix(p: Placement): number[] {
  const m = placementRotation(p);
  return [0, 1, 2].flatMap((r) => [m[r][0] * p.scale[0], m[r][1] * p.scale[1], m[r][2] * p.scale[2], p.position[r]]);
}

/** Inverse of a 3 x 4 matrix by rows. Throws RangeError where it squeezes space flat. */
export function invertMatrix(m: number[]): number[] {
  const [a, b, c, x, d, e, f, y, g, h, k, z] = m;
  const [p, q, r] = [e * k - f * h, f * g - d * k, d * h - e * g];
  const determinant = a * p + b * q + c * r;
  if (!Number.isFinite(1 / determinant)) throw new RangeError("A prop is scaled flat. Give it a size above 0.");
  const s = 1 / determinant;
  const rows = [
    [p * s, (c * h - b * k) * s, (b * f - c * e) * s],
    [q * s, (a * k - c * g) * s, (c * d - a * f) * s],
    [r * s, (b * g - a * h) * s, (a * e - b * d) * s],
  ];
  return rows.flatMap((row) => [...row, -(row[0] * x + row[1] * y + row[2] * z)]);
}

/** World position of a point of the model. */
export function placePoint(p: Placement, point: Vec3): Vec3 {
  const m = placementRotation(p);
  return add(apply(m, [point[0] * p.scale[0], point[1] * p.scale[1], point[2] * p.scale[2]]), p.position);
}

/** A mesh moved into the world. Normals follow the inverse transpose; a mirroring scale turns the winding round. */
export function placeMesh(p: Placement, mesh: Mesh): Mesh {
  const m = placementRotation(p);
  const [sx, sy, sz] = p.scale;
  const positions = new Float32Array(mesh.positions.length);
  const normals = new Float32Array(mesh.normals.length);
  for (let i = 0; i < positions.length; i += 3) {
    const v = add(
      apply(m, [mesh.positions[i] * sx, mesh.positions[i + 1] * sy, mesh.positions[i + 2] * sz]),
      p.position,
    );
    const raw = apply(m, [mesh.normals[i] / sx, mesh.normals[i + 1] / sy, mesh.normals[i + 2] / sz]);
    const n = scale(raw, 1 / (Math.hypot(raw[0], raw[1], raw[2]) || 1));
    positions.set(v, i);
    normals.set(n, i);
  }
  let indices = mesh.indices;
  if (sx * sy * sz < 0) {
    indices = mesh.indices.slice();
    for (let i = 0; i < indices.length; i += 3) [indices[i], indices[i + 1]] = [indices[i + 1], indices[i]];
  }
  return { ...mesh, positions, normals, indices };
}

/** The lowest world height of the placed mesh's real vertices. Infinity for a model without vertices. */
export function lowestPoint(p: Placement, model: Model): number {
  const row = placementRotation(p)[2];
  return (
    leastAlong(
      model,
      row.map((r, k) => r * p.scale[k]),
    ) + p.position[2]
  );
}

/** The placement with the prop's lowest vertex on the floor at `height`. */
export function dropToFloor(p: Placement, model: Model, height = 0): Placement {
  const low = lowestPoint(p, model);
  if (!Number.isFinite(low)) return p;
  return { ...p, position: [p.position[0], p.position[1], p.position[2] + height - low] };
}
