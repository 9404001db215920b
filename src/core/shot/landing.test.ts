import { describe, expect, test } from "@jest/globals";
import type { Vec2, Vec3 } from "../math/vec3.ts";
import type { Camera } from "../optics/camera.ts";
import { projectPoint, rotationFromAngles } from "../optics/camera.ts";
import { noDistortion } from "../optics/distortion.ts";
import { makePart } from "../set/parts/make.ts";
import type { SetRecord } from "../set/parts/index.ts";
import { typedVertex } from "../set/vertex.ts";
import type { Plan, Standing } from "./landing.ts";
import { landingPlace } from "./landing.ts";

const SMALL: Plan = { low: [-0.2, -0.2], high: [0.2, 0.2] };
const frame = { width: 1200, height: 800 };
/** At eye level, looking along +Y: the horizon lies `tilt` above the middle. */
const camera = (tilt: number): Camera => ({
  focalPx: 900,
  principal: [600, 400],
  distortion: noDistortion(),
  rotation: rotationFromAngles({ heading: 0, tilt, roll: 0 }),
  position: [0, 0, 1.6],
});
const floorOf = (corners: [number, number][], z = 0) =>
  makePart(
    "floor",
    "Floor",
    { kind: "polygon", vertices: corners.map(([x, y]) => typedVertex([x, y, z])), holes: [] },
    "m",
  );
const wallOf = (y: number) =>
  makePart(
    "wall",
    "Wall",
    {
      kind: "block",
      base: (
        [
          [-20, y],
          [20, y],
          [20, y + 0.2],
          [-20, y + 0.2],
        ] as const
      ).map(([x, v]) => typedVertex([x, v, 0])),
      height: 4,
      closed: false,
    },
    "m",
  );

describe("something new is set down", () => {
  test.each([0.15, 0, -0.2, -0.5])("in the plate's lower part with the camera tilted by %p, not far off", (tilt) => {
    const at = landingPlace({}, camera(tilt), frame, SMALL, []);
    const [u, v] = projectPoint(camera(tilt), at)!;
    expect(at[2]).toBeCloseTo(0, 9);
    expect(u).toBeCloseTo(600, 6);
    // By the pinhole: the horizon at 400 + 900 tan(tilt), the place within the ground below it.
    const horizon = Math.max(0, 400 + 900 * Math.tan(tilt));
    expect(v).toBeGreaterThan(horizon + 0.35 * (800 - horizon));
    expect(v).toBeLessThan(horizon + 0.65 * (800 - horizon));
    expect(at[1]).toBeLessThan(16);
  });

  test("on what was built rather than beside it, and not on its border", () => {
    const set: SetRecord = {
      floor: floorOf([
        [0.6, 3],
        [6, 3],
        [6, 12],
        [0.6, 12],
      ]),
    };
    const [x, y] = landingPlace(set, camera(0), frame, SMALL, []);
    expect(x).toBeGreaterThan(0.8);
    expect(y).toBeGreaterThan(3);
    const bench: SetRecord = {
      floor: floorOf(
        [
          [-2, 2],
          [2, 2],
          [2, 5],
          [-2, 5],
        ],
        0.78,
      ),
    };
    expect(landingPlace(bench, camera(-0.2), frame, SMALL, [])[2]).toBeCloseTo(0.78, 9);
  });

  test("before a wall, never behind it", () => {
    for (const y of [2.5, 4, 8])
      expect(landingPlace({ wall: wallOf(y) }, camera(-0.1), frame, SMALL, [])[1]).toBeLessThan(y);
  });

  // A crate, and a boat that lies askew of its own foot.
  test.each<[Plan, number]>([
    [SMALL, 8],
    [{ low: [-0.7, -1], high: [0.7, 3] }, 4],
  ])("beside what stands there, not into it, and not hidden by it in the picture: %j", (own, count) => {
    const others: Standing[] = [];
    const view = camera(-0.1);
    for (let i = 0; i < count; i++) {
      const foot = landingPlace({}, view, frame, own, others);
      const plan = [own.low, own.high].map((c) => [foot[0] + c[0], foot[1] + c[1]]);
      for (const other of others)
        expect([0, 1].some((k) => plan[0][k] > other.plan.high[k] || plan[1][k] < other.plan.low[k])).toBe(true);
      const [u, v] = projectPoint(view, foot)!;
      const [, top] = projectPoint(view, [foot[0], foot[1], 0.5] as Vec3)!;
      for (const { box } of others)
        expect(u < box!.left || u > box!.right || v < box!.top || v > box!.bottom).toBe(true);
      others.push({
        plan: { low: plan[0] as Vec2, high: plan[1] as Vec2 },
        box: { left: u - 25, right: u + 25, top, bottom: v },
      });
    }
  });

  test("at the world's origin where the plate shows no ground at all", () => {
    expect(landingPlace({}, camera(0.6), frame, SMALL, [])).toEqual([0, 0, 0]);
  });
});
