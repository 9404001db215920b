import { describe, expect, test } from "@jest/globals";
import type { Vec3 } from "../math/vec3.ts";
import { shapeMesh } from "../props/shapes/index.ts";
import type { Shape } from "../props/shapes/index.ts";
import type { Placement } from "../props/transform.ts";
import { placePoint, placementRotation, standing } from "../props/transform.ts";
import { seeded } from "../../testing/random.ts";
import { anglesOf, dropped, marginOf, pushDistance, rested, rotationAbout } from "./rest.ts";
import type { Solid } from "./solid.ts";
import { middleOf, solidOf } from "./solid.ts";

/** Contact and stability in closed form: heights by geometry, stands by where the weight is. */

const solid = (shape: Shape): Solid => {
  const { positions, indices } = shapeMesh(shape);
  return solidOf(positions, indices);
};
const box = (x: number, y: number, z: number, bevel = 0) => solid({ kind: "box", size: [x, y, z], bevel });

/** Triangles of quadrilaterals. */
const faces = (...quads: Vec3[][]): Solid =>
  solidOf(
    Float32Array.from(quads.flat(2)),
    Uint32Array.from(quads.flatMap((_, i) => [0, 1, 2, 0, 2, 3].map((k) => i * 4 + k))),
  );
const floor = (z = 0, half = 5): Solid =>
  faces([
    [-half, -half, z],
    [half, -half, z],
    [half, half, z],
    [-half, half, z],
  ]);
/** A ramp that rises towards +Y by an angle, through the origin. */
const ramp = (angle: number): Solid => {
  const t = Math.tan(angle);
  return faces([
    [-5, -5, -5 * t],
    [5, -5, -5 * t],
    [5, 5, 5 * t],
    [-5, 5, 5 * t],
  ]);
};
const at = (position: Vec3, turn = 0, lean: [number, number] = [0, 0]): Placement => ({
  ...standing(position),
  turn,
  lean,
});
const degrees = (d: number) => (d * Math.PI) / 180;

