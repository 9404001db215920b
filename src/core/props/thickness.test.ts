import { expect, test } from "@jest/globals";
import type { Vec3 } from "../math/vec3.ts";
import type { Mesh } from "./model.ts";
import { plainMaterial } from "./model.ts";
import { primitiveModel } from "./primitives.ts";
import { isBulky, meanPass, meanThickness } from "./thickness.ts";

function ball(size: number): Mesh {
  const [mesh] = primitiveModel("sphere", [1, 1, 1], 0, 0).meshes;
  return { ...mesh, positions: mesh.positions.map((x) => x * size) };
}
const insideOut = (mesh: Mesh): Mesh => ({ ...mesh, indices: mesh.indices.slice().reverse() });

test("a line through a ball runs four thirds of its radius within, on average (Cauchy)", () => {
  expect(meanThickness({ meshes: [ball(2)] }, 0)).toBeCloseTo(4 / 3, 2);
  expect(meanThickness({ meshes: [insideOut(ball(2))] }, 0)).toBeCloseTo(4 / 3, 2);
});

test("a hollow ball is as thick as two of its walls, and other materials do not count", () => {
  const [outer, inner] = [2, 1.96];
  const [a, b] = [outer / 2, inner / 2];
  const other = { ...ball(5), material: 1 };
  const shell = { meshes: [ball(outer), insideOut(ball(inner)), other] };
  const walls = (4 * (a ** 3 - b ** 3)) / 3 / (a ** 2 + b ** 2);
  expect(walls).toBeCloseTo(2 * (a - b), 3);
  expect(meanThickness(shell, 0) / walls).toBeCloseTo(1, 2);
  expect(meanThickness({ meshes: [other] }, 0)).toBe(0);
});

test("balls and cubes are bulky whatever their size; shells, panes and rods are not", () => {
  const box = (size: Vec3): Mesh => {
    const [mesh] = primitiveModel("box", [1, 1, 1], 0, 0).meshes;
    return { ...mesh, positions: mesh.positions.map((x, i) => x * size[i % 3]) };
  };
  const bulky = (...meshes: Mesh[]) => isBulky({ meshes }, 0);
  expect([bulky(ball(0.02)), bulky(ball(200)), bulky(box([3, 3, 3]))]).toEqual([true, true, true]);
  expect([bulky(ball(2), insideOut(ball(1.9))), bulky(box([1, 1, 0.01])), bulky(box([0.1, 0.1, 1]))]).toEqual([
    false,
    false,
    false,
  ]);
  expect(isBulky({ meshes: [ball(1)] }, 1)).toBe(false);
});

test("light through glass: two faces of 9.2 % for even light (Walsh 1926, index 1.5), and Beer's law on the mean way", () => {
  const of = (material: object, scale = 1) => ({
    pass: meanPass({ meshes: [ball(2)], materials: [plainMaterial({ baseColor: [1, 1, 1, 1], ...material })] }, scale),
  });
  expect(of({}).pass).toBe(0);
  expect(of({ transmission: 1, thin: true }).pass).toBeCloseTo((1 - 0.092) / (1 + 0.092), 3);
  const grey = { transmission: 1, thin: false, absorption: [0.5, 0.5, 0.5] };
  expect(of(grey).pass).toBeCloseTo((1 - 0.092) ** 2 * Math.exp((-0.5 * 4) / 3), 2);
  // Half as large, half the way.
  expect(of(grey, 0.5).pass).toBeCloseTo((1 - 0.092) ** 2 * Math.exp((-0.5 * 2) / 3), 2);
  // A ball of which half the surface is opaque.
  const half = {
    meshes: [ball(1), { ...ball(1), material: 1 }],
    materials: [
      plainMaterial({ baseColor: [1, 1, 1, 1], transmission: 1, thin: true }),
      plainMaterial({ baseColor: [1, 1, 1, 1] }),
    ],
  };
  expect(meanPass(half, 1)).toBeCloseTo(0.5 * ((1 - 0.092) / (1 + 0.092)), 3);
});
