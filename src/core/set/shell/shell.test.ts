import { describe, expect, test } from "@jest/globals";
import type { Vec3 } from "#core/math/vec3";
import { mix } from "#core/math/vec3";
import type { Work } from "#core/shot/edits";
import { makeEdit, takeStep } from "#core/shot/edits";
import { seeded } from "../../../testing/random.ts";
import { testShot } from "../../../testing/shots.ts";
import { faceArea, faceNormal, faceWarp, prismFaces, volume } from "../face.ts";
import { makePart } from "../parts/make.ts";
import { typedVertex } from "../vertex.ts";
import type { OnEdge } from "./cut.ts";
import { cutAround, cutFace } from "./cut.ts";
import { bridgeFaces, merged, mirrored, splitOff } from "./join.ts";
import type { Body } from "./make.ts";
import { bodyOf, faceOf, worldOf } from "./make.ts";
import { moveBy, moveFace, moveVertices } from "./move.ts";
import { cutHole, deleteFace, insetFace, pullFace } from "./pull.ts";
import { edgeUses, faults, openEdges, pieces, reachOf, sidesOf, tunnels } from "./topology.ts";
import { asShell, withBody } from "./turn.ts";

const BASE: Vec3[] = [
  [0, 0, 0],
  [4, 0, 0],
  [4, 3, 0],
  [0, 3, 0],
];
const box = (): Body => bodyOf(prismFaces(BASE, [0, 0, 2], true));
const volumeOf = (body: Body) => volume(Object.keys(body.faces).map((id) => faceOf(body, id)));
function done<T>(outcome: T | string): T {
  if (typeof outcome === "string") throw new Error(outcome);
  return outcome;
}
/** The edge of a face's border, by its number. */
const side = (body: Body, face: string, i: number, at = 0.5): OnEdge => {
  const ring = body.faces[face].rings[0];
  return { edge: [ring[i], ring[(i + 1) % ring.length]], at };
};

