import { makePart } from "#core/set/parts/make";
import { placedVertex, typedVertex } from "#core/set/vertex";
import { describe, expect, test } from "@jest/globals";
import type { Mat3, Vec2, Vec3 } from "../math/vec3.ts";
import { determinant } from "../math/vec3.ts";
import { solve } from "../match/solve.ts";
import { FIRST_YARDSTICKS, YardstickSchema } from "../match/yardsticks.ts";
import type { Camera } from "../optics/camera.ts";
import { projectPoint, rotationFromAngles } from "../optics/camera.ts";
import { noDistortion } from "../optics/distortion.ts";
import * as v from "valibot";
import {
  edgeAxes,
  evidenceKey,
  requestKey,
  markSigma,
  otherReadings,
  requestOfShot,
  notedLens,
  uncountedLengths,
} from "../match/requestOfShot.ts";
import { handAnswer, takeCamera } from "./resolve.ts";
import type { Shot } from "./schema.ts";
import { newEdge, newLength } from "../match/schema.ts";
import { parseShot } from "./schema.ts";
import { newLamp } from "../light/schema.ts";
import { boxProp, testShot } from "../../testing/shots.ts";
import { keepsGround, turnWorld } from "./turnWorld.ts";
import type { WorldTurn } from "./turnWorld.ts";

const shotOf = (): Shot => testShot(1920, 1280);
const camera: Camera = {
  focalPx: 1500,
  principal: [960, 640],
  distortion: noDistortion(),
  rotation: rotationFromAngles({ heading: 0.7, tilt: -0.12, roll: 0.01 }),
  position: [-3, -4, 1.7],
};
const at = (p: Vec3): Vec2 => projectPoint(camera, p)!;
const EDGES: [string, Vec3, Vec3][] = [
  ["x", [-1, 1.5, 0], [2, 1.5, 0]],
  ["x", [-1, 1.5, 2.2], [2, 1.5, 2.2]],
  ["x", [0, 4, 0.9], [3, 4, 0.9]],
  ["y", [2.5, 0, 0], [2.5, 3, 0]],
  ["y", [2.5, 0, 2.2], [2.5, 3, 2.2]],
  ["y", [1.4, 0.4, 0.9], [1.4, 3, 0.9]],
  ["z", [-0.5, 1.5, 0], [-0.5, 1.5, 2.2]],
  ["z", [1.7, 1.5, 0], [1.7, 1.5, 2.2]],
];
function marked(axisOf: (axis: string) => string = (axis) => axis): Shot {
  const shot = shotOf();
  EDGES.forEach(([axis, a, b], i) => (shot.edges[`edge-${i}`] = newEdge(`edge-${i}`, axisOf(axis), [at(a), at(b)])));
  shot.origin = at([0, 0, 0]);
  shot.lengths["length-1"] = { ...newLength("length-1", at([1.7, 1.5, 0]), at([1.7, 1.5, 2.2])), metres: 2.2 };
  return shot;
}

