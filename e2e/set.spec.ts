import { readFile } from "node:fs/promises";
import { NodeIO } from "@gltf-transform/core";
import { expect, test } from "@playwright/test";
import type { Vec2, Vec3 } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { projectPoint } from "#core/optics/camera";
import { facesOf } from "#core/set/faces";
import { measurePart } from "#core/set/sizes";
import { readingOf } from "#core/set/measures";
import { kindOf } from "#core/set/parts/index";
import { makePart } from "#core/set/parts/make";
import { rowWays } from "#core/set/parts/row";
import { typedVertex } from "#core/set/vertex";
import { faults, openEdges } from "#core/set/shell/topology";
import { placeGlb } from "../src/testing/glb.ts";
import * as loft from "../src/demo/netloft.ts";
import * as quay from "../src/demo/quay.ts";
import * as slip from "../src/demo/slipway.ts";
import { Desk } from "./desk.ts";
import { copyOfDemo, opened, withoutProps } from "./shots.ts";

test.use({ testIdAttribute: "data-test" });

/** Building the three places on their plates with the mouse, as a user does. */

/** Within a hundredth or two centimetres, whichever is more: as a user needs it. */
const near = (metres: number, truth: number) =>
  expect(Math.abs(metres - truth)).toBeLessThan(Math.max(0.02, 0.01 * truth));

class Builder {
  constructor(
    readonly desk: Desk,
    readonly camera: Camera,
  ) {}

  /** Clicks where world points are seen, with a tool. Nothing may draw them: the truth has its own corners. */
  async draw(tool: string, points: Vec3[]): Promise<void> {
    const { page } = this.desk;
    if (tool) await this.desk.tool(tool);
    for (const p of points) {
      await this.desk.approach(this.pixel(p), 4);
      await page.keyboard.down("Alt");
      await this.desk.click(this.pixel(p), 0);
      await page.keyboard.up("Alt");
    }
    await this.desk.fit();
  }

  pixel(p: Vec3): Vec2 {
    const pixel = projectPoint(this.camera, p);
    if (!pixel) throw new Error(`${p.join(", ")} is behind the camera`);
    return pixel;
  }
}

