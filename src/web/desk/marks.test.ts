import { describe, expect, test } from "@jest/globals";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { newEdge, newLength } from "#core/match/schema";
import type { Shot } from "#core/shot/schema";
import { testShot } from "../../testing/shots.ts";
import { edgeLetter, edgeTone, edgeWord } from "./edgeWords.ts";
import { facetsOf, wallsOf } from "./facets.ts";
import { makePart } from "#core/set/parts/make";
import { typedVertex } from "#core/set/vertex";
import { deletion } from "./deletion.ts";
import { handleAt } from "./handles/handle.ts";
import { handlesOf } from "./handles/index.ts";
import type { Loose } from "./handles/loose.ts";
import { freshId } from "./ids.ts";

function shotOf(): Shot {
  const shot = testShot();
  shot.edges["edge-1"] = newEdge("edge-1", "x", [
    [100, 100],
    [200, 100],
  ]);
  shot.edges["edge-2"] = newEdge("edge-2", "z", [
    [300, 300],
    [300, 200],
    [302, 100],
  ]);
  shot.lengths["length-1"] = newLength("length-1", [50, 400], [50, 300]);
  shot.ties["tie-1"] = { id: "tie-1", plate: "main", pixel: [400, 50], world: [1, 2, 3], muted: false };
  shot.horizon["horizon-1"] = { id: "horizon-1", plate: "main", pixel: [500, 240] };
  shot.gauges["tape-1"] = {
    id: "tape-1",
    plate: "main",
    kind: "tape",
    points: [
      [10, 10],
      [60, 10],
    ],
  };
  shot.origin = [320, 400];
  return shot;
}
const loose = (change: Partial<Loose> = {}): Loose => ({
  trial: null,
  setTrial: () => undefined,
  stand: null,
  setStand: () => undefined,
  ...change,
});
const handles = (shot: Shot, with_: Loose = loose()) =>
  handlesOf("camera", {
    shot,
    camera: null,
    sight: null,
    chosen: { selected: null, face: null, axis: null },
    box: false,
    heights: new Map(),
    rose: false,
    propHands: { over: () => null, turn: () => undefined, pivot: null },
    loose: with_,
    matte: null,
    grain: false,
  });

describe("what can be grabbed", () => {
  test("ends and bodies of edges, lengths, ties, horizon, gauges and the origin; nothing of a locked edge", () => {
    const shot = shotOf();
    const keys = handles(shot).map((h) => h.key);
    for (const key of [
      "edge-1.0",
      "edge-1",
      "edge-2.2",
      "edge-2-1",
      "length-1.to",
      "tie-1",
      "horizon-1",
      "tape-1.1",
      "origin",
    ])
      expect(keys).toContain(key);
    shot.edges["edge-1"].locked = true;
    expect(handles(shot).some((h) => h.owner === "edge-1")).toBe(false);
    expect(deletion(shot, "edge-1")).toBeNull();
  });

  test("dragging a body moves the whole edge, an end only itself", () => {
    const shot = shotOf();
    const find = (key: string) => handles(shot).find((h) => h.key === key)!;
    find("edge-2").drag(shot, [0, 0], [5, -3]);
    expect(shot.edges["edge-2"].points).toEqual([
      [305, 297],
      [305, 197],
      [307, 97],
    ]);
    find("edge-1.1").drag(shot, [210, 90], [0, 0]);
    expect(shot.edges["edge-1"].points).toEqual([
      [100, 100],
      [210, 90],
    ]);
    find("tie-1").drag(shot, [401, 51], [0, 0]);
    expect(shot.ties["tie-1"].pixel).toEqual([401, 51]);
  });

  test("an edge that is tried elsewhere moves without touching the shot", () => {
    const shot = shotOf();
    const before = structuredClone(shot);
    let points: Vec2[] = [
      [0, 0],
      [10, 0],
    ];
    const at = () => loose({ trial: { axis: "x", points }, setTrial: (p) => (points = p) });
    handles(shot, at())
      .find((h) => h.key === "trial")!
      .drag(shot, [0, 0], [3, 4]);
    expect(points).toEqual([
      [3, 4],
      [13, 4],
    ]);
    handles(shot, at())
      .find((h) => h.key === "trial.1")!
      .drag(shot, [20, 8], [0, 0]);
    expect(points).toEqual([
      [3, 4],
      [20, 8],
    ]);
    expect(shot).toEqual(before);
  });

  test("points win over bodies, and beyond reach there is nothing", () => {
    const all = handles(shotOf());
    expect(handleAt(all, [101, 101], 8)?.key).toBe("edge-1.0");
    expect(handleAt(all, [150, 102], 8)?.key).toBe("edge-1");
    expect(handleAt(all, [150, 140], 8)).toBeNull();
  });

  test("everything that is marked can be deleted by its id; ids are never used twice", () => {
    const shot = shotOf();
    for (const id of ["edge-1", "length-1", "tie-1", "horizon-1", "tape-1", "origin"]) {
      const gone = deletion(shot, id)!;
      gone.change(shot);
      expect(deletion(shot, id)).toBeNull();
    }
    expect(freshId("edge", shot.edges)).toBe("edge-1");
    expect(freshId("edge", { "edge-1": 0, "edge-2": 0 })).toBe("edge-3");
  });
});

describe("the set as facets", () => {
  test("a block has its sides and its lid, a wall itself, and flat ground only its face", () => {
    const shot = shotOf();
    const vertices = (
      [
        [0, 0, 0],
        [2, 0, 0],
        [2, 1, 0],
        [0, 1, 0],
      ] as Vec3[]
    ).map(typedVertex);
    const block = { kind: "block" as const, base: vertices, height: 1, closed: false };
    shot.set = { "block-1": makePart("block-1", "Block", block, "material-1", "blocker") };
    expect(wallsOf(shot.set)).toHaveLength(4);
    expect(facetsOf(shot.set)).toHaveLength(5);
    expect(facetsOf(shot.set)[4].plane.offset).toBeCloseTo(1, 9);
    const on = { part: "ground-1", face: "face", side: 0 };
    shot.set = {
      "ground-1": makePart("ground-1", "Ground", { kind: "polygon", vertices, holes: [] }, "material-1"),
      "wall-1": makePart("wall-1", "Wall", { kind: "wall", on, foot: null, heights: [2, 2], thick: 0 }, "material-1"),
    };
    expect(wallsOf(shot.set)).toHaveLength(1);
    expect(facetsOf(shot.set)).toHaveLength(2);
  });
});

test("an edge's direction in words", () => {
  expect(edgeWord("z")).toBe("upright edge");
  expect(edgeWord("x")).toBe("edge along X");
  expect(edgeWord("level:quay")).toBe("level edge “quay”");
  expect(edgeWord("free:curve-2")).toBe("curved edge");
  expect(edgeLetter("any")).toBe("?");
  expect(edgeTone("level:A")).toBe("axis-own");
});
