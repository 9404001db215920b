import { describe, expect, test } from "@jest/globals";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { add, cross, dot, normalize, scale, sub, toDegrees, toRadians } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { projectPoint, rotationFromAngles } from "#core/optics/camera";
import { noDistortion } from "#core/optics/distortion";
import type { SetRecord } from "#core/set/parts/index";
import { makePart } from "#core/set/parts/make";
import { typedVertex } from "#core/set/vertex";
import { gaussian, seeded } from "../../../testing/random.ts";
import { directionFromAngles } from "../sun.ts";
import { edgeUnder, shadowOfEdge } from "./edge.ts";
import type { Sighting } from "./index.ts";
import { sightingKind, sightingPixels } from "./index.ts";
import { sunFromSightings } from "./solve.ts";

const camera: Camera = {
  focalPx: 1200,
  principal: [810, 540],
  distortion: { ...noDistortion(), k1: -0.03 },
  rotation: rotationFromAngles({ heading: 0.2, tilt: -0.1, roll: 0.01 }),
  position: [0, -9, 1.6],
};

const corners = (x: number, y: number, w: number, d: number) =>
  (
    [
      [x, y, 0],
      [x + w, y, 0],
      [x + w, y + d, 0],
      [x, y + d, 0],
    ] as Vec3[]
  ).map(typedVertex);

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
    const moved = Object.entries(sightingPixels(s)).map(([name, p]) => [name, jitter(p)]);
    return { ...s, ...Object.fromEntries(moved) };
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
  /** A shiny round post of no end: in plan it mirrors as a circle does, whose normal halves the angle there. */
  const post = (id: string, foot: Vec3, radius: number): Sighting => {
    const flat = ([x, y]: Vec3): Vec3 => normalize([x, y, 0]);
    let normal = flat(sub(camera.position, foot));
    for (let k = 0; k < 60; k++) {
      const met = add(foot, scale(normal, radius));
      normal = normalize(add(flat(sub(camera.position, met)), flat(sun)));
    }
    const way = sub([foot[0], foot[1], 0], [camera.position[0], camera.position[1], 0]);
    const far = Math.hypot(...way);
    const outline = (side: number) => {
      const across = scale(normalize(cross(way, [0, 0, 1])), side * radius * Math.sqrt(1 - (radius / far) ** 2));
      return add(foot, add(scale(way, -(radius * radius) / (far * far)), across));
    };
    // Each is clicked at another height.
    const at = ([x, y]: Vec3, z: number) => pixel([x, y, z]);
    const [left, right] = [at(outline(-1), 0.4), at(outline(1), 1.1)];
    const light = at(add(foot, scale(normal, radius)), 1.7);
    return { id, kind: "post", plate: "main", left, right, light, muted: false };
  };
  // A block of 1.2 m, and one beside it that catches a part of its shadow.
  const block = (id: string, base: ReturnType<typeof corners>, height: number) =>
    makePart(id, id, { kind: "block", base, height, closed: true }, "m");
  const place: SetRecord = { tall: block("tall", corners(-1, -1, 0.6, 3), 1.2) };
  const crowded: SetRecord = { ...place, low: block("low", corners(-2.6, 0.5, 0.9, 0.9), 0.3) };
  const castTo = (p: Vec3, height: number): Vec3 => add(p, scale(sun, -(p[2] - height) / sun[2]));
  /** The edge of the tall block whose shadow goes over the ground, by two points of it that are so far along. */
  const edge = (id: string, from: number, to: number): Sighting => {
    const along = (t: number): Vec3 => [-1, -1 + 3 * t, 1.2];
    const [a, b] = [from, to].map((t) => pixel(castTo(along(t), 0)));
    return { id, kind: "edge", plate: "main", edge: pixel(along(0.6)), from: a, to: b, muted: false };
  };
  const read = (list: Sighting[], set: SetRecord = {}) => {
    const found = sunFromSightings(camera, list, set);
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

  test("a shiny post tells the upright plane of the sun, whatever its thickness", () => {
    for (const radius of [0.05, 0.4]) {
      const both = read([post("a", [1.4, 1, 0], radius), pair("b", [-2.5, -3, 3.1])]);
      expect(dot(both.direction, sun)).toBeCloseTo(1, 9);
      expect(both.each[0]).toMatchObject({ own: null, height: null });
    }
    expect(sunFromSightings(camera, [post("a", [1.4, 1, 0], 0.1)])).toMatch(/only a plane/);
    const off = { ...post("a", [1.4, 1, 0], 0.1), light: [20, 500] } as Sighting;
    expect(sunFromSightings(camera, [off])).toMatch(/between its two outlines/);
  });

  test("an edge of the set and its shadow's edge tell a plane of the sun; without an edge there they say so", () => {
    const both = read([edge("a", 0.1, 0.9), pair("b", [2.5, 2, 1.4])], place);
    expect(dot(both.direction, sun)).toBeCloseTo(1, 9);
    expect(sunFromSightings(camera, [edge("a", 0.1, 0.9)], {})).toMatch(/No edge of the set/);
    const mixed = { ...edge("a", 0.1, 0.9), to: pixel([1, 1, 0]) } as Sighting;
    expect(sunFromSightings(camera, [mixed], place)).toMatch(/both sides/);
  });

  test("the shadow of an edge, drawn by a wrong sun, is laid over the real one by hand", () => {
    const begun = edge("a", 0.2, 0.8);
    const wrong = normalize(add(sun, [0.08, -0.12, 0.05]));
    const pixels = sightingPixels(begun);
    const laid = sightingKind("edge").laid!(pixels, camera, place, wrong)!;
    const onReal = pixel(castTo([-1, 0.7, 1.2], 0));
    expect(Math.hypot(laid.at[0] - onReal[0], laid.at[1] - onReal[1])).toBeGreaterThan(4);
    const marks = laid.drawnTo(onReal)!;
    const both = read([{ ...begun, ...marks } as Sighting, pair("b", [2.5, 2, 1.4])], place);
    expect(dot(both.direction, sun)).toBeCloseTo(1, 6);
    expect(both.each[0].offDeg).toBeLessThan(0.05);
    // Beyond the horizon no shadow falls.
    expect(laid.drawnTo([320, 2])).toBeNull();
    expect(sightingKind("pair").laid).toBeUndefined();
  });

  test("the shadow that an edge throws is drawn where the sun throws it, and breaks where it falls on something else", () => {
    const found = edgeUnder(crowded, camera, pixel([-1, 0.8, 1.2]))!;
    expect(found.map((p) => p.map((x) => Math.round(x * 1e6) / 1e6)).sort()).toEqual([
      [-1, -1, 1.2],
      [-1, 2, 1.2],
    ]);
    const runs = shadowOfEdge(crowded, found, sun);
    const heights = runs.flatMap((run) => run.map((p) => Math.round(p[2] * 1e6) / 1e6));
    expect([Math.min(...heights), Math.max(...heights)]).toEqual([0, 0.3]);
    expect(runs.length).toBeGreaterThan(2);
    // Every point lies behind the edge as the sun sees it.
    for (const p of runs.flat()) {
      const back = add(p, scale(sun, (1.2 - p[2]) / sun[2]));
      expect(back[0]).toBeCloseTo(-1, 6);
      expect(back[1]).toBeGreaterThan(-1 - 1e-6);
      expect(back[1]).toBeLessThan(2 + 1e-6);
    }
    // Towards the sun an edge lies in the block's own way, and at its foot on the ground.
    for (const z of [1.2, 0])
      expect(
        shadowOfEdge(
          place,
          [
            [-0.4, -1, z],
            [-0.4, 2, z],
          ],
          sun,
        ),
      ).toEqual([]);
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
    [
      "an edge, a post and an upright",
      () => [edge("a", 0.05, 0.95), post("b", [1.4, 0, 0], 0.4), upright("c", [1.2, -4, 0], 2.2)],
      place,
    ],
  ])("%s with marks a pixel off: within a degree, and the 95 %% interval holds", (_, make, set: SetRecord = {}) => {
    const random = seeded(5);
    const truth = make();
    let [held, within] = [0, 0];
    const repeats = 400;
    for (let i = 0; i < repeats; i++) {
      const found = read(
        truth.map((s) => noisy(random, s)),
        set,
      );
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