describe("what a shot asks the solver", () => {
  test("muted marks are left out, weights divide the noise, groups and tolerances go along", () => {
    const shot = marked();
    shot.edges["edge-0"].muted = true;
    shot.edges["edge-1"].weight = 4;
    shot.edges["edge-2"].group = "floor";
    shot.lengths["length-1"].sigmaMetres = 0.02;
    const request = requestOfShot(shot);
    expect(request.edges!.map((e) => e.id)).not.toContain("edge-0");
    expect(request.edges![0].sigmaPx).toBeCloseTo(0.35, 9);
    expect(request.edges![1].group).toBe("floor");
    expect(request.lengths![0].sigmaMetres).toBe(0.02);
  });

  test("the lens: solved, tolerant, held, locked, and a crop's principal point", () => {
    const shot = marked();
    expect(requestOfShot(shot).lens!.solve).toEqual(["focal"]);
    shot.lens = { ...shot.lens, focal: "tolerant", focalPx: 1400, tolerance: 0.05 };
    expect(requestOfShot(shot).lens).toMatchObject({ focalPx: 1400, focalTolerance: 70, solve: ["focal"] });
    shot.lens.focal = "hold";
    expect(requestOfShot(shot).lens!.solve).toEqual([]);
    shot.lens.crop = { width: 4000, height: 3000, left: 800, top: 600 };
    expect(requestOfShot(shot).lens!.principal).toEqual([1200, 900]);
    takeCamera(shot, handAnswer(camera));
    shot.match.locks.lens = true;
    expect(requestOfShot(shot).lens).toMatchObject({ focalPx: 1500, principal: [960, 640], solve: [] });
  });

  test("a length on a wall or a raised lid is told by what that stands on; typed corners say nothing", () => {
    const shot = marked();
    const vertices = (
      [
        [-1, 1.5, 0],
        [2, 1.5, 0],
        [2, 3, 0],
      ] as Vec3[]
    ).map((world) => placedVertex(world, at(world)));
    shot.set["ground-1"] = makePart("ground-1", "Floor", { kind: "polygon", vertices, holes: [] }, "material-1");
    const wall = (face: string) => ({
      kind: "wall" as const,
      on: { part: "ground-1", face, side: 0 },
      foot: null,
      heights: [2, 2] as [number, number],
      thick: 0,
    });
    shot.set["wall-1"] = makePart("wall-1", "Wall", wall("face"), "material-1");
    shot.lengths["length-1"].on = "wall-1";
    expect(requestOfShot(shot).lengths![0].on).toEqual({ wall: [vertices[0].pixel, vertices[1].pixel] });
    const block = { kind: "block" as const, base: vertices, height: 0.9, closed: true };
    shot.set["ground-1"] = makePart("ground-1", "Floor", block, "material-1");
    shot.set["wall-1"] = makePart("wall-1", "Wall", wall("side-1"), "material-1");
    shot.lengths["length-1"].on = "ground-1";
    expect(requestOfShot(shot).lengths![0].on).toEqual({ height: 0.9 });
    shot.lengths["length-1"].on = "wall-1";
    vertices[0].pixel = null;
    // Silently laid on the ground it would give a wrong scale.
    expect(requestOfShot(shot).lengths).toEqual([]);
    expect(uncountedLengths(shot)[0].message).toMatch(/length-1 is not counted: its wall stands on typed corners/);
    delete shot.set["wall-1"];
    expect(requestOfShot(shot).lengths).toEqual([]);
    expect(uncountedLengths(shot)[0].ids).toEqual(["length-1"]);
    expect(uncountedLengths(shot)[0].message).toContain("is gone");
    shot.lengths["length-1"].on = null;
    expect(uncountedLengths(shot)).toEqual([]);
  });

  test("what is noted of the lens goes along, from EXIF or given, until the user has settled it", () => {
    const shot = marked();
    expect(requestOfShot(shot).lens!.noted).toBeUndefined();
    shot.plates.main.exif.equivalentMm = 28;
    // 28 mm of the 43.27 mm diagonal.
    const exif = (28 / 43.267) * Math.hypot(1920, 1280);
    expect(notedLens(shot)).toMatchObject({ source: "EXIF", relative: 0.04 });
    expect(notedLens(shot)!.focalPx).toBeCloseTo(exif, 0);
    Object.assign(shot.lens, { focal: "tolerant", focalPx: 900, tolerance: 0.1, source: "lens kit “Mine”" });
    expect(requestOfShot(shot).lens!.noted).toEqual({ focalPx: 900, relative: 0.1, source: "Lens kit “Mine”" });
    // The marks are of a lens of 1500 px: both numbers are said, whichever way the lens is taken.
    for (const focal of ["solve", "tolerant", "hold"] as const) {
      shot.lens.focal = focal;
      shot.plates.main.exif.equivalentMm = focal === "solve" ? 16 : null;
      const found = solve(requestOfShot(shot)).findings.find((f) => f.code === "lens-against-marks")!;
      expect(found.numbers!.noted).toBeCloseTo(focal === "solve" ? (exif * 16) / 28 : 900, -1);
      expect(Math.abs(found.numbers!.marks / 1500 - 1)).toBeLessThan(0.01);
      expect(found.message).toContain("px");
    }
    // Neither what is noted nor how true things are moves the camera: what was built with it stands.
    const key = evidenceKey(shot);
    expect(key).not.toContain("noted");
    shot.match.tolerance.deg = 2;
    shot.plates.main.exif.equivalentMm = 99;
    expect(evidenceKey(shot)).toBe(key);
    expect(requestKey(shot)).toContain('"deg":2');
    shot.lens.marksSettled = true;
    expect(evidenceKey(shot)).toBe(key);
    expect(solve(requestOfShot(shot)).findings.map((f) => f.code)).not.toContain("lens-against-marks");
  });

  test("a drawing has wider marks and a loose lens; a hand match asks nothing new when marks move", () => {
    const shot = marked();
    const photo = markSigma(shot);
    shot.plates.main.drawing = true;
    expect(markSigma(shot)).toBeGreaterThan(4 * photo);
    expect(requestOfShot(shot).lens!.focalTolerance).toBeGreaterThan(1000);
    shot.match.by = "hand";
    const key = evidenceKey(shot);
    shot.edges["edge-0"].points = [
      [0, 0],
      [5, 5],
    ];
    expect(evidenceKey(shot)).toBe(key);
  });

  test("directions read from the picture are the true ones, and with some named the rest follow the camera", () => {
    const shot = marked(() => "any");
    const axes = edgeAxes(shot);
    EDGES.forEach(([axis], i) => expect(axes.get(`edge-${i}`)).toBe(axis));
    const answer = solve(requestOfShot(shot));
    expect(answer.camera!.focalPx).toBeCloseTo(1500, 0);
    const mixed = marked((axis) => (axis === "z" ? "any" : axis));
    takeCamera(mixed, handAnswer(camera));
    expect(edgeAxes(mixed).get("edge-7")).toBe("z");
  });
});

