import { expect, test } from "@jest/globals";
import type { Camera } from "../optics/camera.ts";
import { rotationFromAngles } from "../optics/camera.ts";
import { noDistortion } from "../optics/distortion.ts";
import { worldAzimuth } from "./almanac.ts";
import { roseOf } from "./rose.ts";

const frame = { width: 1600, height: 1000 };
const camera: Camera = {
  focalPx: 1200,
  principal: [800, 500],
  distortion: { ...noDistortion(), k1: -0.02 },
  rotation: rotationFromAngles({ heading: 0, tilt: -0.1, roll: 0 }),
  position: [0, 0, 1.6],
};

test.each([0, 37, 123.5, 290])("north dragged to where its tip lies gives back the bearing of +Y, %p°", (northDeg) => {
  const rose = roseOf(camera, frame, northDeg)!;
  expect(rose.northAt(rose.tips[0])!).toBeCloseTo(northDeg, 1);
  // A quarter on lies east: there north would be if +Y were a quarter less.
  expect(rose.northAt(rose.tips[1])!).toBeCloseTo((northDeg + 270) % 360, 1);
});

test("with +Y due north its tip lies along the view, and the almanac agrees", () => {
  const { centre, tips } = roseOf(camera, frame, 0)!;
  expect(Math.abs(tips[0][0] - centre[0])).toBeLessThan(1);
  expect(tips[0][1]).toBeLessThan(centre[1]);
  expect(tips[1][0]).toBeGreaterThan(centre[0]);
  const almanac = { latitude: 50, longitude: 0, clock: "2026-06-21T12:00", zoneMinutes: 0, northDeg: 30 };
  // What bears 30° lies along +Y then.
  expect(worldAzimuth(almanac, 30)).toBeCloseTo(0, 9);
});

test("above the horizon nothing is told, and without ground in sight there is no rose", () => {
  expect(roseOf(camera, frame, 10)!.northAt([800, 20])).toBeNull();
  const up = rotationFromAngles({ heading: 0, tilt: 1.2, roll: 0 });
  expect(roseOf({ ...camera, rotation: up }, frame, 10)).toBeNull();
});
