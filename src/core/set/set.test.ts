import { describe, expect, test } from "@jest/globals";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { cross, dot, sub } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { noDistortion } from "#core/optics/distortion";
import { faceArea, faceWarp, crossesItself, onFace, rayMeets, triangulate, volume } from "./face.ts";
import { facesOf } from "./faces.ts";
import { bareFacesOf } from "./bare.ts";
import { MATERIAL_PRESETS, fromPreset } from "./materials.ts";
import { cameraFindings, pixelsOf, slideMeets, slideToStand, standingOf } from "./depth.ts";
import { provideSetModel } from "./models.ts";
import { primitiveModel } from "../props/primitives.ts";
import { measurePart } from "./sizes.ts";
import type { Drawn } from "./parts/kind.ts";
import type { PartName, SetRecord } from "./parts/index.ts";
import { PARTS, PART_NAMES, kindOf } from "./parts/index.ts";
import type { AnyShape } from "./parts/make.ts";
import { makePart } from "./parts/make.ts";
import { pickAlong } from "./pick.ts";
import { meshOf, partMesh } from "./pieces.ts";
import { FLAG_NAMES, ROLES, flagsOf, roleOf } from "./roles.ts";
import type { SnapView } from "./snap.ts";
import { snapPoint } from "./snap.ts";
import { typedVertex } from "./vertex.ts";

const ELL: Vec3[] = [
  [0, 0, 0],
  [4, 0, 0],
  [4, 1, 0],
  [1, 1, 0],
  [1, 3, 0],
  [0, 3, 0],
];
const at = (list: Vec3[]) => list.map(typedVertex);
const part = (id: string, shape: AnyShape) => makePart(id, id, shape, "m");
const rectangle = (x: number, y: number): Vec3[] => [
  [0, 0, 0],
  [x, 0, 0],
  [x, y, 0],
  [0, y, 0],
];

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

/** One of every kind, on a set that has what it stands on. */
/** A model that is loaded: a crate of a metre. */
const CRATE = "c".repeat(64);
const SHAPES: Record<PartName, AnyShape> = {
  polygon: { kind: "polygon", vertices: at(ELL), holes: [] },
  block: { kind: "block", base: at(ELL), height: 2, closed: true },
  room: { kind: "room", floor: at(rectangle(4, 5)), height: 2.5 },
  wall: { kind: "wall", on: { part: "ground", face: "face", side: 1 }, foot: null, heights: [2, 3], thick: 0.2 },
  opening: {
    kind: "opening",
    on: { part: "house", face: "wall-1" },
    corners: [typedVertex([1, 0, 0.9]), typedVertex([2, 0, 2])],
    depth: 0.1,
    pane: true,
  },
  ramp: {
    kind: "ramp",
    foot: [typedVertex([0, 0, 0]), typedVertex([2, 0, 0])],
    head: [typedVertex([0, 4, 1]), typedVertex([2, 4, 1])],
    solid: true,
  },
  stairs: { kind: "stairs", foot: [typedVertex([0, 0, 0]), typedVertex([1, 0, 0])], steps: 4, rise: 0.17, going: 0.29 },
  post: { kind: "post", foot: typedVertex([1, 1, 0]), axis: [0.4, 0, 2], radius: 0.1 },
  backdrop: {
    kind: "backdrop",
    front: [typedVertex([0, 0, 0]), typedVertex([3, 0, 0])],
    depth: 2,
    radius: 0.8,
    height: 2.5,
  },
  row: {
    kind: "row",
    of: "ground",
    first: typedVertex([0, 0, 0]),
    normal: [0, 0, 1],
    copies: [
      { foot: typedVertex([0.3, 0, 1]), turnDeg: 0 },
      { foot: typedVertex([0.6, 0, 2.2]), turnDeg: 90 },
    ],
    end: null,
  },
  shell: {
    kind: "shell",
    vertices: {
      v1: typedVertex([0, 0, 0]),
      v2: typedVertex([1, 0, 0]),
      v3: typedVertex([0, 1, 0]),
      v4: typedVertex([0, 0, 1]),
    },
    faces: {
      a: { rings: [["v1", "v3", "v2"]] },
      b: { rings: [["v1", "v2", "v4"]] },
      c: { rings: [["v2", "v3", "v4"]] },
      d: { rings: [["v3", "v1", "v4"]] },
    },
    next: 5,
  },
  model: {
    kind: "model",
    asset: CRATE,
    fileName: "crate.glb",
    origin: typedVertex([3, 2, 0]),
    turnDeg: 30,
    scale: 0.5,
  },
};
provideSetModel(CRATE, primitiveModel("box", [0.4, 0.3, 0.2], 0.5, 0));
const setWith = (name: PartName): SetRecord => ({
  ground: part("ground", { kind: "polygon", vertices: at(ELL), holes: [] }),
  house: part("house", { kind: "room", floor: at(rectangle(4, 5)), height: 2.5 }),
  own: part("own", SHAPES[name]),
});

