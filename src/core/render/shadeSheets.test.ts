import { describe, expect, test } from "@jest/globals";
import { boxOf, placedBox } from "../math/box.ts";
import type { Vec3 } from "../math/vec3.ts";
import { dot } from "../math/vec3.ts";
import type { Prop } from "../props/schema.ts";
import { plainProp } from "../props/schema.ts";
import { standing } from "../props/transform.ts";
import { placementMatrix } from "../props/transform.ts";
import type { SetRecord } from "../set/parts/index.ts";
import { makePart } from "../set/parts/make.ts";
import { typedVertex } from "../set/vertex.ts";
import { testShot } from "../../testing/shots.ts";
import { shadedBy, stoodOf } from "./shadeSheets.ts";

const crate = (position: Vec3, more: Partial<Prop> = {}): Prop => ({
  id: "crate",
  name: "Crate",
  source: { kind: "standIn", size: [1, 1, 1] },
  placement: { position, turnDeg: 0, leanDeg: [0, 0], scale: [1, 1, 1] },
  keeps: "metres",
  ...plainProp(),
  ...more,
});
const rectangle = (x0: number, y0: number, x1: number, y1: number) =>
  (
    [
      [x0, y0, 0],
      [x1, y0, 0],
      [x1, y1, 0],
      [x0, y1, 0],
    ] as Vec3[]
  ).map(typedVertex);
/** Ground of 10 m, and a shed on it whose west wall stands at x = 2. */
const yard: SetRecord = {
  ground: makePart("ground", "Ground", { kind: "polygon", vertices: rectangle(-5, -5, 5, 5), holes: [] }, "m"),
  shed: makePart("shed", "Shed", { kind: "block", base: rectangle(2, -2, 4, 2), height: 2.5, closed: true }, "m"),
};
const sheetsOf = (prop: Prop, set = yard) => shadedBy({ ...testShot(), set }, stoodOf(prop, new Map())!);

describe("where a prop's shade lies", () => {
  test("on the ground it stands on, beyond its sides by a share of its size", () => {
    const [only, ...more] = sheetsOf(crate([-2, 0, 0]));
    expect(more).toEqual([]);
    expect(only.sheet.normal.map((x) => Math.round(x * 1e9) / 1e9)).toEqual([0, 0, 1]);
    // A metre and 0.7 m to each side.
    for (const side of only.sheet.size) expect(side).toBeCloseTo(2.4, 9);
    const { corner, across, along, size } = only.sheet;
    const far = [0, 1, 2].map((k) => corner[k] + size[0] * across[k] + size[1] * along[k]) as Vec3;
    const [xs, ys] = [0, 1].map((k) => [corner[k], far[k]].sort((a, b) => a - b));
    expect(xs.map((x) => Math.round(x * 1e6) / 1e6)).toEqual([-3.2, -0.8]);
    expect(ys.map((y) => Math.round(y * 1e6) / 1e6)).toEqual([-1.2, 1.2]);
  });

  test("on a wall that it comes near as well, the nearest first; not on one that is far", () => {
    const near = sheetsOf(crate([1.3, 0, 0]));
    expect(near).toHaveLength(2);
    expect(near[0].sheet.normal[2]).toBeCloseTo(1, 9);
    expect(near[1].sheet.normal[0]).toBeCloseTo(-1, 9);
    expect(dot(near[1].sheet.normal, near[1].sheet.corner)).toBeCloseTo(-2, 9);
    expect(sheetsOf(crate([0.8, 0, 0]))).toHaveLength(1);
    // Leaning against it above the ground, the wall is nearer.
    expect(sheetsOf(crate([1.45, 0, 0.3]))[0].sheet.normal[0]).toBeCloseTo(-1, 9);
    // Behind the shed nothing of its west wall is shaded.
    expect(sheetsOf(crate([4.7, 0, 0])).some(({ sheet }) => sheet.normal[0] < -0.5)).toBe(false);
  });

  test("on nothing where it hovers, and on the ground beyond the set", () => {
    expect(sheetsOf(crate([-2, 0, 2]))).toEqual([]);
    const beyond = sheetsOf(crate([20, 0, 0]));
    expect(beyond).toHaveLength(1);
    expect(beyond[0].face.id).toBe("ground");
    // The whole sheet lies on the square that stands for it.
    const xs = beyond[0].face.rings[0].map((p) => p[0]);
    expect([Math.min(...xs), Math.max(...xs)].map((x) => Math.round(x * 1e6) / 1e6)).toEqual([18.8, 21.2]);
  });

  test("hidden props and those that stand for the plate's own things have none", () => {
    expect(stoodOf(crate([0, 0, 0], { hidden: true }), new Map())).toBeNull();
    expect(stoodOf(crate([0, 0, 0], { role: "blocker" }), new Map())).toBeNull();
    const pose = (prop: Prop) => stoodOf(prop, new Map())!.pose;
    expect(pose(crate([0, 0, 0]))).toBe(pose(crate([3, 1, 0])));
    const turned = crate([0, 0, 0]);
    turned.placement.turnDeg = 30;
    expect(pose(turned)).not.toBe(pose(crate([0, 0, 0])));
  });
});

test("boxes of placed boxes hold every corner, and touch some on each side", () => {
  const points = [-0.2, 0.1, 0, 1, 2, 0.5, 0.3, -1, 3];
  const own = boxOf(points);
  expect(own).toEqual({ low: [-0.2, -1, 0], high: [1, 2, 3] });
  const matrix = placementMatrix({ ...standing([4, 5, 6]), turn: 0.7, lean: [0.3, -0.2], scale: [1, 2, 0.5] });
  const corners = Array.from({ length: 8 }, (_, c) =>
    [0, 1, 2].map((k) =>
      [0, 1, 2].reduce((sum, j) => sum + matrix[k * 4 + j] * ((c >> j) & 1 ? own.high : own.low)[j], matrix[k * 4 + 3]),
    ),
  );
  const placed = placedBox(own, matrix);
  for (const k of [0, 1, 2]) {
    expect(placed.low[k]).toBeCloseTo(Math.min(...corners.map((p) => p[k])), 9);
    expect(placed.high[k]).toBeCloseTo(Math.max(...corners.map((p) => p[k])), 9);
  }
});
