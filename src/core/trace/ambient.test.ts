import { describe, expect, test } from "@jest/globals";
import type { Mesh } from "../props/model.ts";
import { placementMatrix, standing } from "../props/transform.ts";
import { shapeMesh } from "../props/shapes/index.ts";
import type { Shape } from "../props/shapes/index.ts";
import type { Vec3 } from "../math/vec3.ts";
import type { Blocker, Sheet } from "./ambient.ts";
import { ambientAt, ambientOfCorners, blockerMesh, blockerOf, nearestBlocker, shadeOn } from "./ambient.ts";

const GIVEN_BACK = 0.12;

function blockers(shape: Shape, position: Vec3, scale: Vec3 = [1, 1, 1]): { all: Blocker[]; mesh: Mesh } {
  const mesh = shapeMesh(shape);
  const placement = { ...standing(position), scale };
  const matrix = placementMatrix(placement);
  const { positions, indices } = mesh;
  return { all: [blockerOf(blockerMesh(positions, indices), matrix)], mesh };
}

/** A small square of level ground around a point. */
const groundAt = (x: number, y: number, side = 0.002): Sheet => ({
  corner: [x - side / 2, y - side / 2, 0],
  across: [1, 0, 0],
  along: [0, 1, 0],
  normal: [0, 0, 1],
  size: [side, side],
});

describe("the shade of light from all around", () => {
  const ball = { kind: "sphere", size: [1, 1, 1] } as Shape;

  test.each([0.3, 0.5, 0.8, 1.5])(
    "a ball of radius 0.5 that lies on the ground keeps (R / d)³ of it from a point %p m away",
    (r) => {
      // Howell, A Catalog of Radiation Heat Transfer Configuration Factors, B-38: (R / d)² cos θ, with cos θ = R / d here.
      const { all } = blockers(ball, [0, 0, 0]);
      const expected = (0.5 / Math.hypot(0.5, r)) ** 3;
      const [found] = shadeOn(groundAt(r, 0), [1, 1], all, 4096);
      expect(found / (1 - GIVEN_BACK)).toBeCloseTo(expected, 2);
    },
  );

  test("a ball made twice as large by its placing shades as one of that size", () => {
    const { all } = blockers(ball, [3, 0, 0], [2, 2, 2]);
    const expected = (1 / Math.hypot(1, 1.4)) ** 3;
    const [found] = shadeOn(groundAt(4.4, 0), [1, 1], all, 4096);
    expect(found / (1 - GIVEN_BACK)).toBeCloseTo(expected, 2);
  });

  test("a wall that begins at a point's feet and goes on without end keeps half of it away", () => {
    const { all } = blockers({ kind: "box", size: [400, 0.2, 400], bevel: 0 } as Shape, [0, 0.1, 0]);
    const [found] = shadeOn(groundAt(0, -0.0015, 0.001), [1, 1], all, 4096);
    expect(found / (1 - GIVEN_BACK)).toBeCloseTo(0.5, 2);
  });

  test("cells lie along the sheet's sides, from its corner on", () => {
    const { all } = blockers(ball, [0, 0, 0]);
    const sheet: Sheet = { ...groundAt(0, 0), corner: [0, -0.5, 0], size: [3, 1] };
    const shade = shadeOn(sheet, [6, 2], all, 256);
    for (const row of [0, 1])
      for (let i = 1; i < 6; i++) expect(shade[row * 6 + i]).toBeLessThan(shade[row * 6 + i - 1]);
    expect(Math.abs(shade[2] - shade[8])).toBeLessThan(0.03);
  });
});

