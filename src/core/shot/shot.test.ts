import { makePart } from "#core/set/parts/make";
import { placedVertex } from "#core/set/vertex";
import { describe, expect, test } from "@jest/globals";
import { sunFromSightings } from "#core/light/sightings/solve";
import { toDegrees } from "#core/math/vec3";
import { projectPoint, rotationFromAngles } from "#core/optics/camera";
import { noDistortion } from "#core/optics/distortion";
import type { SolveAnswer } from "#core/match/request";
import type { Camera } from "#core/optics/camera";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { solve } from "#core/match/solve";
import { evidenceKey, requestOfShot } from "../match/requestOfShot.ts";
import { traceSceneOf } from "../render/scene.ts";
import type { Work } from "./edits.ts";
import { HISTORY_LIMIT, clash, makeEdit, rebase, stepPatches, takeStep } from "./edits.ts";
import { takeCamera } from "./resolve.ts";
import type { Shot } from "./schema.ts";
import { newEdge } from "../match/schema.ts";
import { parseShot } from "./schema.ts";
import { plainProp } from "../props/schema.ts";
import { testShot } from "../../testing/shots.ts";

const edgeEdit = (shot: Shot, id: string, at: number) =>
  makeEdit(shot, `e-${id}-${at}`, `Mark ${id}`, (d) => {
    d.edges[id] = newEdge(id, "x", [
      [at, 1],
      [at + 9, 2],
    ]);
  })!;
const fresh = (): Work => ({ shot: testShot(), undo: [], redo: [] });
const doing = (work: Work, id: string, at: number): Work =>
  takeStep(work, { kind: "do", edit: edgeEdit(work.shot, id, at) });

describe("the document", () => {
  test("a new shot is valid, and wrong fields are named", () => {
    expect(parseShot(JSON.parse(JSON.stringify(testShot())))).toEqual(testShot());
    expect(() => parseShot({ ...testShot(), lens: { ...testShot().lens, focalPx: -1 } })).toThrow("lens.focalPx");
    expect(() => parseShot({ ...testShot(), version: 0 })).toThrow(/version/);
    expect(() => parseShot(null)).toThrow("not an object");
  });

  test("a shot without a camera cannot be traced, and says so", () => {
    const plate = { width: 2, height: 2, pixels: new Float32Array(12) };
    expect(() => traceSceneOf(testShot(), plate, new Map())).toThrow("no camera yet");
  });
});

describe("edits", () => {
  test("undo and redo give back exactly what was there", () => {
    const start = fresh();
    const one = doing(start, "a", 1);
    const two = doing(one, "b", 2);
    const back = takeStep(two, { kind: "undo", id: two.undo.at(-1)!.id, step: "s" });
    expect(back.shot).toEqual(one.shot);
    expect(takeStep(back, { kind: "redo", id: back.redo.at(-1)!.id, step: "s" }).shot).toEqual(two.shot);
    const all = takeStep(back, { kind: "undo", id: back.undo.at(-1)!.id, step: "s" });
    expect(all.shot).toEqual(start.shot);
    expect(all.undo).toEqual([]);
  });

  test("a step back that is not the newest leaves the work alone", () => {
    const work = doing(fresh(), "a", 1);
    expect(takeStep(work, { kind: "undo", id: "another", step: "s" })).toBe(work);
  });

  test("a hundred steps are kept, a new edit ends the redo", () => {
    let work = fresh();
    for (let i = 0; i < HISTORY_LIMIT + 20; i++) work = doing(work, `a${i}`, i);
    expect(work.undo).toHaveLength(HISTORY_LIMIT);
    work = takeStep(work, { kind: "undo", id: work.undo.at(-1)!.id, step: "s" });
    expect(doing(work, "z", 3).redo).toEqual([]);
  });

  test("no change makes no edit", () => {
    expect(makeEdit(testShot(), "i", "Nothing", (d) => void (d.name = "Test"))).toBeNull();
  });

  test("work on other things is rebased, on the same thing it clashes", () => {
    const base = fresh();
    const theirs = edgeEdit(base.shot, "a", 1).forward;
    const theirWork = doing(base, "a", 1);
    const mine = (id: string, at: number) => {
      const step = { kind: "do" as const, edit: edgeEdit(base.shot, id, at) };
      return [{ step, patches: stepPatches(base, step) }];
    };
    const both = rebase(theirWork, theirs, mine("b", 5))!;
    expect(Object.keys(both.shot.edges).sort()).toEqual(["a", "b"]);
    expect(rebase(theirWork, theirs, mine("a", 7))).toBeNull();
    expect(
      clash(theirs, makeEdit(theirWork.shot, "x", "Move", (d) => void (d.edges.a.points[0] = [5, 5]))!.forward),
    ).toBe(true);
  });
});