test("net loft: a room closed behind the camera, a window, a bench with legs, a chest, posts in a row", async ({
  page,
  request,
}) => {
  const id = await copyOfDemo(request, (copy) => void Object.assign(copy, { set: {}, props: {} }), "netloft");
  const desk = new Desk(page);
  await page.goto(`/shots/${id}/set`);
  await expect(page.getByTestId("tool-part-room")).toBeVisible();
  await page.waitForTimeout(600);
  const shot = async () => (await opened(request, id)).shot;
  const build = new Builder(desk, (await shot()).solved!.camera);
  const { room, bench } = loft;

  await build.draw("part-room", [
    [room.width, room.depth, 0],
    [0, room.depth, 0],
    [0, 4.9, 0],
    [room.width, room.depth, room.eaves],
  ]);
  await expect.poll(async () => Object.keys((await shot()).set)).toEqual(["room-1"]);
  const walls = (await shot()).set["room-1"];
  if (walls.kind !== "room") throw new Error("kind");
  near(walls.height, room.eaves);
  const floor = walls.floor.map((v) => v.world);
  near(Math.max(...floor.map((p) => p[0])) - Math.min(...floor.map((p) => p[0])), room.width);
  // Laid onto the floor's edges in the plate it stays the room that it is.
  await page.getByTestId("settle").click();
  await expect(page.getByText("sides of Room 1 lie on the plate's edges")).toBeVisible();
  const settled = (await shot()).set["room-1"];
  if (settled.kind !== "room") throw new Error("kind");
  const across = settled.floor.map((v) => v.world[0]);
  near(Math.max(...across) - Math.min(...across), room.width);
  // It holds the camera: closed by itself where nobody can see.
  expect(Math.min(...floor.map((p) => p[1]))).toBeLessThan(build.camera.position[1] - 0.9);

  await build.draw("part-opening", [
    [2.05, room.depth, 1.15],
    [3.2, room.depth, 2.2],
  ]);
  await expect.poll(async () => Object.keys((await shot()).set)).toContain("opening-1");
  const drawn = await shot();
  const gable = facesOf(drawn.set, "room-1").find((f) => f.rings.length > 1)!;
  const window = gable.rings[1];
  near(Math.max(...window.map((p) => p[0])) - Math.min(...window.map((p) => p[0])), 3.2 - 2.05);
  near(Math.max(...window.map((p) => p[2])) - Math.min(...window.map((p) => p[2])), 2.2 - 1.15);

  // The bench's top lies on a plane of its known height; the slab goes down from it.
  const { x0, x1, y0, y1, top, thick } = bench;
  await desk.type("Level plane at a height", "0.78");
  await build.draw("part-block", [
    [x0, y0, top],
    [x1, y0, top],
    [x1, y1, top],
    [x1, y1, top - thick],
  ]);
  await expect.poll(async () => Object.keys((await shot()).set)).toContain("block-1");
  await page.getByTestId("plane-free").click();
  await page.getByTestId("to-shell").click();
  const underside = async () => {
    const part = (await shot()).set["block-1"];
    return part.kind === "shell" ? part : null;
  };
  await expect.poll(async () => (await underside())?.kind).toBe("shell");
  // A leg: a rectangle on the underside, though the top hides it, pulled down to the floor.
  await page.getByTestId("face").click();
  await page.getByRole("option", { name: "lid" }).click();
  const z = top - thick;
  const leg: Vec3[] = [
    [x1 - 0.14, y0 + 0.05, z],
    [x1 - 0.05, y0 + 0.05, z],
    [x1 - 0.05, y0 + 0.14, z],
    [x1 - 0.14, y0 + 0.14, z],
  ];
  await build.draw("shell-inset", leg);
  await page.keyboard.press("Enter");
  await expect.poll(async () => Object.keys((await underside())!.faces)).toHaveLength(7);
  await desk.type("Pull by", "0.725");
  await expect.poll(async () => Object.keys((await underside())!.faces)).toHaveLength(11);
  const shell = (await underside())!;
  expect(faults(shell)).toEqual([]);
  expect(openEdges(shell)).toEqual([]);
  const of = measurePart((await shot()).set, shell);
  near(of.extent[2], top);
  near(of.extent[0], x1 - x0);
  near(of.extent[1], y1 - y0);

  // A sea chest on the floor, measured.
  await page.keyboard.press("Escape");
  const chest: Vec3 = [0.5, 0.45, 0.4];
  const [cx, cy] = [3.75, 4.4];
  await build.draw("part-block", [
    [cx, cy, 0],
    [cx + chest[0], cy, 0],
    [cx + chest[0], cy + chest[1], 0],
    [cx + chest[0], cy + chest[1], chest[2]],
  ]);
  await expect.poll(async () => Object.keys((await shot()).set)).toContain("block-2");
  await page.getByTestId("drawer-measure").click();
  await expect(page.getByTestId("sizes")).toContainText(/volume0\.09\d m³ ± /);
  const set = (await shot()).set;
  measurePart(set, set["block-2"]).extent.forEach((x, k) => near(x, chest[k]));
  // Its tag stands beside it on the plate: a number typed there is the chest's.
  await page.getByTestId("tag").getByLabel("Block 2, height").fill("45 cm");
  await page.getByTestId("tag").getByLabel("Block 2, height").press("Enter");
  await expect
    .poll(async () => {
      const part = (await shot()).set["block-2"];
      return part.kind === "block" ? Math.abs(part.height) : 0;
    })
    .toBeCloseTo(0.45, 9);

  // Posts in a row, at the uneven steps that were marked.
  await page.getByTestId("drawer-build").click();
  const post: Vec3 = [0.6, 4.4, 0];
  await build.draw("part-post", [post, [0.66, 4.4, 0], [0.6, 4.4, 1.4]]);
  await expect.poll(async () => Object.keys((await shot()).set)).toContain("post-1");
  await build.draw("part-row", [post, [1.2, 4.4, 0], [1.95, 4.45, 0]]);
  await page.keyboard.press("Enter");
  await expect.poll(async () => Object.keys((await shot()).set)).toContain("row-1");
  const row = (await shot()).set["row-1"];
  if (row.kind !== "row") throw new Error("kind");
  near(rowWays(row)[0][0], 0.6);
  near(rowWays(row)[1][0], 1.35);
  expect(facesOf((await shot()).set, "row-1").length).toBe(2 * facesOf((await shot()).set, "post-1").length);
  expect(row.copies.every(({ foot }) => foot.pixel !== null)).toBe(true);
  // The chest ends the row; its step is told with what the clicks leave open.
  await page.getByLabel("end piece").click();
  await page.getByRole("option", { name: "Block 2" }).click();
  await expect
    .poll(async () => facesOf((await shot()).set, "row-1").filter((f) => f.id.startsWith("2.")).length)
    .toBe(6);
  await page.getByTestId("drawer-measure").click();
  await expect(page.getByTestId("sizes")).toContainText(/step0\.6\d+ m ± 0\.0\d+ m/);
  await expect(page.getByTestId("tally")).toContainText("of them3");
  await page.getByTestId("drawer-build").click();

  // Every step is one edit, and back is back to the byte.
  const before = JSON.stringify((await shot()).set);
  await page.keyboard.press("Control+z");
  await page.keyboard.press("Control+z");
  await expect.poll(async () => Object.keys((await shot()).set)).not.toContain("row-1");
  await page.keyboard.press("Control+Shift+z");
  await page.keyboard.press("Control+Shift+z");
  await expect.poll(async () => JSON.stringify((await shot()).set)).toBe(before);
});

