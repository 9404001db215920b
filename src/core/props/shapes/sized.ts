import * as v from "valibot";
import type { Vec3 } from "../../math/vec3.ts";
import { NotNegative, Positive } from "../../schema/fields.ts";
import type { Mesh } from "../model.ts";
import type { ShapeField } from "./kind.ts";

/** Extents along X, Y and Z, metres. */
export const SizeSchema = v.tuple([Positive, Positive, Positive]);
export const BevelSchema = NotNegative;

interface Sized {
  size: [number, number, number];
}

const LABELS = ["width", "depth", "height"] as const;

export const sizeFields = <S extends Sized>(shape: S, axes: readonly (0 | 1 | 2)[] = [0, 1, 2]): ShapeField<S>[] =>
  axes.map((k) => ({
    key: `size-${k}`,
    label: LABELS[k],
    unit: "length",
    value: shape.size[k],
    least: 1e-4,
    put: (s, metres) => (s.size[k] = metres),
  }));

export const bevelField = <S extends { bevel: number }>(shape: S): ShapeField<S> => ({
  key: "bevel",
  label: "bevel",
  unit: "length",
  value: shape.bevel,
  least: 0,
  put: (s, metres) => (s.bevel = metres),
});

/** A mesh stretched along its axes; normals follow the inverse. */
export function stretched(mesh: Mesh, [x, y, z]: Vec3): Mesh {
  if (x === 1 && y === 1 && z === 1) return mesh;
  const by = [x, y, z];
  const positions = mesh.positions.map((p, i) => p * by[i % 3]);
  const normals = mesh.normals.map((n, i) => n / by[i % 3]);
  for (let i = 0; i < normals.length; i += 3) {
    const l = Math.hypot(normals[i], normals[i + 1], normals[i + 2]) || 1;
    for (let k = 0; k < 3; k++) normals[i + k] /= l;
  }
  return { ...mesh, positions, normals };
}