describe("every kind of part", () => {
  test.each(PART_NAMES)(
    "%s: flat faces with ids of their own, cut without loss, with handles and fields that work",
    (name) => {
      const set = setWith(name);
      const faces = facesOf(set, "own");
      expect(faces.length).toBeGreaterThan(0);
      expect(new Set(faces.map((f) => f.id)).size).toBe(faces.length);
      for (const face of faces) {
        expect(faceWarp(face)).toBeLessThan(1e-9);
        expect(meshArea(meshOf([face]))).toBeCloseTo(faceArea(face), 4);
      }
      const own = set.own;
      for (const handle of kindOf(own).handles(own, set)) {
        const draft = structuredClone(own);
        const to: Vec3 =
          "plane" in handle.along
            ? [...handle.at]
            : ([0, 1, 2].map(
                (k) => handle.at[k] + 0.1 * ("direction" in handle.along ? handle.along.direction[k] : 0),
              ) as Vec3);
        handle.put(draft as never, to, null);
        expect(() => kindOf(draft).faces(draft, { ...set, own: draft })).not.toThrow();
      }
      for (const field of kindOf(own).fields(own, set)) {
        const draft = structuredClone(own);
        const value = field.unit === "count" ? field.value + 1 : field.value + 0.25;
        field.put(draft as never, value);
        const again = kindOf(draft)
          .fields(draft, { ...set, own: draft })
          .find((f) => f.key === field.key)!;
        expect(again.value).toBeCloseTo(value, 9);
      }
    },
  );
});

describe("sizes of parts", () => {
  const only = (shape: AnyShape): SetRecord => ({ own: part("own", shape) });

  test("an L-shaped polygon and the block over it (areas and volume by hand)", () => {
    expect(faceArea(facesOf(only(SHAPES.polygon), "own")[0])).toBeCloseTo(6, 12);
    const block = only(SHAPES.block);
    const read = measurePart(block, block.own);
    expect(read.area).toBeCloseTo(2 * 6 + 14 * 2, 9);
    expect(read.volume).toBeCloseTo(12, 9);
    expect(read.extent).toEqual([4, 3, 2]);
  });

  test("a base that goes round clockwise is raised against its sense and still faces outwards", () => {
    const block = only({ kind: "block", base: at([...ELL].reverse()), height: -2, closed: true });
    expect(measurePart(block, block.own).extent[2]).toBe(2);
    expect(volume(facesOf(block, "own"))).toBeCloseTo(12, 9);
  });

  test("a room faces inwards, and an opening takes its area off the wall and leaves the rest closed", () => {
    const set = setWith("opening");
    expect(volume(bareFacesOf(set, "house"))).toBeCloseTo(-4 * 5 * 2.5, 9);
    const wall = facesOf(set, "house").find((f) => f.id === "wall-1")!;
    expect(faceArea(wall)).toBeCloseTo(4 * 2.5 - 1 * 1.1, 9);
    expect(onFace(wall, [1.5, 0, 1.5])).toBe(false);
    expect(onFace(wall, [0.5, 0, 1.5])).toBe(true);
    // Four sides of the reveal, a decimetre deep, and the pane behind it.
    const own = facesOf(set, "own");
    expect(own.map((f) => f.id)).toEqual(["sill", "right", "head", "left", "pane"]);
    expect(faceArea(own[4])).toBeCloseTo(1.1, 9);
    // A room looks inwards: its reveal goes outwards, away from the room.
    expect(own[4].rings[0][0][1]).toBeCloseTo(-0.1, 9);
  });

  test("an opening down to the floor leaves a rim, and one beside its face cuts nothing", () => {
    const set = setWith("opening");
    const low = { ...set.own, corners: [typedVertex([1, 0, -0.5]), typedVertex([2, 0, 2])] } as typeof set.own;
    expect(faceArea(facesOf({ ...set, own: low }, "house").find((f) => f.id === "wall-1")!)).toBeCloseTo(8, 1);
    const beside = { ...set.own, corners: [typedVertex([7, 0, 1]), typedVertex([8, 0, 2])] } as typeof set.own;
    expect(facesOf({ ...set, own: beside }, "house").find((f) => f.id === "wall-1")!.rings).toHaveLength(1);
  });

  test("a backdrop's strips are as long as floor, quarter circle and wall", () => {
    const set = only(SHAPES.backdrop);
    const area = measurePart(set, set.own).area;
    expect(area / 3).toBeCloseTo(2 - 0.8 + (Math.PI / 2) * 0.8 + 2.5 - 0.8, 2);
  });

  test("stairs climb as far as their steps say; a leaning post keeps its length and its ends square to it", () => {
    const set = only(SHAPES.stairs);
    expect(measurePart(set, set.own).extent[1]).toBeCloseTo(4 * 0.29, 9);
    expect(measurePart(set, set.own).extent[2]).toBeCloseTo(4 * 0.17, 9);
    const post = facesOf(only(SHAPES.post), "own");
    const lid = post.find((f) => f.id === "lid")!;
    // Area of a regular polygon of 32 sides.
    expect(faceArea(lid)).toBeCloseTo(16 * 0.01 * Math.sin((2 * Math.PI) / 32), 9);
  });

  test("what stands on something that is gone has no faces, and what leads back to itself neither", () => {
    const set = setWith("wall");
    delete set.ground;
    expect(facesOf({ ...set }, "own")).toEqual([]);
    const loop: SetRecord = {
      a: part("a", { ...SHAPES.row, of: "b" } as AnyShape),
      b: part("b", { ...SHAPES.row, of: "a" } as AnyShape),
    };
    expect(facesOf(loop, "a")).toEqual([]);
  });
});