test("slipway: the two side walls stand on the ramp's edges", async ({ page, request }) => {
  const id = await copyOfDemo(
    request,
    (copy) => {
      withoutProps(copy);
      for (const part of Object.keys(copy.set)) if (part.startsWith("wall")) delete copy.set[part];
    },
    "slipway",
  );
  const desk = new Desk(page);
  await page.goto(`/shots/${id}/set`);
  await expect(page.getByTestId("tool-part-wall")).toBeVisible();
  await page.waitForTimeout(600);
  const shot = async () => (await opened(request, id)).shot;
  const camera = (await shot()).solved!.camera;
  const w = slip.HALF_WIDTH;
  for (const [name, x, y] of [
    ["wall-1", w, 8],
    ["wall-2", -w, 4],
  ] as const) {
    await desk.tool("part-wall");
    await desk.click(projectPoint(camera, [x, y, 0]) as Vec2, 4);
    // One end of the side lies behind the camera: any place above it gives the height.
    await desk.click(projectPoint(camera, [x, y, 1.2]) as Vec2, 4);
    await expect.poll(async () => (await shot()).set[name]?.kind).toBe("wall");
    const wall = (await shot()).set[name];
    if (wall.kind !== "wall") throw new Error("kind");
    expect(wall.on?.part).toBe("polygon-1");
    near(wall.heights[0], 1.2);
    const faces = facesOf((await shot()).set, name);
    for (const corner of faces[0].rings[0]) expect(Math.abs(Math.abs(corner[0]) - w)).toBeLessThan(0.05);
  }
});

