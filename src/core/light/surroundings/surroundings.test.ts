import { describe, expect, test } from "@jest/globals";
import { luminance } from "../../colour/srgb.ts";
import type { Vec2, Vec3 } from "../../math/vec3.ts";
import { add, normalize, scale, toDegrees, toRadians } from "../../math/vec3.ts";
import type { Picture } from "../../trace/scene.ts";
import { directionFromAngles } from "../sun.ts";
import { pixelDirection, rotationFromAngles } from "../../optics/camera.ts";
import { noDistortion } from "../../optics/distortion.ts";
import { blurred, contrasted, expanded } from "./adjust.ts";
import { placeInBall, seenInBall, unrolledBall } from "./ball.ts";
import { aroundFromPlate } from "./fromPlate.ts";
import { newSlope } from "../level.ts";
import { groundMean, provideSurroundings } from "./known.ts";
import { AroundReducer } from "./reduce.ts";
import { cellOf, directionAt, lookUp, placeOf } from "./sphere.ts";
import { findSun, withoutSun } from "./sun.ts";
import { intoPicture, outOfPicture, turnMatrix } from "./turn.ts";

const angle = (a: Vec3, b: Vec3) => toDegrees(Math.acos(Math.min(1, a[0] * b[0] + a[1] * b[1] + a[2] * b[2])));

function painted(width: number, colour: (d: Vec3) => Vec3): Picture {
  const size = { width, height: width / 2 };
  const pixels = new Float32Array(width * size.height * 3);
  for (let y = 0; y < size.height; y++)
    for (let x = 0; x < width; x++) pixels.set(colour(directionAt(size, x + 0.5, y + 0.5)), (y * width + x) * 3);
  return { ...size, pixels };
}

/** Light of all directions, or of level ground where it is weighed by the height. */
function flux(picture: Picture, onGround = false): number {
  let sum = 0;
  for (let y = 0; y < picture.height; y++)
    for (let x = 0; x < picture.width; x++) {
      const i = (y * picture.width + x) * 3;
      const up = onGround ? Math.max(0, directionAt(picture, x + 0.5, y + 0.5)[2]) : 1;
      sum += up * cellOf(picture, y) * luminance(picture.pixels[i], picture.pixels[i + 1], picture.pixels[i + 2]);
    }
  return sum;
}

const SUN = directionFromAngles(toRadians(72), toRadians(33));
/** A blue sky over dark ground with a glaring sun of three quarters of a degree. */
const day = painted(1024, (d) =>
  angle(d, SUN) < 0.75 ? [9000, 8000, 6500] : d[2] > 0 ? [0.5, 0.7, 1.1] : [0.15, 0.14, 0.12],
);

describe("the sphere", () => {
  test("a pixel's direction comes back to its place, and all cells make the whole sphere", () => {
    const size = { width: 64, height: 32 };
    for (const [x, y] of [
      [0.5, 0.5],
      [31.2, 16],
      [63.9, 30.7],
    ])
      placeOf(size, directionAt(size, x, y)).forEach((v, k) => expect(v).toBeCloseTo([x, y][k], 6));
    let sum = 0;
    for (let y = 0; y < 32; y++) sum += 64 * cellOf(size, y);
    expect(sum).toBeCloseTo(4 * Math.PI, 10);
  });

  test("turn, tilt and roll take the picture's middle, right and top to where they point; flipping changes right and left", () => {
    const turned = { turnDeg: 90, tiltDeg: 0, rollDeg: 0, flip: false };
    // Turned by 90° clockwise from +Y, the middle is +X, and what was on the right lies at −Y.
    outOfPicture(turnMatrix(turned, newSlope()), [0, 1, 0]).forEach((v, k) => expect(v).toBeCloseTo([1, 0, 0][k], 12));
    outOfPicture(turnMatrix(turned, newSlope()), [1, 0, 0]).forEach((v, k) => expect(v).toBeCloseTo([0, -1, 0][k], 12));
    outOfPicture(turnMatrix({ ...turned, flip: true }, newSlope()), [1, 0, 0]).forEach((v, k) =>
      expect(v).toBeCloseTo([0, 1, 0][k], 12),
    );
    // Lifted by 30°, the middle is so high; rolled clockwise by 90°, its top lies to the right.
    expect(outOfPicture(turnMatrix({ ...turned, tiltDeg: 30 }, newSlope()), [0, 1, 0])[2]).toBeCloseTo(0.5, 12);
    outOfPicture(turnMatrix({ turnDeg: 0, tiltDeg: 0, rollDeg: 90, flip: false }, newSlope()), [0, 0, 1]).forEach(
      (v, k) => expect(v).toBeCloseTo([1, 0, 0][k], 12),
    );
    const m = turnMatrix({ turnDeg: 33, tiltDeg: -21, rollDeg: 12, flip: true }, newSlope());
    const d: Vec3 = [0.36, -0.48, 0.8];
    outOfPicture(m, intoPicture(m, d)).forEach((v, k) => expect(v).toBeCloseTo(d[k], 12));
  });
});