describe("dropping", () => {
  test("corners onto a face, out of a face, and a face onto a corner", () => {
    expect(dropped(box(1, 1, 1), at([0, 0, 0.7]), [floor()])!.placement.position[2]).toBeCloseTo(0, 6);
    // What sinks is pushed up.
    expect(dropped(box(1, 1, 1), at([0, 0, -0.1]), [floor()])!.placement.position[2]).toBeCloseTo(0, 6);
    const spike = faces([
      [0, 0, 0.4],
      [0.1, 0, 0],
      [0, 0.1, 0],
      [-0.1, -0.1, 0],
    ]);
    expect(dropped(box(1, 1, 1), at([0.2, 0.1, 3]), [floor(), spike])!.placement.position[2]).toBeCloseTo(0.4, 6);
  });

  test("a beam across a rail rests edge on edge, where no corner lies over the other", () => {
    // Both stand on an edge, turned a quarter against each other.
    const rail = solid({ kind: "box", size: [4, 0.2, 0.2], bevel: 0 });
    const placed = at([0, 0, 1], 0, [degrees(45), 0]);
    const positions = new Float32Array(rail.positions.length);
    for (let i = 0; i < positions.length; i += 3)
      positions.set(placePoint(placed, [...rail.positions.subarray(i, i + 3)] as Vec3), i);
    const turned = solidOf(positions, rail.indices);
    const beam = box(0.2, 3, 0.2);
    const found = dropped(beam, at([0.03, 0.04, 4], 0, [0, degrees(45)]), [turned])!;
    // The rail's upper edge is at 1 + 0.2·cos 45° (it leans about its foot); the beam's lowest edge lies on it.
    expect(lowestOf(beam, found.placement)).toBeCloseTo(turned.high[2], 5);
    expect(found.touches.length).toBeGreaterThan(0);
    expect(Math.abs(found.touches[0].at[2] - turned.high[2])).toBeLessThan(1e-4);
  });

  test("meshes on even, sloped, stepped and curved supports: no corner or ray finds a gap or a depth of half a millimetre", () => {
    const stairs = faces(
      ...[0, 1, 2, 3].flatMap((i): Vec3[][] => [
        [
          [-3, i * 0.3, i * 0.17],
          [3, i * 0.3, i * 0.17],
          [3, i * 0.3 + 0.3, i * 0.17],
          [-3, i * 0.3 + 0.3, i * 0.17],
        ],
        [
          [-3, i * 0.3, i * 0.17 - 0.17],
          [3, i * 0.3, i * 0.17 - 0.17],
          [3, i * 0.3, i * 0.17],
          [-3, i * 0.3, i * 0.17],
        ],
      ]),
    );
    const dome = solid({ kind: "sphere", size: [3, 2.4, 0.8] });
    const shapes: Shape[] = [
      { kind: "box", size: [0.3, 0.5, 0.2], bevel: 0.02 },
      { kind: "sphere", size: [0.3, 0.3, 0.3] },
      { kind: "cone", size: [0.3, 0.3, 0.4], top: 0.3 },
      { kind: "torus", size: [0.6, 0.5, 0.1] },
      { kind: "capsule", diameter: 0.2, height: 0.5 },
    ];
    const random = seeded(9);
    for (const support of [floor(), ramp(0.3), stairs, dome])
      for (const shape of shapes) {
        const own = solid(shape);
        const placement = at([0.2 * random(), 0.3 + 0.3 * random(), 1.5], 6 * random(), [
          random() - 0.5,
          random() - 0.5,
        ]);
        const found = dropped(own, placement, [support])!;
        // Rays up and down through a lattice over the support, by plain intersection of all triangles.
        const gap = leastGap(own, found.placement, support, found.touches);
        expect(gap).toBeGreaterThan(-0.0005);
        expect(gap).toBeLessThan(0.0005);
      }
  });

  test("a crate pushed along a direction stops at the wall", () => {
    const wall = {
      positions: new Float32Array([2, -3, 0, 2, 3, 0, 2, 3, 3, 2, -3, 3]),
      indices: new Uint32Array([0, 1, 2, 0, 2, 3]),
    };
    const far = (turn: number) => pushDistance(box(1, 1, 1), at([0, 0, 0], turn), [wall], [1, 0, 0], solidOf);
    expect(far(0)).toBeCloseTo(1.5, 6);
    expect(far(degrees(45))).toBeCloseTo(2 - Math.SQRT1_2, 6);
    expect(pushDistance(box(1, 1, 1), at([0, 0, 0]), [wall], [-1, 0, 0], solidOf)).toBeNull();
  });

  test.each([0, 28])("it slides over the floor that it stands on and along a wall beside it, turned by %p°", (turn) => {
    const crate = box(1.4, 4, 0.9);
    const [c, s] = [Math.cos(degrees(turn)), Math.sin(degrees(turn))];
    const reach = 0.7 * c + 2 * s;
    const beside = 0.7 * s + 2 * c;
    const wall = faces([-9, 9].map((y): Vec3 => [6, y, 0]).concat([9, -9].map((y): Vec3 => [6, y, 3])));
    const along = faces([-9, 9].map((x): Vec3 => [x, beside, 0]).concat([9, -9].map((x): Vec3 => [x, beside, 3])));
    const placed = at([0, 0, 0], degrees(turn));
    expect(pushDistance(crate, placed, [floor(0, 9), along, wall], [1, 0, 0], solidOf)).toBeCloseTo(6 - reach, 3);
    expect(pushDistance(crate, placed, [floor(0, 9), along], [1, 0, 0], solidOf)).toBeNull();
    // What was dragged a little into a wall comes out of it.
    const inside = at([6 - reach + 0.08, 0, 0], degrees(turn));
    expect(pushDistance(crate, inside, [floor(0, 9), along, wall], [1, 0, 0], solidOf)).toBeCloseTo(-0.08, 3);
    // Away from a wall that it touches, and upwards, nothing holds it but what is there.
    expect(pushDistance(crate, placed, [floor(0, 9), along], [0, -1, 0], solidOf)).toBeNull();
    const ceiling = floor(2.5, 9);
    expect(pushDistance(crate, placed, [floor(0, 9), along, ceiling], [0, 0, 1], solidOf)).toBeCloseTo(1.6, 3);
  });
});