test("quay: the ice house as a block, its lid cut and the ridge raised to a gable roof", async ({ page, request }) => {
  const id = await copyOfDemo(request, (copy) => {
    withoutProps(copy);
    delete copy.set["block-1"];
  });
  const desk = new Desk(page);
  await page.goto(`/shots/${id}/set`);
  await expect(page.getByTestId("tool-part-block")).toBeVisible();
  await page.waitForTimeout(600);
  const shot = async () => (await opened(request, id)).shot;
  const build = new Builder(desk, (await shot()).solved!.camera);
  const { width, depth, eaves, ridge } = quay.iceHouse;
  await build.draw("part-block", [
    [0, 0, 0],
    [width, 0, 0],
    [width, depth, 0],
    [width, depth, eaves],
  ]);
  await expect.poll(async () => (await shot()).set["block-1"]?.kind).toBe("block");
  const block = (await shot()).set["block-1"];
  near(measurePart((await shot()).set, block).extent[0], width);
  await desk.tool("shell-cut");
  await desk.click(build.pixel([width / 2, 0, eaves]), 0);
  await desk.click(build.pixel([width / 2, depth, eaves]), 0);
  const house = async () => {
    const part = (await shot()).set["block-1"];
    return part.kind === "shell" ? part : null;
  };
  await expect.poll(async () => Object.keys((await house())?.faces ?? {})).toHaveLength(7);
  await page.keyboard.press("Escape");
  // The cut has a handle in its middle: pulled up, it is the ridge.
  const set = (await shot()).set;
  const cut = kindOf(set["block-1"])
    .handles(set["block-1"], set)
    .find(
      (h) =>
        h.key.startsWith("edge") &&
        Math.abs(h.at[0] - width / 2) < 0.1 &&
        h.at[1] > 0.2 &&
        h.at[1] < depth - 0.2 &&
        h.at[2] > 1,
    )!;
  await desk.drag(build.pixel(cut.at), build.pixel([cut.at[0], cut.at[1], ridge]));
  await expect
    .poll(async () => measurePart((await shot()).set, (await house())!).extent[2])
    .toBeGreaterThan(ridge - 0.1);
  const done = (await house())!;
  near(measurePart((await shot()).set, done).extent[2], ridge);
  expect(faults(done)).toEqual([]);

  // What the camera sees of it, as a texture on the model.
  await page.getByTestId("drawer-surfaces").click();
  const [download] = await Promise.all([page.waitForEvent("download"), page.getByTestId("bake").click()]);
  const model = await new NodeIO().readBinary(new Uint8Array(await readFile(await download.path())));
  expect(model.getRoot().listTextures()[0].getSize()).toEqual([2048, 2048]);
  expect(model.getRoot().listMeshes()).toHaveLength(1);
  // A role, a material of its own, and a colour off the plate.
  await page.getByTestId("role-solid").click();
  await expect.poll(async () => (await shot()).set["block-1"].flags.seen).toBe(false);
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await shot()).set["block-1"].flags.seen).toBe(true);
  await page.getByTestId("material-new").click();
  await page.getByRole("option", { name: "Plaster" }).click();
  await expect.poll(async () => (await shot()).materials[(await shot()).set["block-1"].material].name).toBe("Plaster");
  await desk.fit();
  await desk.tool("pick-material");
  await desk.drag(build.pixel([0, 5, 1.2]), build.pixel([0, 4.6, 1.0]));
  const source = async () => (await shot()).materials[(await shot()).set["block-1"].material].albedo;
  await expect.poll(async () => (await source()).source).toMatch(/the plate at/);
  // Limewash: the albedo of its texture is 0.5, 0.46, 0.4.
  (await source()).colour.forEach((c, k) => expect(Math.abs(c - [0.5, 0.46, 0.4][k])).toBeLessThan(0.2));
});

test("a model of the place as set: materials and roles by mesh, drawn on and measured, there again after a reload", async ({
  page,
  request,
}) => {
  const demo = (await opened(request, await copyOfDemo(request, undefined, "netloft"))).shot;
  const room = facesOf(demo.set, "room-1");
  const glb = await placeGlb([
    { name: "floor", colour: [0.25, 0.2, 0.15], faces: room.filter((f) => f.id === "floor") },
    { name: "walls", colour: [0.6, 0.58, 0.5], faces: room.filter((f) => f.id !== "floor") },
  ]);
  const id = await copyOfDemo(request, (copy) => void Object.assign(copy, { set: {}, props: {} }), "netloft");
  const desk = new Desk(page);
  await page.goto(`/shots/${id}/set`);
  await expect(page.getByTestId("tool-part-room")).toBeVisible();
  const shot = async () => (await opened(request, id)).shot;
  await page.getByTestId("place-file").setInputFiles({ name: "loft.glb", mimeType: "", buffer: Buffer.from(glb) });
  await expect.poll(async () => (await shot()).set["model-1"]?.kind).toBe("model");
  const part = async () => (await shot()).set["model-1"];
  const materials = (await shot()).materials;
  expect(materials[(await part()).faceMaterials["2"]]).toMatchObject({
    name: "walls",
    albedo: { colour: [expect.closeTo(0.6, 6), expect.closeTo(0.58, 6), expect.closeTo(0.5, 6)] },
  });

  await page.getByTestId("drawer-surfaces").click();
  await page.getByTestId("mesh").click();
  await page.getByRole("option", { name: "walls" }).click();
  await page.getByTestId("role-blocker").click();
  await expect.poll(async () => (await part()).faceFlags["2"]?.catches).toBe(false);
  await expect(page.getByTestId("coverage")).toContainText(/the plate shows \d+ %/);
  // A mirror ball stands in the proof in place of the props, and goes again; no prop of the document changes.
  const props = JSON.stringify((await shot()).props);
  await page.getByTestId("ball-hidden").click();
  await expect(page.getByTestId("proof-picture")).toBeVisible({ timeout: 300_000 });
  await page.getByTestId("ball-off").click();
  await expect(page.getByTestId("proof-picture")).toBeHidden();
  expect(JSON.stringify((await shot()).props)).toBe(props);
  expect((await part()).flags.catches).toBe(true);

  // Along the gable's foot, from the model's own corner to its other one.
  await page.reload();
  await page.getByTestId("drawer-measure").click();
  const { camera } = (await shot()).solved!;
  const { width, depth } = loft.room;
  await desk.tool("measure-length");
  for (const corner of [
    [0, depth, 0],
    [width, depth, 0],
  ] as Vec3[])
    await desk.click(projectPoint(camera, corner)!, 2);
  await expect.poll(async () => Object.keys((await shot()).measures)).toEqual(["measure-1"]);
  const { points } = (await shot()).measures["measure-1"];
  near(
    readingOf(
      "length",
      points.map((p) => p.world),
    ).value,
    width,
  );
  await expect(page.getByTestId("measure-1")).toContainText("±");
  // A light-hearted file is refused with a sentence, and nothing is lost.
  await page.getByTestId("drawer-build").click();
  await page
    .getByTestId("place-file")
    .setInputFiles({ name: "notes.glb", mimeType: "", buffer: Buffer.from("no model at all, only words") });
  await expect(page.getByText("“notes.glb” is no model that can be read")).toBeVisible();
  expect(Object.keys((await shot()).set)).toEqual(["model-1"]);
});