describe("drawing", () => {
  const drawn = (world: Vec3, normal: Vec3 = [0, 0, 1]): Drawn => ({ pixel: [1, 2], world, normal, on: null });
  const context = {
    plane: { normal: [0, 0, 1] as Vec3, offset: 0 },
    eye: [1, -1, 1.6] as Vec3,
    pixelOf: () => null,
    set: {},
    selected: null,
  };
  const build = (name: PartName, points: Drawn[], more: object = {}) =>
    PARTS[name].draw!.build(points, { ...context, ...more }) as AnyShape | string;

  test("a room from three floor corners holds the camera and keeps the corners that were seen", () => {
    const shape = build("room", [drawn([0, 6, 0]), drawn([4, 6, 0]), drawn([4, 3, 0]), drawn([0, 6, 2.4])]);
    if (typeof shape === "string" || shape.kind !== "room") throw new Error(String(shape));
    const floor = shape.floor.map((v) => v.world);
    expect(shape.height).toBeCloseTo(2.4, 12);
    expect(floor).toContainEqual([0, 6, 0]);
    expect(floor).toContainEqual([4, 6, 0]);
    // Closed a metre behind the camera.
    expect(Math.min(...floor.map((p) => p[1]))).toBeCloseTo(-2, 9);
    expect(shape.floor.filter((v) => v.pixel !== null)).toHaveLength(2);
  });

  test("a block's base is square to its first side, whatever the third click", () => {
    const shape = build("block", [drawn([0, 0, 0]), drawn([2, 0, 0]), drawn([2.3, 1, 0]), drawn([2.3, 1, 0.8])]);
    if (typeof shape === "string" || shape.kind !== "block") throw new Error(String(shape));
    expect(shape.base.map((v) => v.world)).toEqual([
      [0, 0, 0],
      [2, 0, 0],
      [2, 1, 0],
      [0, 1, 0],
    ]);
    expect(shape.height).toBeCloseTo(0.8, 12);
  });

  test("a row takes the uneven steps of what was marked, and what cannot be is said", () => {
    const set: SetRecord = { post: part("post", SHAPES.post) };
    const shape = build("row", [drawn([0, 0, 0]), drawn([1, 0, 0]), drawn([2.1, 0.1, 0])], { set, selected: "post" });
    expect(shape).toMatchObject({
      of: "post",
      copies: [{ foot: { world: [1, 0, 0] } }, { foot: { world: [2.1, 0.1, 0] } }],
    });
    expect(build("row", [drawn([0, 0, 0]), drawn([1, 0, 0])])).toMatch(/Select the part/);
    expect(build("room", [drawn([0, 0, 0]), drawn([1, 0, 0]), drawn([2, 0, 0]), drawn([0, 0, 2])])).toMatch(/one line/);
    expect(build("opening", [drawn([0, 0, 0]), drawn([1, 0, 1])])).toMatch(/cut into a face/);
    expect(build("stairs", [drawn([0, 0, 0]), drawn([1, 0, 0]), drawn([0, -3, 1])])).toMatch(/left to right/);
  });
});