describe("operations of a shell", () => {
  test("a box is closed, of six faces over eight corners, without a tunnel (Euler's formula)", () => {
    const body = box();
    expect([Object.keys(body.vertices).length, edgeUses(body).size, Object.keys(body.faces).length]).toEqual([
      8, 12, 6,
    ]);
    expect(openEdges(body)).toEqual([]);
    expect(tunnels(body)).toBe(0);
    expect(volumeOf(body)).toBeCloseTo(24, 9);
  });

  test("pulled, a face keeps its id, has new sides, and what it sweeps is added", () => {
    const { body, sides } = done(pullFace(box(), "lid", 0.5));
    expect(sides).toHaveLength(4);
    expect(volumeOf(body)).toBeCloseTo(30, 9);
    expect(faults(body)).toEqual([]);
    expect(tunnels(body)).toBe(0);
    expect(worldOf(body, body.faces.lid.rings[0][0])[2]).toBeCloseTo(2.5, 9);
  });

  test("a roof: the lid cut between its gables and the ridge raised, which no wall has to follow", () => {
    const cut = done(cutFace(box(), "lid", side(box(), "lid", 0), side(box(), "lid", 2)));
    const ridge = Object.keys(cut.body.vertices).filter((id) => !box().vertices[id]);
    const { body, followed } = done(moveBy(cut.body, ridge, [0, 0, 1.2]));
    expect(followed).toEqual([]);
    // A prism over a gable: half of width times rise times length more.
    expect(volumeOf(body)).toBeCloseTo(24 + (4 * 1.2 * 3) / 2, 9);
    expect(faults(body)).toEqual([]);
    expect(Object.values(body.faces).filter((f) => f.rings[0].length === 5)).toHaveLength(2);
  });

  test("legs pulled from rectangles on the underside; the underside keeps holes for them", () => {
    let body = box();
    for (const [x, y] of [
      [0.2, 0.2],
      [3.5, 0.2],
    ]) {
      const inset = done(
        insetFace(body, "base", [
          [x, y, 0],
          [x + 0.3, y, 0],
          [x + 0.3, y + 0.3, 0],
          [x, y + 0.3, 0],
        ]),
      );
      body = done(pullFace(inset.body, inset.face, 0.7)).body;
    }
    expect(volumeOf(body)).toBeCloseTo(24 + 2 * 0.09 * 0.7, 9);
    expect(faceArea(faceOf(body, "base"))).toBeCloseTo(12 - 2 * 0.09, 9);
    expect(tunnels(body)).toBe(0);
    expect(openEdges(body)).toEqual([]);
  });

  test("cut around, a belt of four faces is halved where it is cut, and its rims can be moved out", () => {
    const { body, faces } = done(cutAround(box(), side(box(), "side-1", 1, 0.25)));
    expect(faces).toHaveLength(4);
    expect(faults(body)).toEqual([]);
    expect(tunnels(body)).toBe(0);
    const rim = Object.keys(body.vertices).filter((id) => Math.abs(worldOf(body, id)[2] - 0.5) < 1e-9);
    expect(rim).toHaveLength(4);
    expect(volumeOf(body)).toBeCloseTo(24, 9);
  });

  test("a moved corner takes along what must follow, by as little as that takes, and stays where it was put", () => {
    const start = box();
    const corner = Object.keys(start.vertices).find((id) => worldOf(start, id).join() === "4,3,2")!;
    const { body, followed } = done(moveVertices(start, new Map([[corner, [4.3, 3.1, 2.2] as Vec3]])));
    expect(worldOf(body, corner)).toEqual([4.3, 3.1, 2.2]);
    expect(followed.length).toBeGreaterThan(0);
    for (const id of Object.keys(body.faces)) {
      const face = faceOf(body, id);
      expect(faceWarp(face) / reachOf(face.rings[0])).toBeLessThan(1e-6);
    }
    // A tetrahedron's corners are free.
    const tetra = makePart(
      "t",
      "t",
      { kind: "block", base: BASE.slice(0, 3).map(typedVertex), height: 1, closed: true },
      "m",
    );
    expect(tetra.base).toHaveLength(3);
  });

  test("two faces bridged make a passage through, which Euler's formula counts", () => {
    const hole: Vec3[] = [
      [1, 1, 0],
      [2, 1, 0],
      [2, 2, 0],
      [1, 2, 0],
    ];
    const below = done(insetFace(box(), "base", hole));
    const both = done(
      insetFace(
        below.body,
        "lid",
        hole.map((p): Vec3 => [p[0], p[1], 2]),
      ),
    );
    const { body } = done(bridgeFaces(both.body, below.face, both.face));
    expect(tunnels(body)).toBe(1);
    expect(openEdges(body)).toEqual([]);
    expect(volumeOf(body)).toBeCloseTo(24 - 2, 9);
  });

  test("mirrored it faces outwards still; merged and split off again, both keep their faces", () => {
    const image = mirrored(box(), { normal: [1, 0, 0], offset: 4 });
    expect(volumeOf(image)).toBeCloseTo(24, 9);
    const { body, faces } = merged(box(), image);
    expect(pieces(body)).toBe(2);
    expect(tunnels(body)).toBe(0);
    const apart = done(splitOff(body, [...faces.values()]));
    expect(Object.keys(apart.body.faces)).toEqual(Object.keys(box().faces));
    expect(volumeOf(apart.off)).toBeCloseTo(24, 9);
  });

  test("what cannot be is said, and nothing changes", () => {
    const body = box();
    const before = JSON.stringify(body);
    expect(
      insetFace(
        body,
        "lid",
        BASE.map((p): Vec3 => [p[0], p[1], 2]),
      ),
    ).toMatch(/clear of its border/);
    expect(cutFace(body, "lid", side(body, "lid", 0), side(body, "lid", 0))).toMatch(/one side of the face to another/);
    expect(cutFace(body, "lid", side(body, "lid", 0, 0), side(body, "lid", 1, 0))).toMatch(/along a side/);
    expect(bridgeFaces(body, "lid", "side-1")).toMatch(/touch/);
    expect(pullFace(body, "gone", 1)).toMatch(/gone/);
    expect(moveFace(body, "lid", -2)).toMatch(/fold|inside out/);
    expect(JSON.stringify(body)).toBe(before);
  });

  test("a hole opens the shell along its rim only", () => {
    const body = done(
      cutHole(box(), "side-1", [
        [1, 0, 0.5],
        [2, 0, 0.5],
        [2, 0, 1.5],
        [1, 0, 1.5],
      ]),
    ).body;
    expect(openEdges(body)).toHaveLength(4);
    expect(faults(body)).toEqual([]);
  });

  test("turned into a shell, a part keeps faces, ids and the materials on them", () => {
    const part = makePart("room-1", "Room", { kind: "room", floor: BASE.map(typedVertex), height: 2.5 }, "boards");
    const own = { ...part, faceMaterials: { floor: "stone" } };
    const shell = asShell({ "room-1": own }, "room-1");
    if (typeof shell === "string") throw new Error(shell);
    expect(Object.keys(shell.faces).sort()).toEqual(["ceiling", "floor", "wall-1", "wall-2", "wall-3", "wall-4"]);
    expect(shell.faceMaterials).toEqual({ floor: "stone" });
    expect(faceNormal(faceOf(shell, "floor"))).toEqual([0, 0, 1]);
    const open = done(deleteFace(shell, "floor"));
    expect(withBody(shell, open.body).faceMaterials).toEqual({});
  });
});