describe("solving again when work exists", () => {
  const camera = (focalPx: number): Camera => ({
    focalPx,
    principal: [320, 240],
    distortion: noDistortion(),
    rotation: rotationFromAngles({ heading: 0.1, tilt: -0.25, roll: 0 }),
    position: [0, -5, 1.6],
  });
  const answer = (focalPx: number): SolveAnswer => ({
    camera: { ...camera(focalPx), fovDeg: { horizontal: 0, vertical: 0 } },
    rmsPx: 0,
    residuals: [],
    sigma: null,
    sigmaWidened: { focalPx: 1, rotationDeg: [0, 0, 0], positionM: null, cameraHeightM: null },
    alternatives: [],
    findings: [],
  });

  test("a sun that its sighting gave goes on following it, a typed one stays, and the movement is told", () => {
    const shot = testShot();
    takeCamera(shot, answer(600));
    const at = (p: Vec3) => projectPoint(camera(600), p) as Vec2;
    // A post of 1 m whose shadow falls 1 m towards -Y: the sun stands in +Y, 45 degrees high.
    shot.light.sightings["sighting-1"] = {
      id: "sighting-1",
      plate: "main",
      kind: "upright",
      foot: at([0.3, 1.5, 0]),
      top: at([0.3, 1.5, 1]),
      tip: at([0.3, 0.5, 0]),
      muted: false,
    };
    Object.assign(shot.light.sun, { azimuthDeg: 0, elevationDeg: 45 });
    const typed = structuredClone(shot);
    typed.light.sun.elevationDeg = 50;
    const moved = takeCamera(shot, answer(660));
    const sighted = sunFromSightings(camera(660), Object.values(shot.light.sightings));
    if (!sighted || typeof sighted === "string") throw new Error(sighted ?? "none");
    expect(shot.light.sun.elevationDeg).toBeCloseTo(toDegrees(sighted.elevation), 9);
    expect(Math.abs(shot.light.sun.elevationDeg - 45)).toBeGreaterThan(0.1);
    expect(moved.find((m) => m.id === "sun")!.degrees).toBeGreaterThan(0.1);
    expect(takeCamera(typed, answer(660)).map((m) => m.id)).not.toContain("sun");
    expect(typed.light.sun.elevationDeg).toBe(50);
  });

  test("placed corners follow the plate, typed ones keep their metres, props as chosen", () => {
    const shot = testShot();
    expect(takeCamera(shot, answer(600))).toEqual([]);
    const corners: Vec3[] = [
      [-1, 0, 0],
      [1, 0, 0],
      [1, 2, 0],
      [-1, 2, 0],
    ];
    const vertices = corners.map((world, i) =>
      placedVertex(world, i === 3 ? null : (projectPoint(camera(600), world) as Vec2)),
    );
    shot.set["ground-1"] = makePart("ground-1", "Ground", { kind: "polygon", vertices, holes: [] }, "material-1");
    const prop = (id: string, keeps: "metres" | "picture") => {
      shot.props[id] = {
        id,
        name: id,
        source: {
          kind: "shape",
          shape: { kind: "box", size: [1, 1, 1], bevel: 0 },
          colour: [0.5, 0.5, 0.5],
          roughness: 1,
          metallic: 0,
        },
        placement: { position: [0.4, 1, 0], turnDeg: 0, leanDeg: [0, 0], scale: [1, 1, 1] },
        keeps,
        ...plainProp(),
      };
    };
    prop("stays", "metres");
    prop("follows", "picture");
    const movements = takeCamera(shot, answer(660));
    const ground = shot.set["ground-1"];
    if (ground.kind !== "polygon") throw new Error("kind");
    ground.vertices.forEach((v, i) => {
      if (i === 3) expect(v.world).toEqual(corners[3]);
      else {
        const seen = projectPoint(camera(660), v.world)!;
        expect(Math.hypot(seen[0] - v.pixel![0], seen[1] - v.pixel![1])).toBeLessThan(1e-6);
      }
    });
    expect(shot.props.stays.placement.position).toEqual([0.4, 1, 0]);
    const foot = projectPoint(camera(660), shot.props.follows.placement.position)!;
    const before = projectPoint(camera(600), [0.4, 1, 0])!;
    expect(Math.hypot(foot[0] - before[0], foot[1] - before[1])).toBeLessThan(1e-6);
    const named = new Map(movements.map((m) => [m.name, m]));
    expect(named.get("Ground, corner 4")!.metres).toBe(0);
    expect(named.get("Ground, corner 4")!.pixels).toBeGreaterThan(1);
    expect(named.get("follows")!.metres).toBeGreaterThan(0.01);
    expect(shot.solved!.evidence).toBe(evidenceKey(shot));
  });

  test("the request that a shot makes is what the solver takes", () => {
    const shot = testShot();
    shot.lens = { ...shot.lens, focal: "hold", focalPx: 700, solveK1: true };
    expect(requestOfShot(shot).lens).toMatchObject({ focalPx: 700, solve: ["k1"] });
    expect(solve(requestOfShot(shot)).findings[0].code).toBe("no-evidence");
  });
});