test("other readings of the directions differ from the likeliest and from each other; named ones leave none", () => {
  const shot = marked(() => "any");
  const readings = otherReadings(shot);
  expect(readings.length).toBeGreaterThan(0);
  const told = (axes: Map<string, string | null>) => JSON.stringify([...axes].sort());
  const all = [edgeAxes(shot), ...readings].map(told);
  expect(new Set(all).size).toBe(all.length);
  expect(otherReadings(marked())).toEqual([]);
});

describe("turning the world", () => {
  const turns: WorldTurn[] = ["left", "right", "over-x", "over-y", "next-up"];

  test.each(turns)("%s: the marks give the turned camera, and the picture stays", (turn) => {
    const shot = marked();
    takeCamera(shot, solve(requestOfShot(shot)));
    const before = shot.solved!.camera as Camera;
    turnWorld(shot, turn);
    const turned = shot.solved!.camera as Camera;
    expect(determinant(turned.rotation as Mat3)).toBeCloseTo(1, 9);
    // The world's origin keeps its pixel, and every edge its direction in the picture.
    const [a, b] = [projectPoint(before, [0, 0, 0])!, projectPoint(turned, [0, 0, 0])!];
    expect(Math.hypot(a[0] - b[0], a[1] - b[1])).toBeLessThan(1e-6);
    if (keepsGround(turn)) {
      const again = solve(requestOfShot(shot)).camera!;
      again.position.forEach((value, k) => expect(value).toBeCloseTo(turned.position[k], 2));
    }
  });

  test("set, props and sun turn along about the vertical, and four quarters are none", () => {
    const shot = marked();
    const vertices = (
      [
        [0, 0, 0],
        [2, 0, 0],
        [2, 1, 0],
      ] as Vec3[]
    ).map(typedVertex);
    shot.set["ground-1"] = makePart("ground-1", "Floor", { kind: "polygon", vertices, holes: [] }, "material-1");
    shot.props["prop-1"] = { ...boxProp([2, 1, 0], 10), motion: { offset: [0.5, 0, 0.1], turnDeg: 3 } };
    shot.light.lamps["lamp-1"] = { ...newLamp("lamp-1", "spot", [1, 0, 2]), azimuthDeg: 45, tiltDeg: -30 };
    const before = structuredClone(shot);
    turnWorld(shot, "left");
    const ground = shot.set["ground-1"];
    if (ground.kind !== "polygon") throw new Error("kind");
    expect(ground.vertices[1].world).toEqual([0, 2, 0]);
    expect(shot.props["prop-1"].placement.position).toEqual([-1, 2, 0]);
    expect(shot.props["prop-1"].placement.turnDeg).toBeCloseTo(100, 9);
    // Azimuths run clockwise: a quarter to the left takes 90 degrees off.
    expect(shot.light.sun.azimuthDeg).toBeCloseTo(before.light.sun.azimuthDeg - 90, 9);
    expect(shot.props["prop-1"].motion).toEqual({ offset: [0, 0.5, 0.1], turnDeg: 3 });
    expect(shot.light.lamps["lamp-1"].position).toEqual([0, 1, 2]);
    expect(shot.light.lamps["lamp-1"].azimuthDeg).toBeCloseTo(-45, 9);
    for (let i = 0; i < 3; i++) turnWorld(shot, "left");
    expect(shot.light).toEqual(before.light);
    expect(shot.props["prop-1"].motion).toEqual(before.props["prop-1"].motion);
    expect(shot.set).toEqual(before.set);
    expect(shot.box).toEqual(before.box);
    expect(shot.edges).toEqual(before.edges);
  });
});