/** One random operation that keeps a closed shell closed; null where it is refused. */
function randomStep(body: Body, random: () => number): { body: Body; opens: boolean } | null {
  const ids = Object.keys(body.faces);
  const face = ids[Math.floor(random() * ids.length)];
  const ring = body.faces[face].rings[0];
  const pick = Math.floor(random() * 6);
  const edge = (i: number, at: number): OnEdge => ({ edge: [ring[i], ring[(i + 1) % ring.length]], at });
  let outcome: { body: Body } | string;
  if (pick === 0) outcome = pullFace(body, face, 0.1 + 0.5 * random());
  else if (pick === 1) {
    const i = Math.floor(random() * ring.length);
    const j = (i + 1 + Math.floor(random() * (ring.length - 1))) % ring.length;
    outcome = cutFace(body, face, edge(i, 0.2 + 0.6 * random()), edge(j, 0.2 + 0.6 * random()));
  } else if (pick === 2) outcome = cutAround(body, edge(0, 0.2 + 0.6 * random()));
  else if (pick === 3) {
    const points = ring.map((id) => worldOf(body, id));
    const middle = points.reduce(
      (sum, p) => [sum[0] + p[0] / points.length, sum[1] + p[1] / points.length, sum[2] + p[2] / points.length] as Vec3,
      [0, 0, 0] as Vec3,
    );
    outcome = insetFace(
      body,
      face,
      points.map((p) => mix(middle, p, 0.3)),
    );
  } else if (pick === 4) outcome = moveFace(body, face, 0.3 * (random() - 0.3));
  else {
    const id = ring[Math.floor(random() * ring.length)];
    const world = worldOf(body, id).map((x) => x + 0.15 * (random() - 0.5)) as Vec3;
    outcome = moveVertices(body, new Map([[id, world]]));
  }
  return typeof outcome === "string" ? null : { body: outcome.body, opens: false };
}

test("1000 random sequences keep faces flat, the shell closed and without tunnels, and ids of what survives", () => {
  const random = seeded(12);
  const counts = { steps: 0, refused: 0 };
  for (let sequence = 0; sequence < 1000; sequence++) {
    let body = box();
    for (let step = 0; step < 4; step++) {
      const before = JSON.stringify(body);
      const next = randomStep(body, random);
      // What an operation is given is never changed: undo has the same bytes.
      expect(JSON.stringify(body)).toBe(before);
      counts.steps++;
      if (!next) {
        counts.refused++;
        continue;
      }
      for (const [id, { rings }] of Object.entries(next.body.faces)) {
        const face = faceOf(next.body, id);
        if (!(faceWarp(face) <= 1e-6 * reachOf(face.rings[0])))
          throw new Error(`face ${id} is off by ${faceWarp(face)} m`);
        for (const ring of rings) expect(sidesOf(ring)).toHaveLength(ring.length);
      }
      const uses = [...edgeUses(next.body).values()];
      expect(uses.every((faces) => faces.length === 2)).toBe(true);
      expect(tunnels(next.body)).toBe(0);
      for (const id of Object.keys(body.faces)) expect(next.body.faces[id]).toBeDefined();
      body = next.body;
    }
  }
  console.log(`${counts.steps} steps, ${counts.refused} refused`);
  expect(counts.refused).toBeLessThan(counts.steps / 2);
});

test("every operation, made as an edit and undone, gives the same document to the byte", () => {
  const random = seeded(7);
  const shot = testShot();
  shot.set["shell-1"] = makePart("shell-1", "Shell", { kind: "shell", ...box() }, "material-1");
  shot.set["post-1"] = makePart(
    "post-1",
    "Post",
    { kind: "post", foot: typedVertex([9, 9, 0]), axis: [0, 0, 1], radius: 0.1 },
    "material-1",
  );
  let work: Work = { shot, undo: [], redo: [] };
  for (let i = 0; i < 200; i++) {
    const part = work.shot.set["shell-1"];
    if (part.kind !== "shell") throw new Error("kind");
    const step = randomStep(part, random);
    if (!step) continue;
    const before = JSON.stringify(work.shot);
    const edit = makeEdit(work.shot, `e${i}`, "Shape", (d) => void (d.set["shell-1"] = withBody(part, step.body)));
    if (!edit) continue;
    const after = takeStep(work, { kind: "do", edit });
    const undone = takeStep(after, { kind: "undo", id: edit.id, step: `u${i}` });
    expect(JSON.stringify(undone.shot)).toBe(before);
    const redone = takeStep(undone, { kind: "redo", id: edit.id, step: `r${i}` });
    expect(JSON.stringify(redone.shot)).toBe(JSON.stringify(after.shot));
    // A body grows with every step: begin anew before it is large.
    work = Object.keys(step.body.faces).length > 60 ? { shot, undo: [], redo: [] } : { ...after, undo: [], redo: [] };
  }
});
