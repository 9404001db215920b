import { expect, test } from "@jest/globals";
import type { Vec3 } from "../../math/vec3.ts";
import { toDegrees } from "../../math/vec3.ts";
import { plainProp } from "../../props/schema.ts";
import type { Prop } from "../../props/schema.ts";
import type { SetRecord } from "../../set/parts/index.ts";
import { makePart } from "../../set/parts/make.ts";
import { typedVertex } from "../../set/vertex.ts";
import { lookAt } from "../../../testing/render.ts";
import { testShot } from "../../../testing/shots.ts";
import type { SitScene } from "../scene.ts";
import { unkept } from "../scene.ts";
import { contact, uprights } from "./contact.ts";

const crate = (position: Vec3, lean: [number, number] = [0, 0]): Prop => ({
  id: "prop-1",
  name: "Crate",
  source: { kind: "standIn", size: [1, 1, 1] },
  placement: { position, turnDeg: 0, leanDeg: lean, scale: [1, 1, 1] },
  keeps: "metres",
  ...plainProp(),
});
/** Ground, and a ramp of 10 degrees that rises along +Y from the origin on. */
const RISE = 3 * Math.tan((10 * Math.PI) / 180);
const face = (corners: Vec3[]) => ({ kind: "polygon" as const, vertices: corners.map(typedVertex), holes: [] });
const yard: SetRecord = {
  ground: makePart(
    "ground",
    "Ground",
    face([
      [-9, -9, 0],
      [9, -9, 0],
      [9, 0, 0],
      [-9, 0, 0],
    ]),
    "m",
  ),
  ramp: makePart(
    "ramp",
    "Ramp",
    face([
      [-9, 0, 0],
      [9, 0, 0],
      [9, 3, RISE],
      [-9, 3, RISE],
    ]),
    "m",
  ),
};
function sceneOf(prop: Prop): SitScene {
  const shot = { ...testShot(), set: yard, props: { [prop.id]: prop } };
  const camera = { ...lookAt([0, -8, 2], [0, 0, 0.5], 900), principal: [640, 400] as [number, number] };
  return { shot: { ...shot, solved: { camera } }, models: new Map(), scale: 1, known: unkept } as unknown as SitScene;
}

test("a crate upright on the ground stands, one that leans is named with how much", () => {
  expect(uprights.look(sceneOf(crate([0, -3, 0])))!.score).toBeLessThan(0.05);
  const line = uprights.look(sceneOf(crate([0, -3, 0], [4, 0])))!;
  // Four degrees over the tolerance of one and a half.
  expect(line.score).toBeCloseTo(4 / 1.5, 1);
  expect(line.tolerance).toBe("1.5°");
  expect(line.words).toContain("“Crate” leans 4.0°");
  expect(line.spot).toMatchObject({ width: 120, height: 120 });
  expect(uprights.look(sceneOf(crate([0, -3, 0], [0, -1])))!.score).toBeLessThan(1);
});

test("on a ramp it stands with the ramp's slope or upright in the world, and not the other way", () => {
  // Its foot in the middle of the ramp, leaned back as the ramp rises.
  const foot: Vec3 = [0, 1.5, RISE / 2];
  const along = crate(foot, [10, 0]);
  const against = crate(foot, [-10, 0]);
  const [a, b] = [along, against].map((prop) => uprights.look(sceneOf(prop))!.score!);
  expect(Math.min(a, b)).toBeLessThan(0.1);
  expect(Math.max(a, b)).toBeGreaterThan(2);
  // Upright as the plate's uprights are: only its contact is wrong.
  expect(uprights.look(sceneOf(crate(foot)))!.score).toBeLessThan(0.1);
  expect(toDegrees(Math.atan2(RISE, 3))).toBeCloseTo(10, 9);
});

test("what hangs is no matter of standing; what floats a little is one of contact alone", () => {
  expect(uprights.look(sceneOf(crate([0, -3, 1.2], [20, 0])))).toBeNull();
  const floating = sceneOf(crate([0, -3, 0.02]));
  expect(uprights.look(floating)!.score).toBeLessThan(0.05);
  expect(contact.look(floating)!.score).toBeGreaterThan(2);
  expect(contact.look(floating)!.words).toContain("floats 0.02");
});