describe("the light around that reaches a prop", () => {
  const nowhere = () => null;
  const level = (from: Vec3, d: Vec3) => (d[2] < 0 ? { distance: -from[2] / d[2], normal: [0, 0, 1] as Vec3 } : null);

  test("all of it on a ball in the air, whose outside sees nothing of itself", () => {
    const { all } = blockers({ kind: "sphere", size: [1, 1, 1] } as Shape, [0, 0, 0]);
    const points = new Float32Array([0.5, 0, 0.5, 0, 0, 1.001]);
    const shares = ambientAt(points, new Float32Array([1, 0, 0, 0, 0, 1]), all, nowhere, 256);
    expect(shares[1]).toBe(1);
    expect(shares[0]).toBeGreaterThan(0.97);
  });

  test("less of it on its underside, where the ground is in its shade, than at its waist, and most on top", () => {
    const { all } = blockers({ kind: "sphere", size: [1, 1, 1] } as Shape, [0, 0, 0]);
    const at = (deg: number): Vec3 => [Math.cos((deg * Math.PI) / 180), 0, Math.sin((deg * Math.PI) / 180)];
    const normals = [-60, 0, 90].map(at);
    const points = normals.flatMap(([x, , z]) => [0.501 * x, 0, 0.5 + 0.501 * z]);
    const [under, waist, top] = ambientAt(new Float32Array(points), new Float32Array(normals.flat()), all, level, 512);
    expect(top).toBe(1);
    // What the ground in sight of the waist lacks, (R / d)³ of it at each place, added up over all directions.
    let [missing, whole] = [0, 0];
    const n = 200;
    for (let a = 0; a < n; a++)
      for (let b = 0; b < n; b++) {
        const [polar, turn] = [((a + 0.5) / n) * (Math.PI / 2), ((b + 0.5) / n) * 2 * Math.PI];
        const weight = Math.sin(polar) * Math.cos(polar);
        const d = [Math.cos(polar), Math.sin(polar) * Math.cos(turn), Math.sin(polar) * Math.sin(turn)];
        whole += weight;
        if (d[2] >= 0) continue;
        const far = 0.5 / -d[2];
        const r = Math.hypot(0.501 + far * d[0], far * d[1]);
        missing += weight * (1 - GIVEN_BACK) * (0.5 / Math.hypot(0.5, r)) ** 3;
      }
    // 2048 rays of one way on each are good to 0.003; the ball has facets.
    expect(Math.abs(waist - (1 - missing / whole))).toBeLessThan(0.01);
    expect(waist).toBeGreaterThan(under + 0.2);
  });

  test("rays along a face of a box in the way are not lost", () => {
    const { all } = blockers({ kind: "box", size: [1, 1, 1], bevel: 0 } as Shape, [0, 0, 0]);
    expect(nearestBlocker(all, [-2, 0.2, 0.5], [1, 0, 0])!.distance).toBeCloseTo(1.5, 5);
    expect(nearestBlocker(all, [-2, 0.7, 0.5], [1, 0, 0])).toBeNull();
    expect(nearestBlocker(all, [0, 0, 3], [0, 0, -2])).toMatchObject({ distance: 1, fromBehind: false });
    expect(nearestBlocker(all, [0, 0, 0.5], [0, 0, 1])!.fromBehind).toBe(true);
  });

  test("corners that lie in another part take their light from around them, and do not go dark", () => {
    // A post with a rib across it: four corners of the post's outside end within the rib.
    const post = shapeMesh({ kind: "box", size: [0.2, 0.2, 1], bevel: 0 } as Shape);
    const rib = blockers({ kind: "box", size: [0.1, 0.6, 0.1], bevel: 0 } as Shape, [0.1, 0, 0.95]);
    const matrix = placementMatrix(standing());
    const own = blockerOf(blockerMesh(post.positions, post.indices), matrix);
    const inRib = (i: number) =>
      post.positions[i * 3] > 0.05 && post.positions[i * 3 + 2] > 0.95 && post.normals[i * 3] > 0.9;
    const raw = ambientAt(post.positions, post.normals, [...rib.all, own], nowhere, 64);
    const light = ambientOfCorners(post.positions, post.normals, post.indices, [...rib.all, own], nowhere, 10_000);
    const buried = [...raw.keys()].filter(inRib);
    expect(buried).toHaveLength(2);
    for (const i of buried) {
      expect(raw[i]).toBeNaN();
      expect(light[i * 2]).toBeGreaterThan(0.6);
    }
  });

  test("either side of a sheet has its own light, whichever way its normals look", () => {
    // A lid over the ground: its upper side has all light, its lower side what comes in from beside it.
    const lid = shapeMesh({ kind: "plane", width: 1, depth: 1 });
    const matrix = placementMatrix(standing([0, 0, 0.1]));
    const own = [blockerOf(blockerMesh(lid.positions, lid.indices), matrix)];
    const points = lid.positions.map((x, i) => (i % 3 === 2 ? x + 0.1 : x));
    const light = ambientOfCorners(points, lid.normals, lid.indices, own, level, 10_000);
    const [upper, lower] = lid.normals[2] > 0 ? [0, 1] : [1, 0];
    for (let i = 0; i < light.length; i += 2) {
      expect(light[i + upper]).toBe(1);
      expect(light[i + lower]).toBeLessThan(0.8);
    }
  });

  test("a mesh of many corners is told from few rays nearly as from many", () => {
    const { all, mesh } = blockers({ kind: "torus", size: [1, 1, 0.3] }, [0, 0, 0]);
    const lightBy = (rays: number) =>
      ambientOfCorners(mesh.positions, mesh.normals, mesh.indices, all, level, rays).filter((_, i) => i % 2 === 0);
    const [few, many] = [lightBy(60_000), lightBy(400_000)];
    const off = few.reduce((sum, x, i) => sum + Math.abs(x - many[i]), 0) / few.length;
    expect(Math.max(...many) - Math.min(...many)).toBeGreaterThan(0.3);
    expect(off).toBeLessThan(0.05);
  });
});
