import { describe, expect, test } from "@jest/globals";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { add, cross, dot, normalize, scale, sub, toDegrees, toRadians } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { projectPoint, rotationFromAngles } from "#core/optics/camera";
import { noDistortion } from "#core/optics/distortion";
import { gaussian, seeded } from "../../testing/random.ts";
import { insideDistance } from "./mask.ts";
import { readPatch } from "./patch.ts";
import type { Sighting } from "./schema.ts";
import { sunFromSightings } from "./sightings.ts";
import { anglesFromDirection, directionFromAngles } from "./sun.ts";

const camera: Camera = {
  focalPx: 1200,
  principal: [810, 540],
  distortion: { ...noDistortion(), k1: -0.03 },
  rotation: rotationFromAngles({ heading: 0.2, tilt: -0.1, roll: 0.01 }),
  position: [0, -9, 1.6],
};

describe("sun", () => {
  test("azimuth runs clockwise from +Y, height from the horizon", () => {
    expect(directionFromAngles(toRadians(90), 0)[0]).toBeCloseTo(1, 12);
    expect(directionFromAngles(0, toRadians(90))[2]).toBeCloseTo(1, 12);
    const back = anglesFromDirection(directionFromAngles(toRadians(250), toRadians(31)));
    expect(toDegrees(back.azimuth)).toBeCloseTo(250, 9);
    expect(toDegrees(back.elevation)).toBeCloseTo(31, 9);
  });
});

