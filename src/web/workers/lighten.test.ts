import { expect, test } from "@jest/globals";
import type { Mesh, Model } from "#core/props/model";
import { modelBounds, plainMaterial, triangleCount } from "#core/props/model";
import { lightened } from "./lighten.ts";

/** A ball of so many triangles around and down, its two halves coloured. */
function ball(across: number, down: number): Mesh {
  const positions: number[] = [];
  const colours: number[] = [];
  for (let j = 0; j <= down; j++)
    for (let i = 0; i <= across; i++) {
      const [a, b] = [(i / across) * 2 * Math.PI, (j / down) * Math.PI];
      positions.push(Math.sin(b) * Math.cos(a), Math.sin(b) * Math.sin(a), Math.cos(b));
      colours.push(...(j * 2 < down ? [255, 0, 0, 255] : [0, 0, 255, 255]));
    }
  const indices: number[] = [];
  for (let j = 0; j < down; j++)
    for (let i = 0; i < across; i++) {
      const a = j * (across + 1) + i;
      indices.push(a, a + across + 1, a + 1, a + 1, a + across + 1, a + across + 2);
    }
  const list = new Float32Array(positions);
  return {
    positions: list,
    normals: list.slice(),
    uvs: null,
    colours: new Uint8Array(colours),
    indices: new Uint32Array(indices),
    material: 0,
  };
}
const modelWith = (meshes: Mesh[]): Model => ({ meshes, materials: [plainMaterial()], textures: [] });

test("a heavy ball is made light: of the same size to the bit, still round, its normals and colours where they were", async () => {
  for (const most of [2000, 20_000]) {
    const heavy = modelWith([ball(400, 200)]);
    const light = await lightened(heavy, most);
    expect(triangleCount(light)).toBeLessThanOrEqual(most * 1.05);
    expect(triangleCount(light)).toBeGreaterThan(most * 0.7);
    expect(modelBounds(light)).toEqual(modelBounds(heavy));
    const [{ positions: p, normals, colours }] = light.meshes;
    let [off, turned, painted] = [0, 0, 0];
    for (let i = 0; i < p.length; i += 3) {
      const at = p.subarray(i, i + 3);
      // Corners are those of the ball, so each is its own normal.
      off = Math.max(off, Math.abs(Math.hypot(...at) - 1));
      if (at.some((x, k) => x !== normals[i + k])) turned++;
      if (Math.abs(at[2]) > 0.05 && colours![(i / 3) * 4] !== (at[2] > 0 ? 255 : 0)) painted++;
    }
    expect(off).toBeLessThan(1e-6);
    expect({ turned, painted }).toEqual({ turned: 0, painted: 0 });
    // Middles of triangles: a surface of so many flat pieces lies this far within the ball at most.
    const { indices } = light.meshes[0];
    let least = 1;
    for (let t = 0; t < indices.length; t += 3) {
      const middle = [0, 1, 2].map((k) => [0, 1, 2].reduce((sum, j) => sum + p[indices[t + j] * 3 + k], 0) / 3);
      least = Math.min(least, Math.hypot(...middle));
    }
    expect(least).toBeGreaterThan(0.98);
  }
});

test("what is light already stays the same object, and of several meshes each keeps its share", async () => {
  const light = modelWith([ball(20, 10)]);
  expect(await lightened(light, 1000)).toBe(light);
  const both = await lightened(modelWith([ball(300, 100), ball(100, 50)]), 14_000);
  const counts = both.meshes.map(({ indices }) => indices.length / 3);
  expect(counts[0] / counts[1]).toBeGreaterThan(4);
  expect(counts[0] / counts[1]).toBeLessThan(8);
});
