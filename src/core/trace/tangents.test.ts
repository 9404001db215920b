import { expect, test } from "@jest/globals";
import type { Mesh } from "../props/model.ts";
import { vertexTangents } from "./tangents.ts";

/** A tube of `n` sides around z whose texture runs once around it. */
function tube(n: number): Mesh {
  const [positions, normals, uvs, indices]: number[][] = [[], [], [], []];
  for (let i = 0; i <= n; i++) {
    const a = (i / n) * 2 * Math.PI;
    for (const z of [0, 1]) {
      positions.push(Math.cos(a), Math.sin(a), z);
      normals.push(Math.cos(a), Math.sin(a), 0);
      uvs.push(i / n, z);
    }
  }
  for (let i = 0; i < n; i++) indices.push(2 * i, 2 * i + 2, 2 * i + 1, 2 * i + 1, 2 * i + 2, 2 * i + 3);
  return {
    positions: new Float32Array(positions),
    normals: new Float32Array(normals),
    uvs: new Float32Array(uvs),
    indices: new Uint32Array(indices),
    material: 0,
  };
}

test("around a tube the tangent is the derivative of the circle, whatever the facets are", () => {
  const mesh = tube(12);
  const tangents = vertexTangents(mesh);
  for (let v = 0; v < tangents.length / 3; v++) {
    const [x, y] = mesh.positions.subarray(v * 3);
    expect(tangents[v * 3]).toBeCloseTo(-y, 5);
    expect(tangents[v * 3 + 1]).toBeCloseTo(x, 5);
    expect(tangents[v * 3 + 2]).toBeCloseTo(0, 5);
  }
});

test("a mirrored texture turns the tangent round; without texture coordinates, or with all alike, there is none", () => {
  const mesh = tube(8);
  const mirrored = vertexTangents({ ...mesh, uvs: mesh.uvs!.map((t, i) => (i % 2 === 0 ? 1 - t : t)) });
  vertexTangents(mesh).forEach((t, i) => expect(mirrored[i]).toBeCloseTo(-t, 5));
  expect(vertexTangents({ ...mesh, uvs: null }).every((t) => t === 0)).toBe(true);
  expect(vertexTangents({ ...mesh, uvs: new Float32Array(mesh.uvs!.length) }).every((t) => t === 0)).toBe(true);
});