describe("standing", () => {
  test("the margin is the distance of the weight from the border of the feet", () => {
    const feet: Vec3[] = [
      [0, 0, 0],
      [2, 0, 0],
      [2, 1, 0],
      [0, 1, 0],
      [1, 0.5, 0],
    ];
    expect(marginOf(feet, [0.4, 0.5, 9])).toBeCloseTo(0.4, 9);
    expect(marginOf(feet, [1, 1.3, 9])).toBeCloseTo(-0.3, 9);
    expect(marginOf(feet.slice(0, 2), [1, 0.2, 0])).toBeCloseTo(-0.2, 9);
    expect(marginOf([[0, 0, 0]], [3, 4, 0])).toBeCloseTo(-5, 9);
  });

  test("middles of a box, a cone and a sheet", () => {
    expect(middleOf(box(1, 2, 3))[2]).toBeCloseTo(1.5, 6);
    // A cone's is a quarter of its height up; its circle is a polygon of 96 sides.
    expect(middleOf(solid({ kind: "cone", size: [1, 1, 2], top: 0 }))[2]).toBeCloseTo(0.5, 3);
    expect(middleOf(solid({ kind: "plane", width: 1, depth: 3 }))).toEqual([0, 0, 0]);
  });

  test("angles of a rotation are those that placements turn by", () => {
    const random = seeded(4);
    for (let i = 0; i < 50; i++) {
      const m = placementRotation(at([0, 0, 0], 6 * random() - 3, [2.8 * random() - 1.4, 6 * random() - 3]));
      const again = placementRotation(at([0, 0, 0], anglesOf(m).turn, anglesOf(m).lean));
      m.flat().forEach((x, k) => expect(again.flat()[k]).toBeCloseTo(x, 9));
    }
    expect(rotationAbout([0, 0, 1], Math.PI / 2)[1][0]).toBeCloseTo(1, 12);
  });

  test("a level box on a ramp comes to lie flat on it", () => {
    const slope = degrees(12);
    const found = rested(box(2, 0.8, 0.3), at([0, 0, 2]), [ramp(slope)])!;
    expect(found.stable).toBe(true);
    // Its own upright is the ramp's normal.
    const m = placementRotation(found.placement);
    const up = [m[0][2], m[1][2], m[2][2]];
    [0, -Math.sin(slope), Math.cos(slope)].forEach((x, k) => expect(Math.abs(up[k] - x)).toBeLessThan(0.002));
    // Weight h/2 above the slope moves downhill by h/2·sin of it; the feet reach half the length times its cosine.
    expect(found.margin).toBeCloseTo(0.4 * Math.cos(slope) - 0.15 * Math.sin(slope), 2);
  });

  test("a tall box on a steep ramp tips over, and a low one stands: by the ratio of its half sizes", () => {
    const slope = degrees(25);
    // Stands while tan of the slope is below depth over height.
    const low = { ...at([0, 0, 1], 0, [slope, 0]) };
    expect(dropped(box(0.3, 0.3, 0.5), low, [ramp(slope)])!.stable).toBe(true);
    expect(dropped(box(0.3, 0.3, 0.8), low, [ramp(slope)])!.stable).toBe(false);
  });

  test("a plank over an edge stands while its middle is on the table, and tips to the floor when it is not", () => {
    const table = solidOf(
      Float32Array.from([...[-2, -1, 1], ...[0, -1, 1], ...[0, 1, 1], ...[-2, 1, 1]]),
      Uint32Array.from([0, 1, 2, 0, 2, 3]),
    );
    const plank = box(2.8, 0.2, 0.02);
    const stays = rested(plank, at([-0.1, 0, 1.2]), [table, floor()])!;
    expect(stays.stable).toBe(true);
    expect(stays.tipped).toBe(0);
    expect(stays.margin).toBeCloseTo(0.1, 4);
    const tips = rested(plank, at([0.2, 0, 1.2]), [table, floor()])!;
    // One end on the floor, leant on the table's edge: 1 m high, 1.2 m along the plank's underside from that end if nothing slides.
    expect(tips.stable).toBe(true);
    expect(tips.tipped).toBeGreaterThan(0);
    const low = lowestOf(plank, tips.placement);
    expect(low).toBeCloseTo(0, 3);
    // Turned about the edge until the end 1.6 m away is down: sin of the angle is 1 / 1.6.
    expect(tips.tipped).toBeCloseTo(Math.asin(1 / 1.6), 2);
  });

  test("a ball in a groove touches both sides", () => {
    const slope = degrees(40);
    const t = Math.tan(slope);
    const groove = faces(
      [
        [-3, -2, 2 * t],
        [3, -2, 2 * t],
        [3, 0, 0],
        [-3, 0, 0],
      ],
      [
        [-3, 0, 0],
        [3, 0, 0],
        [3, 2, 2 * t],
        [-3, 2, 2 * t],
      ],
    );
    const r = 0.25;
    const found = rested(solid({ kind: "sphere", size: [2 * r, 2 * r, 2 * r] }), at([0, 0, 2]), [groove])!;
    // The middle of a ball that touches both lies r / cos of the slope over the groove.
    expect(found.placement.position[2] + r).toBeCloseTo(r / Math.cos(slope), 2);
  });
});

