import { expect, test } from "@jest/globals";
import type { Vec3 } from "../math/vec3.ts";
import { normalize } from "../math/vec3.ts";
import { gaussian, seeded } from "../../testing/random.ts";
import { rayMeets } from "./face.ts";
import { allFaces } from "./faces.ts";
import type { SetRecord } from "./parts/index.ts";
import { makePart } from "./parts/make.ts";
import { pickAlong } from "./pick.ts";
import { nearestFace } from "./tree.ts";
import { typedVertex } from "./vertex.ts";

/** A yard of leaning posts over a ground, among them muted ones. */
function yard(): SetRecord {
  const random = seeded(11);
  const set: SetRecord = {
    ground: makePart(
      "ground",
      "Ground",
      {
        kind: "polygon",
        vertices: [
          [-20, -20],
          [20, -20],
          [20, 20],
          [-20, 20],
        ].map(([x, y]) => typedVertex([x, y, 0])),
        holes: [],
      },
      "m",
    ),
  };
  for (let i = 0; i < 60; i++) {
    const foot = typedVertex([5 * gaussian(random), 5 * gaussian(random), 0]);
    const axis: Vec3 = [0.3 * gaussian(random), 0.3 * gaussian(random), 1 + Math.abs(gaussian(random))];
    set[`post-${i}`] = {
      ...makePart(`post-${i}`, "Post", { kind: "post", foot, axis, radius: 0.2 }, "m"),
      muted: i % 9 === 0,
    };
  }
  return set;
}

test("the tree finds the face that asking every one finds, from everywhere and in every direction", () => {
  const set = yard();
  const random = seeded(3);
  const all = [...allFaces(set)];
  const counts = (part: { id: string }) => part.id !== "post-7";
  let met = 0;
  for (let i = 0; i < 600; i++) {
    const from: Vec3 = [8 * gaussian(random), 8 * gaussian(random), 1 + gaussian(random)];
    const way: Vec3 = [gaussian(random), gaussian(random), gaussian(random)];
    // Some along the axes, where a share of the direction is nothing.
    const direction = normalize(
      i % 10 === 0
        ? ([
            [1, 0, 0],
            [0, 1, 0],
            [0, 0, -1],
          ][(i / 10) % 3] as Vec3)
        : way,
    );
    let least = Infinity;
    let face: unknown = null;
    for (const each of all) {
      const distance = counts(each.part) ? rayMeets(each.face, from, direction) : null;
      if (distance !== null && distance < least) [least, face] = [distance, each.face];
    }
    const found = nearestFace(set, from, direction, counts);
    expect(found?.face ?? null).toBe(face);
    if (found) {
      met++;
      expect(found.distance).toBe(least);
    }
  }
  expect(met).toBeGreaterThan(200);
});

test("an empty set has no faces, and a changed one has its own tree", () => {
  expect(nearestFace({}, [0, 0, 1], [0, 0, -1], () => true)).toBeNull();
  const set = yard();
  expect(pickAlong(set, [15, 15, 3], [0, 0, -1])?.part.id).toBe("ground");
  const rest = { ...set };
  delete rest.ground;
  expect(pickAlong(rest, [15, 15, 3], [0, 0, -1])).toBeNull();
});
