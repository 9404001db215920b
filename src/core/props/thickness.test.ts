import { expect, test } from "@jest/globals";
import type { Mesh } from "./model.ts";
import { primitiveModel } from "./primitives.ts";
import { meanThickness } from "./thickness.ts";

function ball(size: number): Mesh {
  const [mesh] = primitiveModel("sphere", [1, 1, 1], 0, 0).meshes;
  return { ...mesh, positions: mesh.positions.map((x) => x * size) };
}
const insideOut = (mesh: Mesh): Mesh => ({ ...mesh, indices: mesh.indices.slice().reverse() });

test("a ball is two thirds of its radius thick at each face, which is half of its mean chord (Cauchy)", () => {
  expect(meanThickness({ meshes: [ball(2)] }, 0)).toBeCloseTo(2 / 3, 2);
  expect(meanThickness({ meshes: [insideOut(ball(2))] }, 0)).toBeCloseTo(2 / 3, 2);
});

test("a hollow ball is as thick as its wall, and other materials do not count", () => {
  const [outer, inner] = [2, 1.96];
  const [a, b] = [outer / 2, inner / 2];
  const other = { ...ball(5), material: 1 };
  const shell = { meshes: [ball(outer), insideOut(ball(inner)), other] };
  const wall = (2 * (a ** 3 - b ** 3)) / 3 / (a ** 2 + b ** 2);
  expect(wall).toBeCloseTo(a - b, 3);
  expect(meanThickness(shell, 0) / wall).toBeCloseTo(1, 2);
  expect(meanThickness({ meshes: [other] }, 0)).toBe(0);
});
