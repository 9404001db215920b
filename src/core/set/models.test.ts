import { describe, expect, test } from "@jest/globals";
import type { Vec3 } from "../math/vec3.ts";
import type { Mesh, Model } from "../props/model.ts";
import { plainMaterial } from "../props/model.ts";
import { primitiveModel } from "../props/primitives.ts";
import { planarFaces } from "./coplanar.ts";
import { faceArea, faceWarp, volume } from "./face.ts";
import { facesOf } from "./faces.ts";
import { newMaterial } from "./materials.ts";
import { hasSetModel, provideSetModel, provideSetModels, setModelFrom } from "./models.ts";
import type { SetRecord } from "./parts/index.ts";
import { makePart } from "./parts/make.ts";
import { groundHeight, floorHeight, setPieces } from "./pieces.ts";
import { flagsOf } from "./roles.ts";
import { asShell } from "./shell/turn.ts";
import { flagsAt, materialIdOf } from "./surface.ts";
import { typedVertex } from "./vertex.ts";

const mesh = (name: string, points: Vec3[], indices: number[]): Mesh => ({
  name,
  positions: new Float32Array(points.flat()),
  normals: new Float32Array(points.length * 3),
  uvs: null,
  indices: new Uint32Array(indices),
  material: 0,
});
/** A square frame: a level face of 4 by 4 with a hole of 2 by 2, in eight triangles. */
const FRAME: Vec3[] = [
  [0, 0, 0],
  [4, 0, 0],
  [4, 4, 0],
  [0, 4, 0],
  [1, 1, 0],
  [3, 1, 0],
  [3, 3, 0],
  [1, 3, 0],
];
const FRAME_TRIANGLES = [0, 1, 5, 0, 5, 4, 1, 2, 6, 1, 6, 5, 2, 3, 7, 2, 7, 6, 3, 0, 4, 3, 4, 7];

describe("faces out of triangles", () => {
  test("a box of twelve triangles has six faces that close around its volume", () => {
    const { faces } = setModelFrom(primitiveModel("box", [0.5, 0.5, 0.5], 0.5, 0));
    expect(faces.map((f) => f.rings.length)).toEqual([1, 1, 1, 1, 1, 1]);
    expect(faces.every((f) => f.rings[0].length === 4)).toBe(true);
    expect(volume(faces)).toBeCloseTo(1, 6);
  });

  test("a frame in one plane is one face with a hole", () => {
    const faces = planarFaces({ positions: FRAME.flat(), indices: FRAME_TRIANGLES });
    expect(faces).toHaveLength(1);
    expect(faces[0].map((ring) => ring.length)).toEqual([4, 4]);
    expect(faceArea({ id: "f", rings: faces[0] })).toBeCloseTo(12, 9);
  });

  test("what touches itself, what has no area and what bends stays in triangles, and nothing is lost", () => {
    // Two triangles of one plane that meet in one corner, a sliver, and a bent pair.
    const points: Vec3[] = [
      [0, 0, 0],
      [1, 0, 0],
      [0, 1, 0],
      [-1, 0, 0],
      [0, -1, 0],
      [2, 0, 0],
      [1, 1, 0.3],
    ];
    const faces = planarFaces({ positions: points.flat(), indices: [0, 1, 2, 0, 3, 4, 0, 1, 5, 2, 1, 6] });
    expect(faces).toHaveLength(3);
    const area = faces.reduce((sum, rings) => sum + faceArea({ id: "f", rings }), 0);
    expect(area).toBeCloseTo(0.5 + 0.5 + Math.hypot(0.3, 0.3, 1) / 2, 1);
  });

  test("a ball's faces are flat, and its volume is that of its triangles", () => {
    const ball = primitiveModel("sphere", [0.5, 0.5, 0.5], 0.5, 0);
    const { faces } = setModelFrom(ball);
    for (const face of faces) expect(faceWarp(face)).toBeLessThan(1e-4);
    const { positions: p, indices } = ball.meshes[0];
    let six = 0;
    for (let i = 0; i < indices.length; i += 3) {
      const [a, b, c] = [0, 1, 2].map((k) => [...p.subarray(indices[i + k] * 3, indices[i + k] * 3 + 3)]);
      six +=
        a[0] * (b[1] * c[2] - b[2] * c[1]) + a[1] * (b[2] * c[0] - b[0] * c[2]) + a[2] * (b[0] * c[1] - b[1] * c[0]);
    }
    expect(volume(faces)).toBeCloseTo(six / 6, 4);
  });
});