describe("over a ground that is not level", () => {
  const slope = { deg: 30, towardsDeg: 70 };

  test("a picture stands by what is level: its top points up, and its sides to where they do on level ground", () => {
    const m = turnMatrix({ turnDeg: 70, tiltDeg: 0, rollDeg: 0, flip: false }, slope);
    // Water's upright leans uphill, against the way in which the ground falls.
    const up = outOfPicture(m, [0, 0, 1]);
    expect(angle(up, [0, 0, 1])).toBeCloseTo(30, 9);
    expect(angle(up, directionFromAngles(toRadians(250), toRadians(60)))).toBeCloseTo(0, 5);
    // What lies straight down the slope on the level horizon is as much over the falling ground.
    expect(angle(outOfPicture(m, [0, 1, 0]), directionFromAngles(toRadians(70), toRadians(30)))).toBeCloseTo(0, 5);
  });

  test("a sky of one brightness over a black land lights it by (1 + cos) / 2 (Liu and Jordan 1963, from memory)", () => {
    provideSurroundings(
      "half",
      painted(512, (d) => (d[2] > 0 ? [1, 1, 1] : [0, 0, 0])),
    );
    const spread = {
      kind: "picture" as const,
      asset: "half",
      name: "half",
      turnDeg: 20,
      tiltDeg: 0,
      rollDeg: 0,
      flip: false,
      contrast: 1,
      blurDeg: 0,
      clippedAt: null,
      expandStops: 0,
      sunOut: false,
      extent: null,
    };
    expect(groundMean(spread, newSlope())[1]).toBeCloseTo(1, 3);
    expect(groundMean(spread, slope)[1]).toBeCloseTo((1 + Math.cos(toRadians(30))) / 2, 3);
  });
});

describe("making a picture smaller", () => {
  test("keeps its light, also where the sizes do not divide, and the place of what is in it", () => {
    const [width, height] = [3000, 1500];
    const reducer = new AroundReducer(width, height);
    const row = new Float32Array(width * 3);
    const spot: Vec3 = directionFromAngles(toRadians(-50), toRadians(20));
    let whole = 0;
    for (let y = 0; y < height; y++) {
      for (let x = 0; x < width; x++) {
        const d = directionAt({ width, height }, x + 0.5, y + 0.5);
        const l = angle(d, spot) < 1 ? 500 : 1;
        row.fill(l, x * 3, x * 3 + 3);
        whole += l * cellOf({ width, height }, y);
      }
      reducer.add(y, row);
    }
    const small = reducer.picture();
    expect([small.width, small.height]).toEqual([2048, 1024]);
    expect(Math.abs(flux(small) / whole - 1)).toBeLessThan(1e-3);
    const brightest = small.pixels.reduce((best, v, i) => (v > small.pixels[best] ? i : best), 0) / 3;
    const at = directionAt(small, (Math.floor(brightest) % 2048) + 0.5, Math.floor(brightest / 2048) + 0.5);
    expect(angle(at, spot)).toBeLessThan(1.2);
  });

  test("one that is wider than 2 : 1 lies about the horizon and goes on above and below", () => {
    const reducer = new AroundReducer(400, 100);
    for (let y = 0; y < 100; y++) reducer.add(y, new Float32Array(1200).fill(y + 1));
    const { width, height, pixels } = reducer.picture();
    expect([width, height]).toEqual([400, 200]);
    const row = (y: number) => pixels[y * width * 3];
    expect([row(0), row(49), row(50), row(100), row(149), row(199)]).toEqual([1, 1, 1, 51, 100, 100]);
  });
});