function lowestOf(own: Solid, placement: Placement): number {
  let low = Infinity;
  for (const c of own.corners)
    low = Math.min(low, placePoint(placement, [...own.positions.subarray(c * 3, c * 3 + 3)] as Vec3)[2]);
  return low;
}

/** Heights of a mesh over a point, by plain intersection with every triangle. */
function heightsOver(positions: ArrayLike<number>, indices: Uint32Array, x: number, y: number): number[] {
  const heights: number[] = [];
  for (let t = 0; t < indices.length; t += 3) {
    const [a, b, c] = [0, 1, 2].map((k) => indices[t + k] * 3);
    const [ux, uy] = [positions[b] - positions[a], positions[b + 1] - positions[a + 1]];
    const [vx, vy] = [positions[c] - positions[a], positions[c + 1] - positions[a + 1]];
    const d = ux * vy - uy * vx;
    if (Math.abs(d) < 1e-14) continue;
    const [px, py] = [x - positions[a], y - positions[a + 1]];
    const [s, r] = [(px * vy - py * vx) / d, (ux * py - uy * px) / d];
    if (s < 0 || r < 0 || s + r > 1) continue;
    heights.push(
      positions[a + 2] + s * (positions[b + 2] - positions[a + 2]) + r * (positions[c + 2] - positions[a + 2]),
    );
  }
  return heights;
}

function leastGap(own: Solid, placement: Placement, support: Solid, touches: { at: Vec3 }[]): number {
  const world = new Float64Array(own.positions.length);
  for (let i = 0; i < world.length; i += 3)
    world.set(placePoint(placement, [...own.positions.subarray(i, i + 3)] as Vec3), i);
  let [x0, x1, y0, y1] = [Infinity, -Infinity, Infinity, -Infinity];
  for (let i = 0; i < world.length; i += 3) {
    x0 = Math.min(x0, world[i]);
    x1 = Math.max(x1, world[i]);
    y0 = Math.min(y0, world[i + 1]);
    y1 = Math.max(y1, world[i + 1]);
  }
  let least = Infinity;
  const look = (x: number, y: number) => {
    const mine = heightsOver(world, own.indices, x, y);
    const theirs = heightsOver(support.positions, support.indices, x, y);
    if (mine.length === 0 || theirs.length === 0) return;
    least = Math.min(least, Math.min(...mine) - Math.max(...theirs));
  };
  const N = 16;
  for (let i = 0; i <= N; i++) for (let j = 0; j <= N; j++) look(x0 + ((x1 - x0) * i) / N, y0 + ((y1 - y0) * j) / N);
  // And finer where it is said to touch.
  for (const { at: p } of touches.slice(0, 12))
    for (let i = -2; i <= 2; i++) for (let j = -2; j <= 2; j++) look(p[0] + i * 1e-4, p[1] + j * 1e-4);
  return least;
}
