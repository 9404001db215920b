import { expect, test } from "@jest/globals";
import { gaussian, seeded } from "../../testing/random.ts";
import type { Vec2, Vec3 } from "../math/vec3.ts";
import { cross, dot, normalize, sub, toRadians } from "../math/vec3.ts";
import type { Camera } from "../optics/camera.ts";
import { groundPlane, pixelOnPlane, projectPoint, rotationFromAngles } from "../optics/camera.ts";
import { noDistortion } from "../optics/distortion.ts";
import { makePart } from "../set/parts/make.ts";
import { typedVertex } from "../set/vertex.ts";
import { sunRadiusFrom } from "./penumbra.ts";
import { directionFromAngles } from "./sun.ts";

const camera: Camera = {
  focalPx: 1500,
  principal: [480, 320],
  distortion: noDistortion(),
  rotation: rotationFromAngles({ heading: 0, tilt: -0.55, roll: 0 }),
  position: [0, -5, 2.2],
};
const [WIDTH, HEIGHT] = [960, 640];
const TALL = 1.5;
const corners: Vec2[] = [
  [-4, 0],
  [4, 0],
  [4, 0.2],
  [-4, 0.2],
];
const base = corners.map(([x, y]) => typedVertex([x, y, 0]));
const wall = { kind: "block" as const, base, height: TALL, closed: true };
const set = { wall: makePart("wall", "Wall", wall, "plain") };

/** Share of a disc that stands above a straight edge, `x` radii from its middle. */
const above = (x: number) => (x >= 1 ? 1 : x <= -1 ? 0 : 0.5 + (x * Math.sqrt(1 - x * x) + Math.asin(x)) / Math.PI);

/** Paving in the light of a disc that comes over the wall. */
function plateOf(sun: Vec3, radius: number): { width: number; height: number; linear: Float32Array } {
  const random = seeded(3);
  const linear = new Float32Array(WIDTH * HEIGHT * 3);
  for (let y = 0; y < HEIGHT; y++)
    for (let x = 0; x < WIDTH; x++) {
      const p = pixelOnPlane(camera, [x + 0.5, y + 0.5], groundPlane());
      let light = 0.1;
      if (p && p[1] < 0) {
        // How far the sun's middle stands over the plane through the point and the wall's near top edge.
        const m = normalize(cross([1, 0, 0], sub([p[0], 0, TALL], p)));
        const over = Math.asin(dot(sun, m) * Math.sign(m[2]));
        light += 0.5 * above(over / radius);
      }
      linear.fill(light + 0.006 * gaussian(random), (y * WIDTH + x) * 3, (y * WIDTH + x) * 3 + 3);
    }
  return { width: WIDTH, height: HEIGHT, linear };
}

test.each([
  [0.8, 8],
  [1.5, -25],
])("a sun of %p° radius is told by the edge of the shadow that a wall throws, within a tenth", (radiusDeg, azimuth) => {
  const sun = directionFromAngles(toRadians(azimuth), toRadians(35));
  const edge: Vec3 = [0, -(TALL * Math.hypot(sun[0], sun[1]) * (sun[1] / Math.hypot(sun[0], sun[1]))) / sun[2], 0];
  const [lit, shaded] = [-0.12, 0.12].map((dy) => projectPoint(camera, [edge[0], edge[1] + dy, 0]) as Vec2);
  const found = sunRadiusFrom(plateOf(sun, toRadians(radiusDeg)), camera, set, sun, lit, shaded, 0.4);
  if (typeof found === "string") throw new Error(found);
  expect(Math.abs(found.radiusDeg / radiusDeg - 1)).toBeLessThan(0.1);
  expect(Math.abs(found.distance / (TALL / sun[2]) - 1)).toBeLessThan(0.02);
});

test("where nothing throws a shadow, or nothing is an edge, it says so", () => {
  const sun = directionFromAngles(0, toRadians(35));
  const plate = plateOf(sun, toRadians(1));
  expect(sunRadiusFrom(plate, camera, {}, sun, [400, 300], [400, 340], 0.4)).toMatch(/No part of the set/);
  const [a, b] = [-0.4, -0.2].map((y) => projectPoint(camera, [1, y, 0]) as Vec2);
  expect(sunRadiusFrom(plate, camera, set, sun, a, b, 0.4)).toMatch(/no clean edge/);
});