describe("pointing and snapping", () => {
  /** A view straight down: a hundred pixels a metre. */
  const view = (pointer: Vec2): SnapView => ({ project: (p) => [p[0] * 100, p[1] * 100], pointer, reach: 10 });
  const set: SetRecord = { block: part("block", SHAPES.block) };
  const ground = { plane: { normal: [0, 0, 1] as Vec3, offset: 0 } };

  test("corners win over sides, sides over axes, axes carry round lengths, and far off nothing does", () => {
    expect(snapPoint(set, [3.95, 0.03, 0], ground, null, view([395, 3]))).toEqual({ world: [4, 0, 0], name: "corner" });
    const side = snapPoint(set, [2.9, 0.05, 0], ground, null, view([290, 5]))!;
    expect(side.name).toBe("side");
    expect(side.world[0]).toBeCloseTo(2.9, 6);
    expect(snapPoint(set, [2.02, 0.03, 0], ground, null, view([202, 3]))!.name).toBe("middle of a side");
    const axis = snapPoint({}, [8.51, 5.04, 0], ground, [7, 5, 0], view([851, 504]))!;
    expect(axis).toEqual({ world: [8.5, 5, 0], name: "along X, 1.5 m" });
    expect(snapPoint({}, [8.4, 6.3, 0], ground, null, view([840, 630]))).toBeNull();
  });

  test("the nearest face is met, and only what counts", () => {
    const hit = pickAlong(set, [0.5, 0.5, 5], [0, 0, -1])!;
    expect([hit.part.id, hit.face.id, hit.distance]).toEqual(["block", "lid", 3]);
    expect(pickAlong(set, [0.5, 0.5, 5], [0, 0, -1], () => false)).toBeNull();
    expect(rayMeets(hit.face, [3, 2.5, 5], [0, 0, -1])).toBeNull();
  });

  test("sides that cross are seen; a polygon with a hole is filled around it", () => {
    expect(crossesItself(ELL)).toBe(false);
    expect(
      crossesItself([
        [0, 0, 0],
        [1, 1, 0],
        [1, 0, 0],
        [0, 1, 0],
      ]),
    ).toBe(true);
    const hole: Vec3[] = [
      [0.2, 0.2, 0],
      [0.2, 0.8, 0],
      [0.8, 0.8, 0],
      [0.8, 0.2, 0],
    ];
    expect(meshArea(meshOf([{ id: "f", rings: [ELL, hole] }]))).toBeCloseTo(6 - 0.36, 5);
    expect(triangulate({ id: "f", rings: [ELL] })).toHaveLength(12);
    expect(partMesh(set, "block").indices.length).toBeGreaterThan(0);
  });
});

test("whichever way round its floor was clicked, every triangle of a room looks into it", () => {
  const corners: Vec3[] = [
    [5, 6, 0],
    [0, 6, 0],
    [0, 0, 0],
    [5, 0, 0],
  ];
  for (const floor of [corners, [...corners].reverse()]) {
    const shape = { kind: "room" as const, floor: floor.map((p) => typedVertex(p)), height: 2 };
    const { positions, indices } = partMesh({ room: makePart("room", "Room", shape, "m") }, "room");
    const at = (i: number): Vec3 => [positions[3 * i], positions[3 * i + 1], positions[3 * i + 2]];
    for (let i = 0; i < indices.length; i += 3) {
      const [a, b, c] = [at(indices[i]), at(indices[i + 1]), at(indices[i + 2])];
      expect(dot(cross(sub(b, a), sub(c, a)), sub([2.5, 3, 1], a))).toBeGreaterThan(0);
    }
  }
});

