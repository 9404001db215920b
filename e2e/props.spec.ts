import { createHash } from "node:crypto";
import { copyFile, mkdir, mkdtemp, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";
import type { Page } from "@playwright/test";
import { expect, test } from "@playwright/test";
import { unzipSync } from "fflate";
import sharp from "sharp";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { distance } from "#core/math/vec3";
import { projectPoint } from "#core/optics/camera";
import { BOX_SIDES } from "#core/props/skin";
import { pickFace } from "#core/set/pick";
import { typedVertex } from "#core/set/vertex";
import { makePart } from "#core/set/parts/make";
import type { Shot } from "#core/shot/schema";
import { demoFile } from "../src/demo/shot.ts";
import * as loft from "../src/demo/netloft.ts";
import { boxPly, boxStl, compressedGlb, crateZip } from "../src/testing/modelFiles.ts";
import { Desk } from "./desk.ts";
import { copyOfDemo, opened } from "./shots.ts";

test.use({ testIdAttribute: "data-test" });

/** Props as a user brings, makes, places and dresses them, with the mouse. */

const drop = (page: Page, name: string, buffer: Uint8Array | string) =>
  page.getByTestId("model-file").setInputFiles({ name, mimeType: "", buffer: Buffer.from(buffer) });

const begun = async (page: Page, id: string) => {
  await page.goto(`/shots/${id}/props`);
  await expect(page.getByTestId("add-box")).toBeVisible();
  await page.waitForTimeout(600);
};

test("whatever is sent comes in: a zip of OBJ, STL in millimetres, PLY with colours, Draco and meshopt", async ({
  page,
  request,
}) => {
  const id = await copyOfDemo(request, (copy) => void (copy.props = {}));
  const shot = async () => (await opened(request, id)).shot;
  const named = async (name: string) => Object.values((await shot()).props).find((p) => p.name === name);
  await begun(page, id);

  // Without its picture it is named, and left; with it the unit is asked.
  await drop(page, "crate.zip", await crateZip(false));
  await expect(page.getByTestId("missing")).toContainText("textures/planks.png");
  await page.getByTestId("import-leave").click();
  expect(Object.keys((await shot()).props)).toEqual([]);
  await drop(page, "crate.zip", await crateZip());
  await expect(page.getByTestId("unit-centimetres")).toContainText("0.600 m × 0.450 m × 0.400 m");
  await page.getByTestId("unit-centimetres").click();
  await page.getByTestId("import-go").click();
  await expect.poll(async () => (await named("crate"))?.source).toMatchObject({ reading: { unit: 0.01, up: "z" } });
  await page.getByTestId("drawer-place").click();
  await expect(page.getByLabel("Size z", { exact: true })).toHaveValue("0.400 m");
  await page.getByTestId("drawer-look").click();
  await expect(page.getByText("with its picture")).toBeVisible();

  await page.getByTestId("drawer-add").click();
  await drop(page, "block.stl", boxStl(300, 200, 100));
  // Millimetres are the likely reading of such a file.
  await expect(page.getByTestId("unit-millimetres")).toHaveAttribute("aria-pressed", "true");
  await page.getByTestId("up-y").click();
  await page.getByTestId("import-go").click();
  await page.getByTestId("drawer-place").click();
  await expect(page.getByLabel("Size z", { exact: true })).toHaveValue("0.200 m");

  await page.getByTestId("drawer-add").click();
  await drop(page, "buoyant.ply", boxPly(0.5, 0.5, 0.5));
  await page.getByTestId("import-go").click();
  await expect.poll(() => named("buoyant")).toBeTruthy();

  const boat = await demoFile("boat.glb", "slipway");
  for (const way of ["draco", "meshopt"] as const) {
    await drop(page, `${way}.glb`, await compressedGlb(boat, way));
    await expect.poll(() => named(way)).toBeTruthy();
    await expect(page.getByText(new RegExp(`${way}.glb: [\\d,]+ triangles`))).toBeVisible();
  }
  // Several at once come in one after the other, and so does what is dropped while they do.
  await page.getByTestId("model-file").setInputFiles([
    { name: "plank.stl", mimeType: "", buffer: Buffer.from(boxStl(1200, 140, 25)) },
    { name: "tub.ply", mimeType: "", buffer: Buffer.from(boxPly(0.4, 0.4, 0.3)) },
  ]);
  for (const name of ["plank", "tub"]) {
    await expect(page.getByTestId("import-ask")).toContainText(name);
    await page.getByTestId("import-go").click();
    await expect.poll(() => named(name)).toBeTruthy();
  }
  // A letter is no model, and nothing is lost.
  await drop(page, "letter.obj", "Dear harbour master,\nthe crane is out of order.\n");
  await expect(page.getByText("“letter.obj” is no model that can be read")).toBeVisible();
  // Whatever comes in by itself stands on what was built, well within the plate, and on nothing else that came in.
  const { set, props, solved } = await shot();
  const feet = Object.values(props).map(({ placement }) => placement.position);
  expect(feet).toHaveLength(7);
  feet.forEach((foot, i) => {
    const pixel = projectPoint(solved!.camera, foot)! as Vec2;
    expect(pickFace(set, solved!.camera, pixel)).not.toBeNull();
    expect(pixel[1]).toBeGreaterThan(560);
    for (const other of feet.slice(0, i)) expect(distance(foot, other)).toBeGreaterThan(0.3);
  });
});

test("dropped from the disk: a folder whose files find each other, one model by itself, and a font that stays", async ({
  page,
  request,
}) => {
  const id = await copyOfDemo(request, (copy) => void (copy.props = {}));
  const shot = async () => (await opened(request, id)).shot;
  const props = async () => Object.values((await shot()).props);
  const disk = await mkdtemp(path.join(tmpdir(), "harbor-drop-"));
  for (const [name, bytes] of Object.entries(unzipSync(await crateZip()))) {
    await mkdir(path.dirname(path.join(disk, "fish crate", name)), { recursive: true });
    await writeFile(path.join(disk, "fish crate", name), bytes);
  }
  await writeFile(path.join(disk, "block.stl"), boxStl(300, 200, 100));
  const font = "node_modules/@fontsource/ibm-plex-mono/files/ibm-plex-mono-latin-600-normal.woff";
  await copyFile(font, path.join(disk, "Quay Mono.woff"));
  await writeFile(path.join(disk, "cut.ttf"), Buffer.from([0, 1, 0, 0, 0, 9]));
  // As the system's own file manager hands files over.
  const browser = await page.context().newCDPSession(page);
  const dropped = async (name: string) => {
    const { x, y, width, height } = (await page.locator(".desk").boundingBox())!;
    const data = { items: [], files: [path.join(disk, name)], dragOperationsMask: 1 };
    for (const type of ["dragEnter", "dragOver", "drop"] as const)
      await browser.send("Input.dispatchDragEvent", { type, x: x + width / 2, y: y + height / 3, data });
  };
  await begun(page, id);
  await dropped("fish crate");
  await page.getByTestId("unit-centimetres").click();
  await page.getByTestId("import-go").click();
  await expect.poll(async () => (await props()).map((p) => p.name)).toEqual(["crate"]);
  await page.getByTestId("drawer-look").click();
  await expect(page.getByText("with its picture")).toBeVisible();
  await dropped("block.stl");
  await page.getByTestId("import-go").click();
  await expect.poll(async () => (await props()).length).toBe(2);

  await page.getByTestId("add-text").click();
  await expect.poll(async () => (await props()).length).toBe(3);
  const lettering = async () => {
    const [source] = (await props()).flatMap((p) => (p.source.kind === "shape" ? [p.source] : []));
    return source.shape.kind === "text" ? source.shape : null;
  };
  const outline = (await lettering())!.outline;
  await dropped("Quay Mono.woff");
  await expect.poll(async () => (await lettering())!.font).toBe("Quay Mono");
  expect((await lettering())!.outline).not.toBe(outline);
  await dropped("cut.ttf");
  await expect(page.getByText("“cut.ttf” is no font that can be read")).toBeVisible();
  // Another day the font is still there, until it is let go; what is lettered in it stays.
  await page.reload();
  await page.getByTestId("prop-prop-3").click();
  await page.getByTestId("drawer-look").click();
  await expect(page.getByRole("combobox", { name: "Font" })).toContainText("Quay Mono");
  const monospaced = (await lettering())!.outline;
  await page.getByTestId("letters").fill("ICE");
  await page.getByTestId("letters").blur();
  await expect.poll(async () => (await lettering())!.text).toBe("ICE");
  expect((await lettering())!.outline).not.toBe(monospaced);
  await page.getByTestId("font-drop").click();
  await expect(page.getByTestId("font-drop")).toHaveCount(0);
  expect((await lettering())!.font).toBe("Quay Mono");
});

test("under an overcast sky a cube stands in its own shade, on the ground and up a wall that it is pushed to", async ({
  page,
  request,
}) => {
  const id = await copyOfDemo(request, (copy) => {
    copy.props = {};
    copy.light.sun.on = false;
    copy.set["block-9"] = makePart(
      "block-9",
      "Wall",
      {
        kind: "block",
        base: [
          [-4, -2, 0],
          [1, -2, 0],
          [1, -1.8, 0],
          [-4, -1.8, 0],
        ].map((p) => typedVertex(p as Vec3)),
        height: 2,
        closed: true,
      },
      copy.ground,
    );
  });
  const shot = async () => (await opened(request, id)).shot;
  const desk = new Desk(page);
  await begun(page, id);
  const { camera } = (await shot()).solved!;
  /** Mean of what the page shows around a point of the world. */
  const shownAt = async (world: Vec3) => {
    const [x, y] = await desk.screen(projectPoint(camera, world)! as Vec2);
    const png = await page.screenshot({ clip: { x: Math.round(x) - 1, y: Math.round(y) - 1, width: 3, height: 3 } });
    const { channels } = await sharp(png).stats();
    return channels.slice(0, 3).reduce((sum, { mean }) => sum + mean / 3, 0);
  };
  // Before the cube's front, on the wall beside it, and far from both.
  const places: Vec3[] = [
    [-1.5, -3.14, 0],
    [-0.9, -2, 0.3],
    [0.6, -4, 0],
  ];
  // The plate is there and lies in its window.
  await expect.poll(async () => (await desk.screen(projectPoint(camera, places[0])! as Vec2))[1]).toBeLessThan(560);
  await expect.poll(async () => (await desk.screen([1620, 0]))[0]).toBeGreaterThan(900);
  await page.waitForTimeout(1000);
  const before: number[] = [];
  for (const place of places) before.push(await shownAt(place));
  await page.getByTestId("add-1-m-cube").click();
  await expect.poll(async () => Object.keys((await shot()).props)).toEqual(["prop-1"]);
  await page.getByTestId("drawer-place").click();
  for (const [axis, metres] of [
    ["x", -1.5],
    ["y", -2.55],
  ] as const)
    await desk.type(`Foot ${axis}`, String(metres));
  // An unending wall would keep half of it from the ground at its foot, and so does nearly a cube close by.
  const now = async () => {
    const shares: number[] = [];
    for (const [i, place] of places.entries()) shares.push((await shownAt(place)) / before[i]);
    return shares.map((share) => share ** 2.2);
  };
  await expect.poll(async () => (await now())[0], { timeout: 300_000 }).toBeLessThan(0.75);
  const [ground, wall, far] = await now();
  expect(ground).toBeGreaterThan(0.45);
  expect(wall).toBeLessThan(0.85);
  expect(far).toBeGreaterThan(0.97);
});

test("net loft: a kettle on a chest on the bench, dragged there and resting; a stand-in gives way to a model", async ({
  page,
  request,
}) => {
  const id = await copyOfDemo(
    request,
    (copy) => {
      delete copy.props["prop-2"];
      copy.props["prop-1"].placement.position = [2.6, 3.4, 0.78];
    },
    "netloft",
  );
  const shot = async () => (await opened(request, id)).shot;
  const desk = new Desk(page);
  await begun(page, id);
  const camera = (await shot()).solved!.camera;
  const at = (p: Vec3) => projectPoint(camera, p) as Vec2;
  await page.getByTestId("add-stand-in").click();
  const chest = async () => (await shot()).props["prop-2"];
  await expect.poll(async () => (await chest())?.source.kind).toBe("standIn");
  await page.getByTestId("drawer-place").click();
  // Each of a stand-in's sizes is its own.
  for (const [axis, metres] of [
    ["x", "0.3"],
    ["y", "0.2"],
    ["z", "0.2"],
  ])
    await desk.type(`Size ${axis}`, metres);
  await expect(page.getByLabel("Size x", { exact: true })).toHaveValue("0.300 m");
  // By its foot onto the bench; it comes to rest on the bench's top by itself.
  await desk.drag(at((await chest()).placement.position as Vec3), at([1.8, 3.4, loft.bench.top]));
  await expect.poll(async () => Math.abs((await chest()).placement.position[0] - 1.8)).toBeLessThan(0.1);
  await expect.poll(async () => (await chest()).stands).toMatchObject({ on: "face" });
  const stood = await chest();
  expect(Math.abs(stood.placement.position[2] - loft.bench.top)).toBeLessThan(0.0005);
  expect(stood.stands).toMatchObject({ part: Object.values((await shot()).set).find((p) => p.name === "Bench")!.id });

  // The kettle over the stand-in's lid.
  const kettle = async () => (await shot()).props["prop-1"];
  const top = stood.placement.position[2] + 0.2;
  const [x, y] = stood.placement.position;
  await desk.drag(at((await kettle()).placement.position as Vec3), at([x, y, top]));
  await expect.poll(async () => (await kettle()).stands).toEqual({ on: "prop", prop: "prop-2" });
  expect(Math.abs((await kettle()).placement.position[2] - top)).toBeLessThan(0.001);
  await page.getByTestId("prop-prop-1").click();
  await page.getByTestId("rest").click();
  await expect(page.getByText(/Copper kettle: Stands on stand-in/)).toBeVisible();

  // What rests on it comes along.
  const before = (await kettle()).placement.position;
  await page.getByTestId("prop-prop-2").click();
  await desk.type("Foot x", String(x));
  await desk.drag(at((await chest()).placement.position as Vec3), at([2.2, 3.45, loft.bench.top]));
  await expect.poll(async () => Math.abs((await kettle()).placement.position[0] - before[0])).toBeGreaterThan(0.2);

  // A model takes its place, and says how it differs.
  await page.getByTestId("drawer-add").click();
  await drop(page, "chest.stl", boxStl(450, 300, 250));
  await page.getByTestId("import-go").click();
  await expect(
    page.getByText(/chest is 50 % more wide, 50 % more deep, 25 % more high than its stand-in/),
  ).toBeVisible();
  await expect.poll(async () => (await chest()).source.kind).toBe("model");
  expect((await chest()).name).toBe("chest");
  // Drawn from a corner, it stands where the stand-in's base was, and the kettle is on its lid.
  const [cx, cy] = (await chest()).placement.position;
  const foot = async () => (await kettle()).placement.position;
  await expect.poll(async () => Math.abs((await foot())[2] - loft.bench.top - 0.25)).toBeLessThan(0.001);
  expect(Math.hypot((await foot())[0] - cx, (await foot())[1] - cy)).toBeLessThan(0.12);
  expect((await chest()).source).toMatchObject({ reading: { unit: 0.001, foot: "base" } });
});

test("slipway: the boat, set askew, tips until it rests stably on the ramp; it is pushed to the wall", async ({
  page,
  request,
}) => {
  const id = await copyOfDemo(
    request,
    (copy) => {
      copy.props["prop-1"].placement.leanDeg = [0, 8];
      copy.props["prop-1"].placement.position[2] += 0.4;
    },
    "slipway",
  );
  const boat = async () => (await opened(request, id)).shot.props["prop-1"];
  await begun(page, id);
  await page.getByTestId("prop-prop-1").click();
  await page.getByTestId("drawer-place").click();
  await page.getByTestId("rest").click();
  await expect(
    page.getByText(/Rowing boat: Stands on Ramp, \d+ points, its weight .* within its feet. It tipped by/),
  ).toBeVisible({
    timeout: 300_000,
  });
  await expect.poll(async () => (await boat()).stands?.on).toBe("face");
  // On its bilge, as such boats lie.
  expect((await boat()).placement.leanDeg[1]).toBeGreaterThan(15);
  const before = (await boat()).placement.position[0];
  await page.getByTestId("push-+X").click();
  await expect(page.getByText(/Rowing boat went .* along X until it touched/)).toBeVisible({ timeout: 300_000 });
  // As far as its own side lets it: the wall stands 3.4 m from the middle.
  await expect.poll(async () => (await boat()).placement.position[0]).toBeGreaterThan(before + 1);
  expect((await boat()).placement.position[0]).toBeLessThan(3.4);
});

test("quay: lettering, rows of crates as instances, and materials that are the document's alone", async ({
  page,
  request,
}) => {
  const id = await copyOfDemo(request, (copy: Shot) => {
    copy.props = {};
    copy.set["block-9"] = makePart(
      "block-9",
      "Plinth",
      {
        kind: "block",
        base: [
          [-4, -4, 0],
          [-2, -4, 0],
          [-2, -2, 0],
          [-4, -2, 0],
        ].map((p) => typedVertex(p as Vec3)),
        height: 0.3,
        closed: true,
      },
      copy.ground,
    );
  });
  const shot = async () => (await opened(request, id)).shot;
  const desk = new Desk(page);
  await begun(page, id);
  await page.getByTestId("add-text").click();
  await expect.poll(async () => Object.keys((await shot()).props)).toEqual(["prop-1"]);
  await page.getByTestId("drawer-look").click();
  await page.getByTestId("letters").fill("ICE\nHOUSE");
  await page.getByTestId("letters").blur();
  const lettering = async () => {
    const { source } = (await shot()).props["prop-1"];
    return source.kind === "shape" && source.shape.kind === "text" ? source.shape : null;
  };
  await expect.poll(async () => (await lettering())?.text).toBe("ICE\nHOUSE");
  const outline = (await lettering())!.outline;
  await desk.type("Shape capitals", "0.5");
  await expect.poll(async () => (await lettering())?.height).toBe(0.5);
  expect((await lettering())!.outline).toBe(outline);
  // A length that it cannot have is told of and changes nothing.
  const bevel = page.getByLabel("Shape bevel", { exact: true });
  await bevel.fill("-3 cm");
  await bevel.press("Enter");
  await expect(page.getByRole("alert").filter({ hasText: "Type a length of zero or more" })).toBeVisible();
  await desk.type("Shape bevel", "0.01");
  // What is changed while its outline is still made is in the outline as well.
  const spaced = page.getByLabel("Room between letters", { exact: true });
  await page.getByTestId("letters").fill("SALT\nHOUSE");
  await page.getByTestId("letters").blur();
  await spaced.fill("0.2");
  await spaced.press("Enter");
  await expect.poll(async () => (await lettering())?.spacing).toBe(0.2);
  const quick = (await lettering())!;
  expect(quick.text).toBe("SALT\nHOUSE");
  for (const room of [0, 0.2]) {
    await desk.type("Room between letters", String(room));
    await expect.poll(async () => (await lettering())?.spacing).toBe(room);
  }
  expect((await lettering())!.outline).toBe(quick.outline);
  await page.getByTestId("look-preset").click();
  await page.getByRole("option", { name: "brass" }).click();
  await expect.poll(async () => (await shot()).props["prop-1"].looks.text?.preset).toBe("brass");
  await desk.type("Look roughness", "0.4");
  await expect
    .poll(async () => (await shot()).props["prop-1"].looks.text)
    .toMatchObject({ roughness: 0.4, metallic: 1 });
  const planks = await sharp({ create: { width: 64, height: 32, channels: 3, background: "#8a6a42" } })
    .png()
    .toBuffer();
  await page.getByTestId("look-picture-base").click();
  await page.getByTestId("look-picture").setInputFiles({ name: "planks.png", mimeType: "image/png", buffer: planks });
  await expect
    .poll(async () => (await shot()).props["prop-1"].looks.text?.pictures?.base)
    .toBe(createHash("sha256").update(planks).digest("hex"));
  await desk.type("Look rust", "0.5");
  await expect.poll(async () => (await shot()).props["prop-1"].looks.text).toMatchObject({ rust: 0.5, metallic: 1 });
  await page.getByTestId("look-reset").click();
  await expect.poll(async () => (await shot()).props["prop-1"].looks).toEqual({});

  await page.getByTestId("drawer-add").click();
  await page.getByTestId("add-box").click();
  await expect.poll(async () => Object.keys((await shot()).props)).toEqual(["prop-1", "prop-2"]);
  await page.getByTestId("drawer-repeat").click();
  await page.getByTestId("array-kind").click();
  await page.getByRole("option", { name: "rows" }).click();
  await desk.type("Number of copies", "100");
  await desk.type("Number of rows", "100");
  await expect(page.getByText("10,000 as instances")).toBeVisible();
  await expect
    .poll(async () => (await shot()).props["prop-2"].array)
    .toMatchObject({ kind: "row", count: 100, rows: 100 });
  // One prop and its copies go and come back as one edit each.
  await page.keyboard.press("Escape");
  await page.getByTestId("prop-prop-2").click();
  await page.keyboard.press("Delete");
  await expect.poll(async () => Object.keys((await shot()).props)).toEqual(["prop-1"]);
  await page.keyboard.press("Control+z");
  await expect.poll(async () => Object.keys((await shot()).props)).toEqual(["prop-1", "prop-2"]);

  // Locked, it stays where it is.
  await page.getByLabel("Lock text").click();
  await expect.poll(async () => (await shot()).props["prop-1"].locked).toBe(true);
});

test("the library keeps what comes in for other shots; props are chosen together, aligned, turned about a point, moved by steps", async ({
  page,
  request,
}) => {
  const other = await copyOfDemo(request, (copy) => void (copy.props = {}));
  const id = await copyOfDemo(request, (copy) => void (copy.props = {}));
  const propsOf = async (of: string) => Object.values((await opened(request, of)).shot.props);
  const desk = new Desk(page);
  await begun(page, id);
  await drop(page, "fish-box.stl", boxStl(600, 400, 300));
  await page.getByTestId("import-go").click();
  await page.getByTestId("drawer-library").click();
  await page.getByTestId("kept-fish-box").click();
  await desk.type("Tags, with commas between them", "harbour, wood");
  await desk.type("Licence", "CC0");
  await page.getByLabel("Find models by words").fill("wood cc0 fish");
  await expect(page.getByTestId("kept-fish-box")).toBeVisible();
  await expect(page.getByTestId("kept-lamp buoy")).toHaveCount(0);

  // In another shot it comes in as it is read here, without being asked.
  await begun(page, other);
  await page.getByTestId("drawer-library").click();
  await page.getByTestId("kept-fish-box").dblclick();
  await expect
    .poll(async () => (await propsOf(other)).map((p) => p.source))
    .toMatchObject([{ kind: "model", reading: { unit: 0.001 } }]);
  // A newer file is in both shots; what is otherwise is told.
  await page.getByTestId("newer-all").click();
  await page.getByTestId("library-newer").setInputFiles({
    name: "fish-box-2.stl",
    mimeType: "",
    buffer: Buffer.from(boxStl(600, 400, 360)),
  });
  await expect(page.getByText("It is 20 % more high. Also in Copy.")).toBeVisible();
  const files = async () => [...(await propsOf(id)), ...(await propsOf(other))].map(({ source }) => source);
  await expect.poll(files).toMatchObject([{ fileName: "fish-box-2.stl" }, { fileName: "fish-box-2.stl" }]);

  // A second one; both are chosen, and one move is a move of both.
  await page.getByTestId("kept-fish-box").dblclick();
  await expect.poll(async () => (await propsOf(other)).length).toBe(2);
  const { camera } = (await opened(request, other)).shot.solved!;
  const middleOf = (place: readonly number[]): Vec2 =>
    projectPoint(camera, [place[0], place[1], place[2] + 0.2]) as Vec2;
  const places = async () => (await propsOf(other)).map((p) => p.placement.position);
  await page.getByTestId("prop-prop-1").click();
  await page.getByTestId("prop-prop-2").click({ modifiers: ["Shift"] });
  await page.getByTestId("drawer-place").click();
  await desk.type("Step of the grid that props are moved on", "0.5");
  const before = await places();
  const from = middleOf(before[0]);
  await desk.drag(from, [from[0] - 90, from[1] + 60]);
  await expect.poll(async () => (await places())[0]).not.toEqual(before[0]);
  const after = await places();
  for (const k of [0, 1]) {
    expect(Math.abs(after[0][k] / 0.5 - Math.round(after[0][k] / 0.5))).toBeLessThan(1e-6);
    expect(after[1][k] - before[1][k]).toBeCloseTo(after[0][k] - before[0][k], 6);
  }

  // Turned about a point of the paving, and along the ice house's wall.
  await page.keyboard.press("Escape");
  await page.getByTestId("prop-prop-1").click();
  const about: Vec3 = [after[0][0] + 1.2, after[0][1], 0];
  await desk.tool("pivot");
  await desk.click(projectPoint(camera, about) as Vec2, 0);
  await expect(page.getByTestId("pivot")).toBeVisible();
  await desk.type("Turn", "90");
  await expect.poll(async () => (await propsOf(other))[0].placement.turnDeg).toBeCloseTo(90, 3);
  const turned = (await places())[0];
  // A click lands on a pixel of the window, which is a few centimetres here.
  const distance = (p: readonly number[]) => Math.hypot(p[0] - about[0], p[1] - about[1]);
  expect(distance(turned)).toBeGreaterThan(1.1);
  expect(distance(turned)).toBeLessThan(1.3);
  expect(turned[1] - about[1]).toBeLessThan(-1.1);
  await desk.type("Turn", "20");
  await expect.poll(async () => (await propsOf(other))[0].placement.turnDeg).toBeCloseTo(20, 3);
  await desk.tool("align");
  await desk.click(projectPoint(camera, [4.6, 0, 1.6]) as Vec2, 0);
  await expect.poll(async () => Math.abs((await propsOf(other))[0].placement.turnDeg % 90)).toBeLessThan(0.01);
});

test("a crate that wears six photographs, its flat picture saved and read; a prop pinned by two points", async ({
  page,
  request,
}) => {
  const id = await copyOfDemo(request, (copy) => void (copy.props = {}));
  const shot = async () => (await opened(request, id)).shot;
  await begun(page, id);
  await page.getByTestId("add-skin").click();
  const skin = async () => {
    const source = (await shot()).props["prop-1"]?.source;
    return source?.kind === "model" ? source : null;
  };
  await expect(page.getByTestId("skin-front")).toBeVisible();
  const bare = (await skin())!.asset;
  for (const [i, side] of BOX_SIDES.entries()) {
    await page.getByTestId(`skin-${side}`).click();
    const photo = await sharp({
      create: { width: 300, height: 200, channels: 3, background: { r: 30 + i * 40, g: 120, b: 220 - i * 30 } },
    })
      .jpeg()
      .toBuffer();
    await page.getByTestId("skin-photo").setInputFiles({ name: `${side}.jpg`, mimeType: "image/jpeg", buffer: photo });
  }
  // One after the other as fast as they are chosen, each to its own side.
  for (const side of BOX_SIDES)
    await expect.poll(async () => (await skin())!.skin!.sides[side]).toMatchObject({ name: `${side}.jpg` });
  expect((await skin())!.asset).not.toBe(bare);
  // A corner is dragged; it stays where it can be dragged again.
  await page.getByTestId("skin-front").click();
  const corner = page.getByTestId("skin-corner-0");
  const at = (await corner.boundingBox())!;
  await page.mouse.move(at.x + 6, at.y + 6);
  await page.mouse.down();
  await page.mouse.move(at.x + 36, at.y + 22, { steps: 4 });
  await page.mouse.up();
  const front = async () => {
    const side = (await skin())!.skin!.sides.front;
    return side?.from === "photo" ? side : null;
  };
  await expect.poll(async () => (await front())!.corners[0][0]).toBeGreaterThan(50);
  // To the pixel by the arrow keys, where it is large.
  const [x] = (await front())!.corners[0];
  await page.getByTestId("skin-large").click();
  await page.getByRole("dialog").getByTestId("skin-corner-0").focus();
  for (const key of ["ArrowRight", "ArrowRight", "Shift+ArrowRight"]) await page.keyboard.press(key);
  await expect.poll(async () => (await front())!.corners[0][0]).toBeCloseTo(x + 12, 6);
  await page.keyboard.press("Escape");
  await page.getByTestId("skin-flip").click();
  await expect.poll(async () => (await front())!.flipped).toBe(true);
  await page.getByTestId("skin-proportions").click();
  await expect.poll(async () => (await skin())!.skin!.size[2]).toBeCloseTo(0.6 / flatRatio(await front()), 2);
  // Saved to a file of the disk (here the browser's own), painted over there by another program, it comes in by itself.
  await page.evaluate(() => {
    const chosen = async () => (await navigator.storage.getDirectory()).getFileHandle("flat.png", { create: true });
    Object.assign(window, { showSaveFilePicker: chosen });
  });
  await page.getByTestId("skin-save").click();
  await expect(page.getByTestId("skin-followed")).toContainText("flat.png");
  const saved = await page.evaluate(async () => {
    const file = await (await navigator.storage.getDirectory()).getFileHandle("flat.png");
    return [...new Uint8Array(await (await file.getFile()).arrayBuffer())];
  });
  const negative = () => sharp(Buffer.from(saved)).negate({ alpha: false }).png().toBuffer();
  const before = (await skin())!.asset;
  await page.evaluate(
    async (bytes) => {
      const file = await (await navigator.storage.getDirectory()).getFileHandle("flat.png");
      const out = await file.createWritable();
      await out.write(new Uint8Array(bytes));
      await out.close();
    },
    [...(await negative())],
  );
  await expect.poll(async () => (await skin())!.asset).not.toBe(before);
  expect((await skin())!.skin!.painted).toBe(true);
  // Read by hand as well, where a browser has no such files.
  const read = (await skin())!.asset;
  const flat = await sharp(Buffer.from(saved)).grayscale().png().toBuffer();
  await page.getByTestId("skin-flat").setInputFiles({ name: "flat.png", mimeType: "image/png", buffer: flat });
  await expect.poll(async () => (await skin())!.asset).not.toBe(read);

  // Pinned: its lower front corners to two pixels of the paving.
  await page.getByTestId("drawer-place").click();
  const { camera } = (await shot()).solved!;
  const { placement } = (await shot()).props["prop-1"];
  const size = (await skin())!.skin!.size;
  const cornerOf = (s: number): Vec3 => [
    placement.position[0] + (s * size[0]) / 2.2,
    placement.position[1] - size[1] / 2,
    placement.position[2] + 0.02,
  ];
  const desk = new Desk(page);
  const to: Vec3[] = [
    [-3.2, -4.2, 0.03],
    [-2.2, -4.5, 0.03],
  ];
  await desk.tool("pin");
  for (const s of [-1, 1]) {
    await desk.click(projectPoint(camera, cornerOf(s)) as Vec2, 0);
    await desk.click(projectPoint(camera, to[(s + 1) / 2]) as Vec2, 0);
  }
  await expect.poll(async () => (await shot()).props["prop-1"].placement.scale[0]).toBeGreaterThan(1.2);
  // Lower front corners, where they were picked on it, are now seen where they were pinned.
  const now = (await shot()).props["prop-1"].placement;
  expect(Math.abs(now.turnDeg)).toBeGreaterThan(5);
  const angle = (now.turnDeg * Math.PI) / 180;
  for (const s of [-1, 1]) {
    const [x, y, z] = cornerOf(s).map((v, k) => (v - placement.position[k]) * now.scale[k]);
    const world: Vec3 = [
      now.position[0] + Math.cos(angle) * x - Math.sin(angle) * y,
      now.position[1] + Math.sin(angle) * x + Math.cos(angle) * y,
      now.position[2] + z,
    ];
    const [seen, wanted] = [world, to[(s + 1) / 2]].map((p) => projectPoint(camera, p)!);
    // A click lands on a pixel of the window, which shows half the plate's.
    expect(Math.hypot(seen[0] - wanted[0], seen[1] - wanted[1])).toBeLessThan(4);
  }
});

/** Width over height of what is cut out of a photograph. */
function flatRatio(side: { corners: number[][] } | null): number {
  const [a, b, c, d] = side!.corners;
  const length = (p: number[], q: number[]) => Math.hypot(q[0] - p[0], q[1] - p[1]);
  return (length(a, b) + length(d, c)) / (length(a, d) + length(b, c));
}

test("quay: a figure is as tall as two points on it say; the next thing typed is their distance", async ({
  page,
  request,
}) => {
  const id = await copyOfDemo(request, (copy) => void (copy.props = {}));
  const desk = new Desk(page);
  await page.goto(`/shots/${id}/props`);
  await page.getByTestId("add-person").click();
  const person = async () => Object.values((await opened(request, id)).shot.props)[0];
  await expect.poll(async () => (await person())?.placement.position[2]).toBeLessThan(0.01);
  const { camera } = (await opened(request, id)).shot.solved!;
  const [x, y] = (await person()).placement.position;
  await page.getByTestId("drawer-place").click();
  await page.getByTestId("tool-span").click();
  for (const z of [1.0, 1.4]) await desk.click(projectPoint(camera, [x, y, z])! as Vec2, 0);
  await page.getByTestId("span").waitFor();
  await page.keyboard.type("0.5 m");
  await page.keyboard.press("Enter");
  // Points on the body's front lie apart as its axis does, but for how the chest bulges.
  await expect.poll(async () => (await person()).placement.scale[2]).toBeGreaterThan(1.2);
  expect((await person()).placement.scale[2]).toBeLessThan(1.3);
});
