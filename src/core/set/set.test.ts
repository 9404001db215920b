import { describe, expect, test } from "@jest/globals";
import type { Vec3 } from "#core/math/vec3";
import { cross, distance, sub } from "#core/math/vec3";
import { modelBounds, triangleCount } from "#core/props/model";
import { primitiveModel } from "#core/props/primitives";
import { dropToFloor, lowestPoint, placePoint, standing } from "#core/props/transform";
import type { GroundSurface, SetSurfaces } from "#core/set/schema";
import { formatArea, formatLength, parseLength } from "#core/units/length";
import { crossesItself, groundMeasures, surfaceMesh, wallCorners } from "./surfaces.ts";

const ground = (corners: Vec3[], height = 0): GroundSurface => ({
  id: "ground-1",
  name: "Ground",
  role: "catcher",
  kind: "ground",
  height,
  vertices: corners.map((world) => ({ world, pixel: null })),
});

function meshArea(mesh: { positions: Float32Array; indices: Uint32Array }): number {
  let area = 0;
  for (let i = 0; i < mesh.indices.length; i += 3) {
    const [a, b, c] = [0, 1, 2].map(
      (k) => [...mesh.positions.slice(mesh.indices[i + k] * 3, mesh.indices[i + k] * 3 + 3)] as Vec3,
    );
    area += Math.hypot(...cross(sub(b, a), sub(c, a))) / 2;
  }
  return area;
}

describe("set surfaces", () => {
  const ell: Vec3[] = [
    [0, 0, 0],
    [4, 0, 0],
    [4, 1, 0],
    [1, 1, 0],
    [1, 3, 0],
    [0, 3, 0],
  ];

  test("a polygon that is not convex is measured and filled as itself", () => {
    const measures = groundMeasures(ground(ell));
    expect(measures.area).toBeCloseTo(6, 12);
    expect(measures.sides).toEqual([4, 1, 3, 2, 1, 3]);
    expect(meshArea(surfaceMesh({}, ground(ell))!)).toBeCloseTo(6, 5);
  });

  test("raised, it has sides and a lid", () => {
    expect(meshArea(surfaceMesh({}, ground(ell, 2))!)).toBeCloseTo(6 + 14 * 2, 4);
  });

  test("a wall stands on its side of the ground and goes with it", () => {
    const set: SetSurfaces = { "ground-1": ground(ell) };
    const wall = {
      id: "wall-1",
      name: "Wall",
      role: "catcher" as const,
      kind: "wall" as const,
      on: "ground-1",
      edge: 5,
      height: 2.5,
    };
    const corners = wallCorners(set, wall)!;
    expect(corners[0]).toEqual([0, 3, 0]);
    expect(corners[2]).toEqual([0, 0, 2.5]);
    expect(wallCorners({}, wall)).toBeNull();
    expect(surfaceMesh({}, wall)).toBeNull();
  });

  test("sides that cross are seen", () => {
    expect(crossesItself(ell)).toBe(false);
    expect(
      crossesItself([
        [0, 0, 0],
        [1, 1, 0],
        [1, 0, 0],
        [0, 1, 0],
      ]),
    ).toBe(true);
  });
});

describe("props", () => {
  test("primitives are a metre, stand on the floor, and a ball has a ball's surface", () => {
    for (const kind of ["box", "sphere", "cylinder"] as const) {
      const { low, high } = modelBounds(primitiveModel(kind, [1, 1, 1], 1, 0));
      low.forEach((v, k) => expect(v).toBeCloseTo(k === 2 ? 0 : -0.5, 5));
      high.forEach((v, k) => expect(v).toBeCloseTo(k === 2 ? 1 : 0.5, 5));
    }
    const ball = primitiveModel("sphere", [1, 1, 1], 1, 0);
    expect(meshArea(ball.meshes[0]) / Math.PI).toBeCloseTo(1, 2);
    expect(triangleCount(ball)).toBeGreaterThan(1000);
  });

  test("a leaning box is dropped by its real corner", () => {
    const box = primitiveModel("box", [1, 1, 1], 1, 0);
    const leaning = { ...standing([3, 4, 5]), lean: [0, 0.5] as [number, number], scale: [2, 1, 1] as Vec3 };
    const dropped = dropToFloor(leaning, box, 0.25);
    expect(lowestPoint(dropped, box)).toBeCloseTo(0.25, 9);
    // The corner at x = +1 m goes down by sin(lean) for a turn about Y.
    expect(dropped.position[2]).toBeCloseTo(0.25 + Math.sin(0.5), 6);
    expect(distance(placePoint(dropped, [0, 0, 0]), dropped.position)).toBeCloseTo(0, 12);
  });
});

describe("typed lengths", () => {
  test.each([
    ["2.4+0.15", "m", 2.55],
    ["6ft 2in", "m", 1.8796],
    ["6' 2\"", "m", 1.8796],
    ["75 cm", "m", 0.75],
    ["75", "cm", 0.75],
    ["1 m 20 cm", "mm", 1.2],
    ["-0,5", "m", -0.5],
    [".5", "ft", 0.1524],
    ["2m-10cm", "m", 1.9],
  ] as const)("%s in %s is %p m", (text, unit, metres) => {
    // The foot is 0.3048 m and the inch 25.4 mm exactly (international yard and pound agreement, 1959).
    expect(parseLength(text, unit)).toBeCloseTo(metres, 9);
  });

  test.each(["", "abc", "2 4x", "1..2", "m"])("%p is not a length", (text) =>
    expect(parseLength(text, "m")).toBeNull(),
  );

  test("reading is in the user's unit", () => {
    expect(formatLength(1.8796, "ft")).toBe("6 ft 2 in");
    expect(formatLength(0.3048 - 0.0001, "ft")).toBe("1 ft 0 in");
    expect(formatLength(-0.75, "cm")).toBe("−75.0 cm");
    // What rounds to nothing has no sign.
    expect(formatLength(-0.0004, "m")).toBe("0.000 m");
    expect(formatLength(-0.0004, "ft")).toBe("0 ft 0 in");
    expect(formatArea(0.3048 ** 2 * 10, "ft")).toBe("10.0 ft²");
  });
});
