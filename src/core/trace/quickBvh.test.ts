import { expect, test } from "@jest/globals";
import { seeded } from "../../testing/random.ts";
import { buildQuick } from "./quickBvh.ts";
import { buildReference, referenceClosest } from "./referenceBvh.ts";

test("the quick tree finds what triangles one by one give, also where many lie in one another or in one point", () => {
  const random = seeded(5);
  for (const [count, size] of [
    [1, 1],
    [40, 0.5],
    [700, 0.15],
    [64, 0],
  ]) {
    const positions = new Float32Array(count * 9);
    for (let t = 0; t < count; t++) {
      const same = t % 3 === 1;
      for (let k = 0; k < 9; k++)
        positions[t * 9 + k] = same
          ? positions[(t - 1) * 9 + k]
          : random() * (k < 3 ? 1 : size) + (k < 3 ? 0 : positions[t * 9 + (k % 3)]);
    }
    const indices = Uint32Array.from({ length: count * 3 }, (_, i) => i);
    const tree = buildQuick(positions, indices);
    expect([...tree.numbers].sort((a, b) => a - b)).toEqual(Array.from({ length: count }, (_, i) => i));
    const each = Array.from({ length: count }, (_, t) =>
      buildReference(positions.slice(t * 9, t * 9 + 9), Uint32Array.of(0, 1, 2)),
    );
    for (let ray = 0; ray < 60; ray++) {
      const from = [random() * 3 - 1, random() * 3 - 1, -1] as const;
      const way = [random() - 0.5 - from[0] / 3, random() - 0.5 - from[1] / 3, 1] as const;
      const nearest = Math.min(...each.map((one) => referenceClosest(one, ...from, ...way)?.distance ?? Infinity));
      expect(referenceClosest(tree, ...from, ...way)?.distance ?? Infinity).toBe(nearest);
    }
  }
});
