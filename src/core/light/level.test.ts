import { describe, expect, test } from "@jest/globals";
import type { Vec3 } from "../math/vec3.ts";
import { cross, dot, normalize, toRadians } from "../math/vec3.ts";
import type { Angles, Slope } from "./level.ts";
import { levelAngles, levelDirection, newSlope, slopeOfHorizon, worldAngles, worldDirection } from "./level.ts";
import { newLight } from "./schema.ts";
import { skyOf } from "./rig.ts";
import { skyPicture, shapeOf } from "./skies/index.ts";

/** A ramp that falls towards -Y, as the slipway does. */
const RAMP: Slope = { deg: 6.5, towardsDeg: 180 };

describe("ground that is not level", () => {
  test("what is up leans uphill, and the way downhill goes under the horizon", () => {
    const up = [0, Math.sin(toRadians(6.5)), Math.cos(toRadians(6.5))];
    worldDirection(RAMP, [0, 0, 1]).forEach((v, k) => expect(v).toBeCloseTo(up[k], 12));
    expect(levelAngles(RAMP, { azimuthDeg: 180, elevationDeg: 0 }).elevationDeg).toBeCloseTo(-6.5, 9);
    expect(levelAngles(RAMP, { azimuthDeg: 0, elevationDeg: 20 }).elevationDeg).toBeCloseTo(26.5, 9);
    // Square to the fall heights hardly change.
    expect(levelAngles(RAMP, { azimuthDeg: 90, elevationDeg: 0 }).elevationDeg).toBeCloseTo(0, 9);
  });

  test("there and back is where one was, and angles between directions stay", () => {
    const slope: Slope = { deg: 23, towardsDeg: 71 };
    const [a, b]: Vec3[] = [normalize([0.3, -0.5, 0.7]), normalize([-0.8, 0.2, 0.1])];
    const back = worldDirection(slope, levelDirection(slope, a));
    a.forEach((v, k) => expect(back[k]).toBeCloseTo(v, 12));
    expect(dot(levelDirection(slope, a), levelDirection(slope, b))).toBeCloseTo(dot(a, b), 12);
    const angles: Angles = { azimuthDeg: 312, elevationDeg: 41 };
    const again = worldAngles(slope, levelAngles(slope, angles));
    expect(again.azimuthDeg).toBeCloseTo(312, 9);
    expect(again.elevationDeg).toBeCloseTo(41, 9);
  });

  test("on level ground nothing changes by a bit", () => {
    const d: Vec3 = [0.1, 0.2, 0.3];
    expect(levelDirection(newSlope(), d)).toBe(d);
    expect(skyPicture(shapeOf({ kind: "overcast" }, d)!, d).pixels).toEqual(
      skyPicture(shapeOf({ kind: "overcast" }, d)!, d, { deg: 0, towardsDeg: 123 }).pixels,
    );
  });

  test("two places of the horizon tell the slope; too near each other they do not", () => {
    const slope: Slope = { deg: 11, towardsDeg: 250 };
    const at = (azimuthDeg: number): Vec3 => {
      const a = toRadians(azimuthDeg);
      return worldDirection(slope, [Math.sin(a), Math.cos(a), 0]);
    };
    const found = slopeOfHorizon(at(20), at(63))!;
    expect(found.deg).toBeCloseTo(11, 9);
    expect(found.towardsDeg).toBeCloseTo(250, 9);
    expect(slopeOfHorizon(at(63), at(20))!.deg).toBeCloseTo(11, 9);
    expect(slopeOfHorizon(at(20), at(20.5))).toBeNull();
    expect(Math.abs(dot(cross(at(20), at(63)), at(40)))).toBeLessThan(1e-9);
  });

  test("the overcast sky's brightness goes by what is level (CIE S 011: 1 + 2 sin of the height)", () => {
    const light = newLight();
    Object.assign(light.sky, { spread: { kind: "overcast" }, radiance: [1, 1, 1] });
    light.slope = RAMP;
    const { environment } = skyOf({ light });
    const { width, height, pixels } = environment!;
    const valueAt = (azimuth: number, elevation: number) => {
      const column = Math.floor((azimuth / 360 + 0.5) * width) % width;
      return pixels[(Math.floor(((90 - elevation) / 180) * height) * width + column) * 3];
    };
    // Middles of the cells that are looked up: 1.4° apart.
    const ratio = valueAt(0, 60) / valueAt(180, 60);
    const of = (deg: number) => 1 + 2 * Math.sin(toRadians(deg));
    expect(ratio / (of(66.5) / of(53.5))).toBeCloseTo(1, 2);
    // Downhill lies country under the level horizon; uphill the sky begins at the ground.
    expect(valueAt(180, 3)).toBeCloseTo(0.2, 6);
    expect(valueAt(0, 3)).toBeGreaterThan(0.4);
  });
});