describe("a sun in a picture", () => {
  test("is found where it stands, with its light", () => {
    const found = findSun(day)!;
    expect(angle(found.direction, SUN)).toBeLessThan(0.15);
    // A disc of uniform radiance L brings about L times its solid angle, 2π (1 − cos r), to what faces it.
    const disc = 2 * Math.PI * (1 - Math.cos(toRadians(0.75)));
    [9000, 8000, 6500].forEach((l, k) => expect(Math.abs(found.irradiance[k] / (l * disc) - 1)).toBeLessThan(0.03));
  });

  test("taken out leaves its light to the sun that takes its place", () => {
    const found = findSun(day)!;
    const without = withoutSun(day, found);
    const taken = luminance(...found.irradiance);
    expect(Math.abs((flux(without) + taken) / flux(day) - 1)).toBeLessThan(1e-5);
    // On level ground a small sun counts with the sine of its height; its border is not exactly at that.
    const ground = flux(without, true) + taken * found.direction[2];
    expect(Math.abs(ground / flux(day, true) - 1)).toBeLessThan(0.002);
    expect(findSun(without)).toBeNull();
  });

  test("is not found in an overcast sky, nor in a bright window", () => {
    expect(findSun(painted(512, (d) => [1 + d[2], 1 + d[2], 1 + d[2]]))).toBeNull();
    const window = painted(512, (d) =>
      d[1] > 0.8 && Math.abs(d[0]) < 0.3 && d[2] > 0.1 ? [40, 40, 44] : [0.2, 0.2, 0.2],
    );
    expect(findSun(window)).toBeNull();
  });
});

describe("changing a picture", () => {
  test("a blur keeps all light and spreads a spot as a Gaussian of its width does", () => {
    const spot = directionFromAngles(toRadians(10), toRadians(25));
    const picture = painted(720, (d) => (angle(d, spot) < 0.6 ? [100, 100, 100] : [0, 0, 0]));
    const soft = blurred(picture, 5);
    expect(Math.abs(flux(soft) / flux(picture) - 1)).toBeLessThan(0.01);
    const level = (deg: number) =>
      lookUp(soft, directionFromAngles(toRadians(10), toRadians(25 + deg)))[1] / lookUp(soft, spot)[1];
    for (const deg of [3, 5, 8]) expect(Math.abs(level(deg) - Math.exp(-0.5 * (deg / 5) ** 2))).toBeLessThan(0.03);
  });

  test("a blur at the pole reaches over it", () => {
    const picture = painted(360, (d) => (d[2] > 0.9 && d[1] > 0 ? [1, 1, 1] : [0, 0, 0]));
    const over = directionFromAngles(Math.PI, toRadians(88));
    expect(lookUp(picture, over)[0]).toBe(0);
    expect(lookUp(blurred(picture, 6), over)[0]).toBeGreaterThan(0.2);
  });

  test("contrast leaves what is as bright as the mean, squares the rest about it, and keeps colours", () => {
    const picture = painted(64, (d) => (d[2] > 0 ? [3, 3, 3] : [1, 1, 1]));
    const { pixels } = contrasted(picture, 2);
    expect(pixels[0]).toBeCloseTo((3 * 3) / 2, 2);
    expect(pixels[pixels.length - 1]).toBeCloseTo(1 / 2, 2);
  });

  test("made-up brightness raises white alone, by its stops", () => {
    const picture = { width: 3, height: 1, pixels: Float32Array.from([0.7, 0.7, 0.7, 1, 1, 1, 0.9, 0.2, 0.2]) };
    const { pixels } = expanded(picture, 1, 3);
    expect(pixels[0]).toBeCloseTo(0.7, 6);
    expect(pixels[3]).toBeCloseTo(8, 5);
    expect(pixels[6] / pixels[7]).toBeCloseTo(4.5, 5);
  });
});