test("a face is pulled until its side lies on the plate's own edge; numbers are typed while dragging, Tab to the next", async ({
  page,
  request,
}) => {
  const { bench } = loft;
  const corner = (x: number, y: number) => typedVertex([x, y, 0]);
  const shape = {
    kind: "block" as const,
    base: [
      corner(bench.x0, bench.y0),
      corner(bench.x1, bench.y0),
      corner(bench.x1, bench.y1),
      corner(bench.x0, bench.y1),
    ],
    height: bench.top - 0.12,
    closed: true,
  };
  const id = await copyOfDemo(
    request,
    (copy) => {
      withoutProps(copy);
      copy.set = { "block-1": makePart("block-1", "Bench", shape, copy.ground) };
    },
    "netloft",
  );
  const desk = new Desk(page);
  await page.goto(`/shots/${id}/set`);
  await expect(page.getByTestId("tool-shell-face")).toBeVisible();
  await page.waitForTimeout(600);
  const shot = async () => (await opened(request, id)).shot;
  const part = async () => (await shot()).set["block-1"];
  const camera = (await shot()).solved!.camera;
  const at = (p: Vec3) => projectPoint(camera, p)!;
  const middle = (bench.x0 + bench.x1) / 2;
  await page.getByTestId("part-block-1").click();
  await desk.tool("shell-face");
  // Grabbed just behind its front side, and let go three pixels beside the bench's real edge.
  const low = at([middle, bench.y0 + 0.01, bench.top - 0.12]);
  const high = at([middle, bench.y0, bench.top]);
  await desk.drag(low, [high[0], high[1] + 3]);
  await expect.poll(async () => (await part()).kind).toBe("shell");
  expect(Math.abs(measurePart((await shot()).set, await part()).extent[2] - bench.top)).toBeLessThan(0.01);

  // A corner of its base: 30 cm along X and −5 cm along Y, typed while it is held.
  await page.keyboard.press("Escape");
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await part()).kind).toBe("block");
  const [x, y] = await desk.screen(at([bench.x0, bench.y0, 0]));
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x + 30, y + 4, { steps: 3 });
  await page.keyboard.type("0.3");
  await page.keyboard.press("Tab");
  await page.keyboard.type("-5 cm");
  await expect(page.getByTestId("ways")).toContainText("Y -5 cm …");
  await page.mouse.up();
  await expect
    .poll(async () => {
      const block = await part();
      return block.kind === "block" ? block.base[0].world.map((c) => Number(c.toFixed(6))) : null;
    })
    .toEqual([bench.x0 + 0.3, bench.y0 - 0.05, 0].map((c) => Number(c.toFixed(6))));
});
