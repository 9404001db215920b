import { describe, expect, test } from "@jest/globals";
import * as v from "valibot";
import { shineLike } from "#core/light/alike";
import { newLamp, newProbe } from "#core/light/schema";
import { newEdge } from "#core/match/schema";
import { makePart } from "#core/set/parts/make";
import { ShotSchema } from "#core/shot/schema";
import { danglingFindings } from "#core/shot/references";
import { typedVertex } from "#core/set/vertex";
import { boxProp, testShot } from "../../testing/shots.ts";
import { deletion } from "./deletion.ts";

/** A floor, a box on the floor that one lamp leaves out, lamps that shine alike, a probe and an edge. */
function furnished() {
  const shot = testShot(96, 64);
  const corner = (x: number, y: number) => typedVertex([x, y, 0]);
  const vertices = [corner(-4, 0), corner(4, 0), corner(4, 6), corner(-4, 6)];
  shot.set.floor = makePart("floor", "Floor", { kind: "polygon", vertices, holes: [] }, Object.keys(shot.materials)[0]);
  shot.props["prop-1"] = { ...boxProp([0, 2, 0], 1), stands: { on: "face", part: "floor", face: "face" } };
  for (const id of ["lamp-1", "lamp-2", "lamp-3"]) shot.light.lamps[id] = newLamp(id, "rectangle", [0, 1, 2]);
  shot.light.lamps["lamp-2"].except = ["prop-1"];
  for (const id of ["lamp-2", "lamp-3"]) shineLike(shot.light.lamps, id, "lamp-1");
  shot.light.probes["probe-1"] = newProbe("probe-1", [40, 50], 4, "as set");
  shot.edges["edge-1"] = newEdge("edge-1", "x", [
    [10, 10],
    [80, 12],
  ]);
  return shot;
}

describe("deleting a thing by its id", () => {
  test.each(["floor", "prop-1", "lamp-1", "lamp-2", "probe-1", "edge-1"])(
    "%s: it is gone, nothing points at it, and the document is still one",
    (id) => {
      const shot = furnished();
      const gone = deletion(shot, id)!;
      expect(gone.name).toMatch(/^Delete /);
      gone.change(shot as never);
      expect(JSON.stringify(shot)).not.toContain(`"${id}"`);
      expect(danglingFindings(shot)).toEqual([]);
      const { issues = [] } = v.safeParse(ShotSchema, shot);
      expect(issues.map((issue) => `${v.getDotPath(issue)}: ${issue.message}`)).toEqual([]);
    },
  );

  test("of a locked edge, or of what is not there, nothing is deleted", () => {
    const shot = furnished();
    shot.edges["edge-1"].locked = true;
    expect(deletion(shot, "edge-1")).toBeNull();
    expect(deletion(shot, "origin")).toBeNull();
    expect(deletion(shot, "nobody")).toBeNull();
  });
});