/** A shot as version 4 had it: one plate, and the light with the ground's albedo and gloss. */
function asVersion4(shot: Shot): Record<string, unknown> {
  const old = JSON.parse(JSON.stringify(shot)) as Record<string, unknown>;
  old.plate = { ...shot.plates.main };
  old.light = {
    sighting: null,
    sun: { on: true, azimuthDeg: 135, elevationDeg: 40, radiusDeg: 0.2665 },
    lit: null,
    shaded: null,
    sunIrradiance: [2, 2, 2],
    skyRadiance: [0.25, 0.25, 0.25],
    density: 1,
    tint: [1, 1, 1],
    propLevel: 1,
    shadows: {},
    lamps: {},
    albedo: { name: "Stone", colour: [0.2, 0.2, 0.2], spread: 0.05 },
    gloss: 0,
    glossRoughness: 0.5,
  };
  for (const key of ["plates", "materials", "ground", "measures"]) delete old[key];
  return old;
}

describe("documents of the first version", () => {
  test("are brought up to date with all their marks", () => {
    const now = marked();
    const old = asVersion4(now);
    old.version = 1;
    old.lens = { focalPx: 1400, solveK1: true };
    old.edges = {
      e: {
        id: "e",
        axis: "z",
        points: [
          [1, 2],
          [3, 4],
        ],
      },
    };
    old.lengths = { l: { id: "l", from: [1, 2], to: [3, 4], along: null, metres: 2 } };
    old.plate = { ...now.plates.main, drawing: undefined };
    for (const key of ["match", "ties", "horizon", "cameraHeight", "level", "gauges", "notes"]) delete old[key];
    const shot = parseShot(old);
    expect(shot.lens).toMatchObject({ focal: "hold", focalPx: 1400, solveK1: true });
    expect(shot.edges.e).toMatchObject({ axis: "z", weight: 1, muted: false });
    expect(shot.lengths.l).toMatchObject({ along: null, metres: 2, sigmaMetres: 0 });
    expect(shot.match.by).toBe("marks");
  });

  test("version 3 had its lens in words: what was typed in millimetres still follows the sensor", () => {
    const { tolerance, ...match } = marked().match;
    const old = (source: string) => {
      const { givenAs, marksSettled, ...lens } = { ...marked().lens, focal: "tolerant", focalPx: 1000, source };
      expect([givenAs, marksSettled]).toEqual([null, false]);
      return { ...asVersion4(marked()), version: 3, lens, match };
    };
    expect(parseShot(old("typed: focal length 24")).lens.givenAs).toBe("mm");
    expect(parseShot(old("EXIF, 24 mm")).lens.givenAs).toBeNull();
    expect(parseShot(old("")).match.tolerance).toEqual(tolerance);
  });
});

test("every shipped yardstick is well formed, has a source and an id of its own", () => {
  for (const y of FIRST_YARDSTICKS) {
    expect(v.safeParse(YardstickSchema, y).success).toBe(true);
    expect(y.source.length).toBeGreaterThan(3);
    expect(y.spread).toBeGreaterThan(0);
  }
  expect(new Set(FIRST_YARDSTICKS.map((y) => y.id)).size).toBe(FIRST_YARDSTICKS.length);
  const metres = (id: string) => FIRST_YARDSTICKS.find((y) => y.id === id)!.metres;
  // ISO 668: 2438 mm wide, 2591 mm high (8 ft 6 in); EN 13698-1: 1200 × 800 × 144 mm; ISO 216: A4 is 297 × 210 mm.
  expect([metres("container-width"), metres("container-height")]).toEqual([2.438, 2.591]);
  expect([metres("pallet"), metres("pallet-side"), metres("pallet-height")]).toEqual([1.2, 0.8, 0.144]);
  expect([metres("paper-a4"), metres("paper-a4-short")]).toEqual([0.297, 0.21]);
});
