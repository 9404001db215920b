import { describe, expect, test } from "@jest/globals";
import type { Vec3 } from "../math/vec3.ts";
import type { Model } from "./model.ts";
import { modelBounds, plainMaterial } from "./model.ts";
import { readModel, readSize, suitedFoot } from "./reading.ts";
import { shapeMesh } from "./shapes/index.ts";

/** A box between two corners, as itself or as two copies of a smaller one. */
function boxModel(low: Vec3, size: Vec3, copies = false): Model {
  const mesh = shapeMesh({ kind: "box", size: copies ? [size[0] / 2, size[1], size[2]] : size, bevel: 0 });
  const middle = [low[0] + size[0] / 2, low[1] + size[1] / 2, low[2]];
  const at = (x: number) => [1, 0, 0, x, 0, 1, 0, middle[1], 0, 0, 1, middle[2]];
  if (copies)
    return {
      meshes: [
        { ...mesh, copies: Float32Array.from([...at(middle[0] - size[0] / 4), ...at(middle[0] + size[0] / 4)]) },
      ],
      materials: [plainMaterial({ name: "m" })],
      textures: [],
    };
  const positions = mesh.positions.map((v, i) => v + middle[i % 3]);
  return { meshes: [{ ...mesh, positions }], materials: [plainMaterial({ name: "m" })], textures: [] };
}

describe("a file", () => {
  test.each([false, true])(
    "of millimetres, lying on its side far from its origin, stands upright on its base",
    (copies) => {
      const model = boxModel([90_000, -2000, 400], [600, 300, 200], copies);
      const reading = { unit: 0.001, up: "y", foot: "base" } as const;
      const { low, high } = modelBounds(readModel(model, reading));
      // What was its depth is its height; it is as wide before as behind the middle of its base.
      [-0.3, -0.1, 0].forEach((v, k) => expect(low[k]).toBeCloseTo(v, 5));
      [0.3, 0.1, 0.3].forEach((v, k) => expect(high[k]).toBeCloseTo(v, 5));
      readSize([600, 300, 200], reading).forEach((v, k) => expect(v).toBeCloseTo([0.6, 0.2, 0.3][k], 9));
      // By its origin it stays as far away as it was drawn.
      expect(modelBounds(readModel(model, { unit: 0.001, up: "y" })).low[0]).toBeCloseTo(90, 3);
    },
  );

  test.each<[string, Vec3, Vec3, "x" | "y" | "z", "origin" | "base"]>([
    ["drawn about its foot", [-0.4, -0.3, 0], [0.8, 0.6, 1.9], "z", "origin"],
    ["with roots below the ground", [-0.4, -0.3, -0.1], [0.8, 0.6, 1.9], "z", "origin"],
    ["drawn from its corner", [0, 0, 0], [0.6, 0.4, 0.3], "z", "base"],
    ["drawn about its middle", [-0.3, -0.2, -0.15], [0.6, 0.4, 0.3], "z", "base"],
    ["drawn at the place of a survey", [4.1e5, 5.2e6, 12], [8, 5, 3], "z", "base"],
    ["whose foot is at its side until it is turned up", [-0.3, 0, -0.15], [0.6, 0.4, 0.3], "y", "origin"],
    ["flat on the ground", [-1, -1, 0], [2, 2, 0], "z", "origin"],
  ])("%s", (_, low, size, up, foot) => expect(suitedFoot(low, size, up)).toBe(foot));
});