describe("sightings", () => {
  const sun = directionFromAngles(toRadians(130), toRadians(40));
  const pixel = (p: Vec3) => projectPoint(camera, p) as Vec2;
  const upright = (id: string, foot: Vec3, height: number, direction = sun): Sighting => {
    const s = height / direction[2];
    const tip: Vec3 = [foot[0] - s * direction[0], foot[1] - s * direction[1], foot[2]];
    const top: Vec3 = [foot[0], foot[1], foot[2] + height];
    return { id, kind: "upright", plate: "main", foot: pixel(foot), top: pixel(top), tip: pixel(tip), muted: false };
  };
  const pair = (id: string, top: Vec3): Sighting => {
    const s = top[2] / sun[2];
    const tip: Vec3 = [top[0] - s * sun[0], top[1] - s * sun[1], 0];
    return { id, kind: "pair", plate: "main", top: pixel(top), tip: pixel(tip), muted: false };
  };
  const noisy = (random: () => number, s: Sighting): Sighting => {
    const jitter = (p: Vec2): Vec2 => [p[0] + gaussian(random), p[1] + gaussian(random)];
    if (s.kind === "upright") return { ...s, foot: jitter(s.foot), top: jitter(s.top), tip: jitter(s.tip) };
    if (s.kind === "pair") return { ...s, top: jitter(s.top), tip: jitter(s.tip) };
    return { ...s, centre: jitter(s.centre), rim: jitter(s.rim), light: jitter(s.light) };
  };
  /** A shiny ball: where it mirrors the sun is where its normal halves the angle between eye and sun. */
  const ball = (id: string, centre: Vec3, radius: number): Sighting => {
    let normal: Vec3 = normalize(sub(camera.position, centre));
    for (let k = 0; k < 60; k++) {
      const met = add(centre, scale(normal, radius));
      normal = normalize(add(normalize(sub(camera.position, met)), sun));
    }
    // Its rim, level to the right: where the way from the eye touches it.
    const way = sub(centre, camera.position);
    const far = Math.hypot(...way);
    const right = normalize(cross(way, [0, 0, 1]));
    const touch = add(
      centre,
      add(scale(way, -(radius * radius) / (far * far)), scale(right, radius * Math.sqrt(1 - (radius / far) ** 2))),
    );
    const light = pixel(add(centre, scale(normal, radius)));
    return { id, kind: "highlight", plate: "main", centre: pixel(centre), rim: pixel(touch), light, muted: false };
  };
  const read = (list: Sighting[]) => {
    const found = sunFromSightings(camera, list);
    if (!found || typeof found === "string") throw new Error(found ?? "nothing");
    return found;
  };

  test("one upright thing gives back the sun that cast it, and its height", () => {
    const found = read([upright("a", [1, -1, 0], 1.8)]);
    expect(dot(found.direction, sun)).toBeCloseTo(1, 10);
    expect(found.each[0].height).toBeCloseTo(1.8, 6);
  });

  test("a shiny ball of any size tells the sun that it mirrors, and goes with shadows", () => {
    for (const size of [0.1, 0.6]) expect(dot(read([ball("a", [0.8, -1, 1], size)]).direction, sun)).toBeCloseTo(1, 8);
    const both = read([ball("a", [0.8, -1, 1], 0.4), upright("b", [1, -1, 0], 1.8)]);
    expect(both.each.map(({ offDeg }) => offDeg < 0.01)).toEqual([true, true]);
    const outside = { ...ball("a", [0.8, -1, 1], 0.4), light: [20, 20] } as Sighting;
    expect(sunFromSightings(camera, [outside])).toMatch(/within the ball/);
  });

  test("two pairs whose heights nobody knows do so too; one alone says what is missing", () => {
    const pairs = [pair("a", [1, -1, 1.7]), pair("b", [-2.5, 2, 3.1])];
    expect(dot(read(pairs).direction, sun)).toBeCloseTo(1, 8);
    expect(sunFromSightings(camera, pairs.slice(0, 1))).toMatch(/only a plane/);
  });

  test.each([
    ["two upright", () => [upright("a", [1, -1, 0], 1.8), upright("b", [-2, 1, 0], 2.4)]],
    [
      "one upright and two pairs",
      () => [upright("a", [1, -1, 0], 1.2), pair("b", [-2.5, 2, 3.1]), pair("c", [2, 3, 2])],
    ],
  ])("%s with marks a pixel off: within a degree, and the 95 %% interval holds", (_, make) => {
    const random = seeded(5);
    const truth = make();
    let [held, within] = [0, 0];
    const repeats = 400;
    for (let i = 0; i < repeats; i++) {
      const found = read(truth.map((s) => noisy(random, s)));
      if (toDegrees(Math.acos(Math.min(1, dot(found.direction, sun)))) < 1) within++;
      const turn = found.azimuth - toRadians(130);
      const rise = found.elevation - toRadians(40);
      // Each angle by itself.
      held +=
        Number(Math.abs(turn) < 1.96 * found.sigma.azimuth) + Number(Math.abs(rise) < 1.96 * found.sigma.elevation);
    }
    expect(within / repeats).toBeGreaterThan(0.9);
    expect(held / (2 * repeats)).toBeGreaterThan(0.9);
    expect(held / (2 * repeats)).toBeLessThan(0.999);
  });

  test("one that belongs to something else is named", () => {
    const wrong = upright("wrong", [0, 3, 0], 2, directionFromAngles(toRadians(150), toRadians(40)));
    const list = [upright("a", [1, -1, 0], 1.8), upright("b", [-2, 1, 0], 2.4), pair("c", [2, 3, 2]), wrong];
    expect(read(list).odd).toBe("wrong");
    expect(read(list.slice(0, 3)).odd).toBeNull();
    expect(dot(read([...list.slice(0, 3), { ...wrong, muted: true }]).direction, sun)).toBeCloseTo(1, 8);
  });

  test("one that counts for three turns the answer as three of it do", () => {
    const odd = upright("odd", [0, 3, 0], 2, directionFromAngles(toRadians(133), toRadians(41)));
    const list = [upright("a", [1, -1, 0], 1.8), pair("b", [-2, 1, 2.4]), odd];
    const thrice = read([...list, { ...odd, id: "odd-2" }, { ...odd, id: "odd-3" }]);
    const weighed = read([...list.slice(0, 2), { ...odd, weight: 3 }]);
    expect(dot(weighed.direction, thrice.direction)).toBeCloseTo(1, 10);
    expect(dot(weighed.direction, read(list).direction)).toBeLessThan(1 - 1e-7);
  });

  test("sightings that cannot be read say why", () => {
    const good = upright("a", [1, -1, 0], 1.8) as Extract<Sighting, { kind: "upright" }>;
    const { foot } = good;
    expect(sunFromSightings(camera, [{ ...good, foot: [foot[0], 10] }])).toMatch(/below the horizon/);
    expect(sunFromSightings(camera, [{ ...good, top: [foot[0], foot[1] + 60] }])).toMatch(/above the foot/);
    expect(sunFromSightings(camera, [])).toBeNull();
  });
});

describe("patches and shades", () => {
  test("a patch is the mean of its disc, and clipped pixels are counted", () => {
    const linear = new Float32Array(20 * 20 * 3).fill(0.5);
    for (let y = 0; y < 20; y++) for (let x = 10; x < 20; x++) linear.fill(1, (y * 20 + x) * 3, (y * 20 + x) * 3 + 3);
    const patch = readPatch({ width: 20, height: 20, linear }, [10, 10], 5);
    expect(patch.colour[0]).toBeCloseTo(0.75, 6);
    expect(patch.clipped).toBeCloseTo(0.5, 6);
    expect(readPatch({ width: 20, height: 20, linear }, [90, 90], 5).pixels).toBe(0);
  });

  test("distance from a marked shade's border", () => {
    const square: Vec2[] = [
      [0, 0],
      [10, 0],
      [10, 10],
      [0, 10],
    ];
    expect(insideDistance(square, 5, 4)).toBeCloseTo(4, 9);
    expect(insideDistance(square, -3, 5)).toBeCloseTo(-3, 9);
    expect(insideDistance(square, 13, 14)).toBeCloseTo(-5, 9);
  });
});