test("made up from the plate: what it shows lies where it is, the rest goes on without a seam and without a gap", () => {
  const camera = {
    focalPx: 300,
    principal: [160, 120] as [number, number],
    distortion: noDistortion(),
    rotation: rotationFromAngles({ heading: 0.6, tilt: 0.1, roll: 0 }),
    position: [1, 2, 1.6] as Vec3,
  };
  const [width, height] = [320, 240];
  const linear = new Float32Array(width * height * 3);
  const colour = (d: Vec3): Vec3 => [0.5 + 0.3 * d[0], 0.5 + 0.3 * d[1], 0.5 + 0.5 * d[2]];
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) linear.set(colour(pixelDirection(camera, [x + 0.5, y + 0.5])), (y * width + x) * 3);
  const around = aroundFromPlate(camera, { width, height, linear });
  for (const pixel of [
    [160, 120],
    [60, 60],
    [280, 200],
  ] as [number, number][]) {
    const d = pixelDirection(camera, pixel);
    lookUp(around, d).forEach((c, k) => expect(Math.abs(c - colour(d)[k])).toBeLessThan(0.02));
  }
  expect(around.pixels.every((v) => v > 0.1 && v < 1)).toBe(true);
});

describe("a mirror ball while the surroundings are turned", () => {
  const rotation = rotationFromAngles({ heading: toRadians(70), tilt: toRadians(-12), roll: toRadians(3) });
  const [right, down, ahead] = rotation;
  const mixed = (x: number, y: number, z: number): Vec3 =>
    normalize(add(add(scale(right, x), scale(down, y)), scale(ahead, z)));

  test("its middle mirrors the camera, 45° of its face what lies at a right angle, its rim what is straight ahead", () => {
    expect(angle(seenInBall(rotation, [0, 0])!, scale(ahead, -1))).toBeLessThan(1e-4);
    expect(angle(seenInBall(rotation, [Math.SQRT1_2, 0])!, right)).toBeLessThan(1e-4);
    expect(angle(seenInBall(rotation, [0, -Math.SQRT1_2])!, scale(down, -1))).toBeLessThan(1e-4);
    expect(angle(seenInBall(rotation, [0.6 - 1e-12, 0.8])!, ahead)).toBeLessThan(1e-3);
    expect(seenInBall(rotation, [0.8, 0.7])).toBeNull();
  });

  test("where it shows a direction is where that direction is seen in it", () => {
    for (const d of [mixed(1, 2, -3), mixed(-2, 0.3, 1), mixed(0, -1, 4), mixed(0.01, 0, -1)])
      expect(angle(seenInBall(rotation, placeInBall(rotation, d))!, d)).toBeLessThan(1e-4);
  });

  test("a photograph of the ball is unrolled to the same directions", () => {
    // What is unrolled has the camera look along +Y, so that the ball is seen by one who does.
    const level = rotationFromAngles({ heading: 0, tilt: 0, roll: 0 });
    const size = 128;
    const pixels = new Float32Array(size * size * 3);
    for (let i = 0; i < size * size; i++) {
      const at: Vec2 = [((i % size) + 0.5) / (size / 2) - 1, (Math.floor(i / size) + 0.5) / (size / 2) - 1];
      pixels.set(seenInBall(level, at)?.map((c) => c + 1) ?? [1, 1, 1], i * 3);
    }
    const unrolled = unrolledBall({ width: size, height: size, pixels });
    for (const d of [
      [0.6, -0.8, 0],
      [-0.5, -0.5, 0.7],
      [0.7, 0.3, -0.6],
    ] as Vec3[])
      expect(angle(normalize(lookUp(unrolled, normalize(d)).map((c) => c - 1) as Vec3), normalize(d))).toBeLessThan(
        1.5,
      );
  });
});