describe("a model of the place", () => {
  const HASH = "a".repeat(64);
  const place: Model = {
    materials: [plainMaterial()],
    textures: [],
    meshes: [
      mesh(
        "wall",
        [
          [0, 5, 0],
          [6, 5, 0],
          [6, 5, 3],
          [0, 5, 3],
        ],
        [0, 1, 2, 0, 2, 3],
      ),
      mesh(
        "yard",
        [
          [-4, -4, -0.2],
          [8, -4, -0.2],
          [8, 5, -0.2],
          [-4, 5, -0.2],
        ],
        [0, 1, 2, 0, 2, 3],
      ),
      mesh(
        "wall",
        [
          [0, 5, 3],
          [6, 5, 3],
          [6, 5, 4],
        ],
        [0, 1, 2],
      ),
    ],
  };
  const shape = {
    kind: "model",
    asset: HASH,
    fileName: "yard.glb",
    origin: typedVertex([0, 0, 0]),
    turnDeg: 0,
    scale: 1,
  } as const;
  const part = makePart("model-1", "Yard", shape, "stone");
  const set: SetRecord = { "model-1": part };

  test("has no faces until it is loaded, and then has them", () => {
    expect(facesOf({ ...set }, "model-1")).toEqual([]);
    expect(hasSetModel(HASH)).toBe(false);
    provideSetModels({ set }, new Map([[HASH, place]]));
    expect(facesOf({ ...set }, "model-1").map((f) => f.id)).toEqual(["1.1", "2.1", "3.1"]);
    expect(setModelFrom(place).meshes.map(({ name }) => name)).toEqual(["wall", "yard", "wall 2"]);
  });

  test("each mesh has its own material and role, and reaches the tracer with them", () => {
    provideSetModel(HASH, place);
    const own = { ...part, faceMaterials: { "1": "plaster" }, faceFlags: { "1": flagsOf("blocker") } };
    const shot = {
      set: { "model-1": own },
      materials: {
        stone: newMaterial("stone", "Stone", [0.25, 0.25, 0.25]),
        plaster: newMaterial("plaster", "Plaster", [0.6, 0.6, 0.6]),
      },
      ground: "stone",
      measures: {},
    };
    expect(materialIdOf(shot.set, own, "1.1")).toBe("plaster");
    expect(flagsAt(own, "1.1").catches).toBe(false);
    expect(flagsAt(own, "2.1").catches).toBe(true);
    const pieces = setPieces(shot);
    expect(pieces.map((p) => [p.albedo[0], p.flags.catches, p.indices.length])).toEqual([
      [0.6, false, 6],
      [0.25, true, 9],
    ]);
  });

  test("turned into a shell it keeps the surfaces of its meshes, face by face", () => {
    provideSetModel(HASH, place);
    const own = { ...part, faceMaterials: { "1": "plaster" }, faceFlags: { "3": flagsOf("solid") } };
    const shell = asShell({ "model-1": own }, "model-1");
    if (typeof shell === "string") throw new Error(shell);
    expect(shell.faceMaterials).toEqual({ "1.1": "plaster" });
    expect(Object.keys(shell.faceFlags)).toEqual(["3.1"]);
    expect(Object.keys(shell.faces)).toEqual(["1.1", "2.1", "3.1"]);
  });

  test("the ground is its widest level face, turned and scaled with it", () => {
    provideSetModel(HASH, place);
    expect(groundHeight({ set })).toBeCloseTo(-0.2, 6);
    expect(floorHeight({ set })).toBeCloseTo(-0.2, 6);
    const moved = { ...part, origin: typedVertex([1, 2, 3]), turnDeg: 90, scale: 2 };
    const [wall] = facesOf({ "model-1": moved }, "model-1");
    expect(wall.rings[0][1]).toEqual([expect.closeTo(1 - 10, 6), expect.closeTo(2 + 12, 6), 3]);
  });
});
