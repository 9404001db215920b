import { expect, test } from "@jest/globals";
import type { Vec3 } from "../math/vec3.ts";
import { plainProp } from "../props/schema.ts";
import { makePart } from "../set/parts/make.ts";
import { typedVertex } from "../set/vertex.ts";
import type { SkySpread } from "../light/schema.ts";
import { lookAt } from "../../testing/render.ts";
import { testShot } from "../../testing/shots.ts";
import { traceSceneOf } from "./scene.ts";

const at = (corners: Vec3[]) => corners.map(typedVertex);

/** A room with a window, two crates in it, and what the document says of its light. */
function room() {
  const shot = testShot();
  shot.solved = { camera: lookAt([2, 0.5, 1.5], [2, 4, 1]) } as never;
  shot.set.room = makePart(
    "room",
    "room",
    {
      kind: "room",
      floor: at([
        [0, 0, 0],
        [4, 0, 0],
        [4, 5, 0],
        [0, 5, 0],
      ]),
      height: 2.6,
    },
    shot.ground,
  );
  const [low, high] = at([
    [1.2, 5, 0.9],
    [2.8, 5, 2.1],
  ]);
  shot.set.window = makePart(
    "window",
    "window",
    { kind: "opening", on: { part: "room", face: "wall-3" }, corners: [low, high], depth: 0, pane: false },
    shot.ground,
  );
  for (const id of ["near", "far"])
    shot.props[id] = {
      id,
      name: id,
      source: { kind: "standIn", size: [1, 1, 1] },
      placement: { position: [2, 3, 0], turnDeg: 0, leanDeg: [0, 0], scale: [1, 1, 1] },
      keeps: "metres",
      ...plainProp(),
    };
  return shot;
}
const plate = { width: 8, height: 8, pixels: new Float32Array(8 * 8 * 3) };
const sceneOf = (shot: ReturnType<typeof room>) => traceSceneOf(shot, plate, new Map());

test("a room's openings reach the tracer as portals while the sky is on", () => {
  const shot = room();
  shot.light.sky.on = true;
  expect(sceneOf(shot).portals).toMatchObject([{ inwards: [0, -1, 0] }]);
  shot.light.sky.on = false;
  expect(sceneOf(shot).portals).toEqual([]);
});

test("what a light leaves out reaches the tracer with its prop, and no other", () => {
  const shot = room();
  shot.light.sky.except = ["far"];
  const props = Object.fromEntries(sceneOf(shot).props.map(({ name, unlit }) => [name, unlit]));
  expect(props).toEqual({ near: undefined, far: { sun: false, sky: true, lamps: [] } });
});

test("surroundings with a floor of their own leave out the endless ground, others do not", () => {
  const shot = room();
  expect(sceneOf(shot).floor).not.toBeNull();
  const spread: SkySpread = {
    kind: "picture",
    asset: "a".repeat(64),
    name: "yard.exr",
    turnDeg: 0,
    tiltDeg: 0,
    rollDeg: 0,
    flip: false,
    contrast: 1,
    blurDeg: 0,
    clippedAt: null,
    expandStops: 0,
    sunOut: false,
    extent: { kind: "dome", centre: [0, 0, 1.6], half: [8, 8, 1.6] },
  };
  shot.light.sky = { ...shot.light.sky, on: true, spread };
  expect(sceneOf(shot).floor).toBeNull();
  shot.light.sky = { ...shot.light.sky, spread: { ...spread, extent: { ...spread.extent!, kind: "sphere" } } };
  expect(sceneOf(shot).floor).not.toBeNull();
});
