import { describe, expect, test } from "@jest/globals";
import type { Vec3 } from "#core/math/vec3";
import { cross, distance, sub } from "#core/math/vec3";
import { modelDifferences, sizeDifferences } from "./differences.ts";
import { modelBounds, triangleCount } from "./model.ts";
import { primitiveModel } from "./primitives.ts";
import { dropToFloor, lowestPoint, placePoint, standing } from "./transform.ts";

function meshArea(mesh: { positions: Float32Array; indices: Uint32Array }): number {
  let area = 0;
  for (let i = 0; i < mesh.indices.length; i += 3) {
    const [a, b, c] = [0, 1, 2].map(
      (k) => [...mesh.positions.slice(mesh.indices[i + k] * 3, mesh.indices[i + k] * 3 + 3)] as Vec3,
    );
    area += Math.hypot(...cross(sub(b, a), sub(c, a))) / 2;
  }
  return area;
}

test("what a newer file has otherwise is told: size, materials, parts, triangles", () => {
  const older = primitiveModel("box", [1, 1, 1], 1, 0);
  expect(modelDifferences(older, older)).toEqual([]);
  const mesh = older.meshes[0];
  const newer = {
    ...older,
    meshes: [{ ...mesh, positions: mesh.positions.map((x, i) => (i % 3 === 2 ? x * 1.25 : x)) }, mesh],
    materials: [{ ...older.materials[0], name: "oak" }],
  };
  expect(modelDifferences(newer, older)).toEqual([
    "It is 25 % more high.",
    "Without the material box.",
    "With the new material oak.",
    "1 part more.",
    "12 triangles more.",
  ]);
  expect(sizeDifferences([1, 0.9, 1], [1, 1, 1])).toEqual(["10 % less deep"]);
});

describe("props", () => {
  test("primitives are a metre, stand on the floor, and a ball has a ball's surface", () => {
    for (const kind of ["box", "sphere", "cylinder"] as const) {
      const { low, high } = modelBounds(primitiveModel(kind, [1, 1, 1], 1, 0));
      low.forEach((v, k) => expect(v).toBeCloseTo(k === 2 ? 0 : -0.5, 5));
      high.forEach((v, k) => expect(v).toBeCloseTo(k === 2 ? 1 : 0.5, 5));
    }
    const ball = primitiveModel("sphere", [1, 1, 1], 1, 0);
    expect(meshArea(ball.meshes[0]) / Math.PI).toBeCloseTo(1, 2);
    expect(triangleCount(ball)).toBeGreaterThan(1000);
  });

  test("a leaning box is dropped by its real corner", () => {
    const box = primitiveModel("box", [1, 1, 1], 1, 0);
    const leaning = { ...standing([3, 4, 5]), lean: [0, 0.5] as [number, number], scale: [2, 1, 1] as Vec3 };
    const dropped = dropToFloor(leaning, box, 0.25);
    expect(lowestPoint(dropped, box)).toBeCloseTo(0.25, 9);
    // The corner at x = +1 m goes down by sin(lean) for a turn about Y.
    expect(dropped.position[2]).toBeCloseTo(0.25 + Math.sin(0.5), 6);
    expect(distance(placePoint(dropped, [0, 0, 0]), dropped.position)).toBeCloseTo(0, 12);
  });
});
