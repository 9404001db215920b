import { expect, test } from "@jest/globals";
import type { Vec3 } from "#core/math/vec3";
import { makePart } from "#core/set/parts/make";
import type { SetRecord } from "#core/set/parts/index";
import { kindOf } from "#core/set/parts/index";
import { bodyOf } from "#core/set/shell/make";
import { setPieces } from "#core/set/pieces";
import { roomOpenings } from "#core/set/portals";
import { typedVertex } from "#core/set/vertex";
import type { Picture, TraceScene } from "#core/trace/scene";
import * as L from "#kernel/layout";
import { SIZE, emptyScene, lookAt } from "../testing/render.ts";
import { testShot } from "../testing/shots.ts";
import { renderScene } from "./renderScene.ts";

/** A room of 4 x 5 x 2.6 m with a window in its far wall, 1.6 m wide, from 0.9 to 2.1 m. */
function room(floorAlbedo: number, wallAlbedo: number) {
  const shot = testShot();
  const floor = (
    [
      [0, 0, 0],
      [4, 0, 0],
      [4, 5, 0],
      [0, 5, 0],
    ] as Vec3[]
  ).map(typedVertex);
  const walls = makePart("room", "room", { kind: "room", floor, height: 2.6 }, shot.ground);
  const corners = (
    [
      [1.2, 5, 0.9],
      [2.8, 5, 2.1],
    ] as Vec3[]
  ).map(typedVertex);
  const window = makePart(
    "window",
    "window",
    { kind: "opening", on: { part: "room", face: "wall-3" }, corners: [corners[0], corners[1]], depth: 0, pane: false },
    shot.ground,
  );
  const set: SetRecord = { room: { ...walls, faceMaterials: { floor: "floor" } }, window };
  const material = shot.materials[shot.ground];
  const grey = (id: string, share: number) => {
    const colour: Vec3 = [share, share, share];
    return { ...material, id, specular: 0, albedo: { ...material.albedo, colour } };
  };
  const materials = { [shot.ground]: grey(shot.ground, wallAlbedo), floor: grey("floor", floorAlbedo) };
  return { ...shot, set, materials };
}

/** A patch of its floor 3 m before the window as the tracer sees it from above. */
const floorOf = (shot: ReturnType<typeof room>, environment: Picture | null): TraceScene => ({
  ...emptyScene(lookAt([2, 2, 2.5], [2, 2, 0])),
  picture: true,
  set: setPieces(shot).map((piece) => ({ ...piece, flags: { ...piece.flags, catches: false } })),
  sky: [1, 1, 1],
  environment,
});

/** Mean radiance, and the variance of one sample. */
async function measured(scene: TraceScene, samples: number, maxDepth: number) {
  const settings = { width: SIZE, height: SIZE, seed: 7, maxDepth };
  const { pixels, layout } = await renderScene(scene, settings, { samples, threads: 2 });
  const values = Array.from({ length: SIZE * SIZE }, (_, i) => pixels[i * layout.stride + L.FILM_PROP + 1] / samples);
  const mean = values.reduce((sum, x) => sum + x, 0) / values.length;
  const variance = values.reduce((sum, x) => sum + (x - mean) ** 2, 0) / (values.length - 1);
  return { mean, variance: variance * samples, sigma: Math.sqrt(variance / values.length) };
}

/**
 * Share of a level element's hemisphere that an upright rectangle takes whose lower corner stands level with it: plane
 * element to a rectangle in a plane at 90° (Howell, A Catalog of Radiation Heat Transfer Configuration Factors, B-4; from
 * memory). Metres: across, up, and away.
 */
const factor = (a: number, h: number, c: number) =>
  (Math.atan(a / c) - (c / Math.hypot(h, c)) * Math.atan(a / Math.hypot(h, c))) / (2 * Math.PI);

test("a window's light on the floor is what the catalogue says, with the portal and without, and with far less noise", async () => {
  const shot = room(0.5, 0);
  const scene = floorOf(shot, null);
  const direct = 0.5 * 2 * (factor(0.8, 2.1, 3) - factor(0.8, 0.9, 3));
  const without = await measured(scene, 1024, 2);
  const withPortal = await measured({ ...scene, portals: roomOpenings(shot.set) }, 1024, 2);
  expect(Math.abs(withPortal.mean / direct - 1)).toBeLessThan(0.001);
  expect(Math.abs(without.mean - direct)).toBeLessThan(4 * without.sigma);
  // Samples at equal noise.
  expect(without.variance / withPortal.variance).toBeGreaterThan(400);
});

test("under a sky of its own brightness and among bright walls the same light comes in, with less noise", async () => {
  const shot = room(0.6, 0.6);
  const [width, height] = [32, 16];
  const pixels = Float32Array.from({ length: width * height * 3 }, (_, i) => {
    const [x, y] = [Math.floor(i / 3) % width, Math.floor(i / 3 / width)];
    return y < height / 2 ? 0.4 + (x > 12 && x < 18 ? 3 : 0) * (y / height) : 0.1;
  });
  const scene = floorOf(shot, { width, height, pixels });
  const [without, withPortal] = [
    await measured(scene, 2048, 30),
    await measured({ ...scene, portals: roomOpenings(shot.set) }, 512, 30),
  ];
  const sigma = Math.hypot(without.sigma, withPortal.sigma);
  expect(Math.abs(without.mean - withPortal.mean)).toBeLessThan(4 * sigma);
  expect(without.variance / withPortal.variance).toBeGreaterThan(10);
});

test("only what lets outside light into a room is a portal", () => {
  const { set } = room(0.5, 0.5);
  expect(roomOpenings(set)).toMatchObject([{ id: "window", inwards: [0, -1, 0], low: [0, 0, 0], high: [4, 5, 2.6] }]);
  const { window } = set;
  expect(roomOpenings({ ...set, window: { ...window, pane: true } as typeof window })).toEqual([]);
  expect(roomOpenings({ ...set, window: { ...window, muted: true } })).toEqual([]);
  const body = bodyOf(kindOf(set.room).faces(set.room, {}));
  const shell = { ...makePart("room", "room", { kind: "shell", ...body }, "m"), flags: set.room.flags };
  const host = Object.keys(body.faces).find((id) => id === "wall-3")!;
  expect(host).toBe("wall-3");
  expect(roomOpenings({ ...set, room: shell })).toMatchObject([{ id: "window", inwards: [0, -1, 0] }]);
  const open = { ...set.room, flags: { ...set.room.flags, blocks: false } };
  expect(roomOpenings({ ...set, room: open })).toEqual([]);
});