describe("roles and materials", () => {
  test("a role is told from its flags, and another choice is none", () => {
    for (const role of Object.keys(ROLES) as (keyof typeof ROLES)[]) expect(roleOf(flagsOf(role))).toBe(role);
    expect(roleOf({ ...flagsOf("catcher"), reflection: false })).toBeNull();
    expect(FLAG_NAMES).toHaveLength(6);
  });

  test("presets keep the published luminous reflectance in their hue", () => {
    for (const preset of MATERIAL_PRESETS) {
      const { colour, spread } = fromPreset(preset, "m").albedo;
      // Rec. 709 luminance.
      const level = 0.2126 * colour[0] + 0.7152 * colour[1] + 0.0722 * colour[2];
      expect(level).toBeCloseTo(preset.albedo, 2);
      expect(spread / preset.albedo).toBeCloseTo(preset.spread, 2);
    }
  });
});

describe("standing and the camera's place", () => {
  const floor = part("floor", { kind: "polygon", vertices: at(rectangle(10, 10)), holes: [] });
  const block = (z: number, height = 0.5) => {
    const base = at(
      (
        [
          [4, 4],
          [5, 4],
          [5, 5],
          [4, 5],
        ] as Vec2[]
      ).map(([x, y]): Vec3 => [x, y, z]),
    );
    return part("box", { kind: "block", base, height, closed: true });
  };
  const eye: Vec3 = [5, -2, 1.6];

  test("a block that floats or sinks says by how much, and slides along the sight until it stands, with its picture kept", () => {
    for (const z of [0.12, -0.05]) {
      const set: SetRecord = { floor, box: block(z) };
      const standing = standingOf(set, set.box)!;
      expect(standing.gap).toBeCloseTo(z, 9);
      expect(standing.on).toBe("floor");
      const before = facesOf(set, "box").flatMap((f) => f.rings[0]);
      const moved = structuredClone(set.box);
      expect(slideToStand(set, moved, eye, standing)).toBe(true);
      const after = facesOf({ floor, box: moved }, "box").flatMap((f) => f.rings[0]);
      expect(Math.min(...after.map((p) => p[2]))).toBeCloseTo(0, 9);
      // On the same lines of sight as before.
      before.forEach((p, i) => expect(Math.hypot(...cross(sub(p, eye), sub(after[i], eye)))).toBeLessThan(1e-9));
    }
    expect(standingOf({ floor, box: block(0) }, block(0))).toBeNull();
  });

  test("what hangs high before a wall does not slide through it to where the ground would be", () => {
    const wall = part("wall", {
      kind: "wall",
      on: null,
      foot: at([
        [-20, 7, 0],
        [20, 7, 0],
      ]) as never,
      heights: [4, 4],
      thick: 0,
    });
    const high = block(0.9);
    const standing = standingOf({ floor, box: high }, high)!;
    expect(slideMeets({ floor, box: high }, high, eye, standing)).toBeNull();
    expect(slideMeets({ floor, box: high, wall }, high, eye, standing)).toBe("wall");
    const low = block(0.02);
    expect(slideMeets({ floor, box: low, wall }, low, eye, standingOf({ floor, box: low }, low)!)).toBeNull();
  });

  test("a camera outside its room or inside a block is told of", () => {
    const room = part("room", { kind: "room", floor: at(rectangle(10, 10)), height: 3 });
    expect(cameraFindings({ room }, [5, 5, 1.6])).toEqual([]);
    expect(cameraFindings({ room }, eye)[0].message).toMatch(/outside room/);
    expect(cameraFindings({ box: block(0, 3) }, [4.5, 4.5, 1.6])[0].message).toMatch(/inside box/);
    expect(cameraFindings({ box: block(0, 3) }, eye)).toEqual([]);
  });

  test("the pixels of a face are its area over the distance squared, less what stands before it", () => {
    // Straight down from 10 m: a metre is 100 pixels on the floor.
    const down: Camera = {
      focalPx: 1000,
      principal: [500, 500],
      distortion: noDistortion(),
      rotation: [
        [1, 0, 0],
        [0, -1, 0],
        [0, 0, -1],
      ],
      position: [5, 5, 10],
    };
    const seen = { width: 1000, height: 1000 };
    const set: SetRecord = { floor, box: block(0, 2) };
    // The lid lies 8 m away: 125 pixels a metre, and hides as much of the floor.
    const lid = pixelsOf(set, { part: "box", face: "lid" }, down, seen);
    expect(lid / 125 ** 2).toBeCloseTo(1, 1);
    expect(pixelsOf(set, { part: "floor", face: "face" }, down, seen) / (1e6 - lid)).toBeCloseTo(1, 1);
    expect(pixelsOf(set, { part: "box", face: "base" }, down, seen)).toBe(0);
  });
});
