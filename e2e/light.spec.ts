import { writeFile } from "node:fs/promises";
import type { APIRequestContext } from "@playwright/test";
import { expect, test } from "@playwright/test";
import sharp from "sharp";
import { srgbToLinear } from "#core/colour/srgb";
import type { Prop } from "#core/props/schema";
import { plainProp } from "#core/props/schema";
import { sunAt } from "#core/light/almanac";
import { roseOf } from "#core/light/rose";
import { worldDirection } from "#core/light/level";
import { sunDirection } from "#core/light/rig";
import { sightingKind, sightingPixels } from "#core/light/sightings/index";
import type { Vec2, Vec3 } from "#core/math/vec3";
import type { Lamp } from "#core/trace/scene";
import { dot, normalize, toDegrees } from "#core/math/vec3";
import { makePart } from "#core/set/parts/make";
import { typedVertex } from "#core/set/vertex";
import { colourChannels, writeExr } from "#core/image/exr";
import { pixelDirection, projectPoint } from "#core/optics/camera";
import * as slip from "../src/demo/slipway.ts";
import * as quay from "../src/demo/quay.ts";
import * as loft from "../src/demo/netloft.ts";
import { Desk } from "./desk.ts";
import { copyOfDemo, opened, withoutProps } from "./shots.ts";

test.use({ testIdAttribute: "data-test" });

/** Leaves a document as it was lit by hand beside the test's results, for `npm run bench:light`. */
const leave = async (request: APIRequestContext, id: string) =>
  writeFile(test.info().outputPath("lit.json"), JSON.stringify(await opened(request, id)));

const luminance = (c: readonly number[]) => 0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2];

test("slipway: an overcast sky from one probe, the sun off", async ({ page, request }) => {
  const id = await copyOfDemo(
    request,
    (copy) => {
      withoutProps(copy);
      copy.light.probes = {};
      copy.light.sky.spread = { kind: "even" };
      copy.light.slope = { deg: 0, towardsDeg: 0 };
      copy.light.sky.radiance = [0.25, 0.25, 0.25];
    },
    "slipway",
  );
  const light = async () => (await opened(request, id)).shot.light;
  const desk = new Desk(page);
  await page.goto(`/shots/${id}/light`);
  await page.getByTestId("drawer-probes").click();
  await expect(page.getByTestId("balance")).toBeDisabled();
  await page.getByTestId("drawer-sky").click();
  await page.getByTestId("sky-kind").click();
  await page.getByRole("option", { name: /^overcast/ }).click();
  await expect.poll(async () => (await light()).sky.spread.kind).toBe("overcast");
  // The world stands on the ramp: the level horizon, clicked where it lies, tells how that falls.
  const { camera } = (await opened(request, id)).shot.solved!;
  const ramp = { deg: toDegrees(slip.SLOPE), towardsDeg: 180 };
  await desk.tool("level-line");
  for (const side of [-1, 1]) {
    const far = worldDirection(ramp, [side * 0.4 * 1e5, 1e5, 0]);
    await desk.click(projectPoint(camera, far)!, 0);
  }
  await expect.poll(async () => Math.abs((await light()).slope.deg - 6.5)).toBeLessThan(0.2);
  expect(Math.abs((await light()).slope.towardsDeg - 180)).toBeLessThan(2);
  await expect(page.getByTestId("level-horizon")).toBeVisible();
  await page.getByTestId("drawer-probes").click();
  await desk.tool("probe");
  await desk.click([120, 400], 0);
  await desk.drag([120 + 12, 400], [180, 400]);
  await expect.poll(async () => Object.values((await light()).probes)[0]?.radius).toBeGreaterThan(55);
  await page.getByTestId("balance").click();
  await expect(page.getByTestId("balanced")).toBeVisible();
  // Of the demo's truth: 7/9 of the zenith on level ground (Moon and Spencer), its clouds and the concrete's own spots in the ±.
  await expect
    .poll(async () => luminance((await light()).sky.radiance) / ((luminance(slip.ZENITH) * 7) / 9))
    .toBeGreaterThan(0.9);
  const { radiance } = (await light()).sky;
  expect(luminance(radiance) / ((luminance(slip.ZENITH) * 7) / 9)).toBeLessThan(1.1);
  for (const k of [0, 2])
    expect(Math.abs(radiance[k] / radiance[1] / (slip.ZENITH[k] / slip.ZENITH[1]) - 1)).toBeLessThan(0.05);

  await leave(request, id);

  // Taken for blue, the concrete makes the sky yellow. That is told, and one click gives the colour back to the concrete.
  const blue = [0.2, 0.25, 0.34];
  for (const k of [0, 1, 2]) await desk.type(`Albedo ${"RGB"[k]}`, String(blue[k]));
  await page.getByTestId("balance").click();
  await expect(page.getByTestId("tinted")).toBeVisible();
  await page.getByTestId("colour-surfaces").click();
  await expect(page.getByTestId("tinted")).toHaveCount(0);
  const given = async () => {
    const { materials, set } = (await opened(request, id)).shot;
    return materials[Object.values(set).find(({ kind }) => kind === "polygon")!.material].albedo.colour;
  };
  // Within what the sky itself differs from D65: 6 % in red, 7 % in blue.
  for (const k of [0, 2])
    await expect
      .poll(async () =>
        Math.abs((await given())[k] / (await given())[1] / (slip.RAMP_ALBEDO[k] / slip.RAMP_ALBEDO[1]) - 1),
      )
      .toBeLessThan(0.12);
});

test("net loft: three windows from three probes, and a source seen alone, weaker, tinted, without a new render", async ({
  page,
  request,
}) => {
  const id = await copyOfDemo(
    request,
    (copy) => {
      copy.light.probes = {};
      delete copy.light.lamps["lamp-3"];
      for (const lamp of Object.values(copy.light.lamps))
        Object.assign(lamp, { colour: [1, 1, 1], level: 4, like: null });
      copy.render.samples = 1;
    },
    "netloft",
  );
  const light = async () => (await opened(request, id)).shot.light;
  const desk = new Desk(page);
  await page.goto(`/shots/${id}/light`);
  // The gable's window is drawn over what the plate shows of it, as deep as the wall in which it is.
  await page.getByTestId("drawer-lamps").click();
  await page.getByTestId("add-rectangle").click();
  await desk.type("Name", "gable window");
  const { camera } = (await opened(request, id)).shot.solved!;
  const gable = loft.lamps[2] as Lamp & { size: [number, number] };
  // Within the frame by a centimetre, where the window's own face is met.
  const corner = (side: number) => {
    const [x, , z] = gable.position;
    const [w, h] = gable.size;
    const at: Vec3 = [x + side * (w / 2 - 0.01), loft.room.depth, z + side * (h / 2 - 0.01)];
    return projectPoint(camera, at)! as [number, number];
  };
  await desk.tool("lamp-window");
  await desk.drag(corner(-1), corner(1));
  await expect.poll(async () => (await light()).lamps["lamp-3"].tiltDeg).toBe(0);
  const { position, size, azimuthDeg } = (await light()).lamps["lamp-3"];
  expect(Math.abs(azimuthDeg)).toBeCloseTo(180, 1);
  // A pixel of the plate is 4 mm there; the wall stands where its own marks put it.
  gable.position.forEach((x, k) => expect(Math.abs(position[k] - x)).toBeLessThan(0.03));
  gable.size.forEach((m, k) => expect(Math.abs(size[k] - (m - 0.02))).toBeLessThan(0.02));

  // One sky stands in all three.
  await desk.choose("lamp-like", "west window 1");
  await page.getByTestId("lamp-lamp-2").click();
  await desk.choose("lamp-like", "west window 1");
  await desk.type("Level", "5");
  await expect.poll(async () => Object.values((await light()).lamps).map(({ level }) => level)).toEqual([5, 5, 5]);

  await page.getByTestId("drawer-probes").click();
  for (const pixel of [
    [427, 333],
    [940, 715],
    [80, 430],
  ] as Vec2[]) {
    const count = Object.keys((await light()).probes).length;
    await desk.tool("probe");
    await desk.click(pixel, 0);
    await expect.poll(async () => Object.keys((await light()).probes).length).toBe(count + 1);
  }
  await page.getByTestId("balance").click();
  await expect(page.getByTestId("balanced")).toBeVisible();
  await expect
    .poll(async () => Math.min(...Object.values((await light()).lamps).map(({ level }) => level)))
    .toBeGreaterThan(8);
  await expect(page.getByTestId("found-lamp-1")).toContainText("and 2 like it");
  const found = Object.values((await light()).lamps).map(({ colour, level }) => luminance(colour) * level);
  const pane = luminance(loft.netloftModel().materials.find(({ name }) => name === "panes")!.emissive);
  for (const window of found) expect(Math.abs(window / pane - 1)).toBeLessThan(0.08);

  await leave(request, id);

  await page.getByTestId("drawer-sources").click();
  await page.keyboard.press("p");
  await expect(page.getByTestId("source-lamp-3").locator("img")).toBeVisible({ timeout: 300_000 });
  await page.getByTestId("solo-lamp-3").click();
  await expect(page.getByTestId("solo-lamp-3")).toHaveAttribute("aria-pressed", "true");
  await page.getByTestId("solo-lamp-3").click();
  await desk.type("Strength of gable window", "0.5");
  await expect.poll(async () => (await light()).lamps["lamp-3"].strength).toBe(0.5);
  await expect.poll(async () => (await opened(request, id)).undo.at(-1)?.name).toBe("Strength of gable window");
  // One of the props is left out by one of the windows.
  await page.getByTestId("source-lamp-3").locator(".p-multiselect").click();
  await page.getByRole("option", { name: "Copper kettle" }).click();
  await expect.poll(async () => (await light()).lamps["lamp-3"].except).toEqual(["prop-1"]);
  await page.keyboard.press("Escape");
  await expect(page.getByTestId("source-lamp-3")).toContainText("but Copper kettle");
});

test("quay: of two cubes alike the one that the sun leaves out stands in the sky's light alone, in the view as well", async ({
  page,
  request,
}) => {
  const cube = (id: string, x: number): Prop => ({
    id,
    name: id,
    source: {
      kind: "shape",
      shape: { kind: "box", size: [1, 1, 1], bevel: 0 },
      colour: [0.3, 0.3, 0.3],
      roughness: 1,
      metallic: 0,
    },
    placement: { position: [x, -3, 0], turnDeg: 0, leanDeg: [0, 0], scale: [1, 1, 1] },
    keeps: "metres",
    ...plainProp(),
  });
  const id = await copyOfDemo(request, (copy) => {
    copy.props = { left: cube("left", -5.2), right: cube("right", -3.2) };
    copy.comp.grain.on = false;
  });
  const { camera } = (await opened(request, id)).shot.solved!;
  const { sun, sky } = (await opened(request, id)).shot.light;
  const desk = new Desk(page);
  await page.goto(`/shots/${id}/light`);
  await page.getByTestId("drawer-sources").click();
  /** Linear light of the middle of a cube's lid, as the page shows it. */
  const lid = async (x: number) => {
    const [u, v] = await desk.screen(projectPoint(camera, [x, -3, 1])! as Vec2);
    const png = await page.screenshot({ clip: { x: Math.round(u) - 2, y: Math.round(v) - 1, width: 5, height: 3 } });
    const { data } = await sharp(png).removeAlpha().raw().toBuffer({ resolveWithObject: true });
    return data.reduce((sum, code) => sum + srgbToLinear(code / 255) / data.length, 0);
  };
  // Sun by its height and sky by what is seen of it (Lambert): in the sun nearly three times as bright.
  const bright = luminance(sun.irradiance) * Math.sin((sun.elevationDeg * Math.PI) / 180);
  const dim = Math.PI * luminance(sky.radiance);
  await expect
    .poll(async () => Math.abs((await lid(-5.2)) / (await lid(-3.2)) - 1), { timeout: 300_000 })
    .toBeLessThan(0.1);
  await page.getByTestId("source-sun").locator(".p-multiselect").click();
  await page.getByRole("option", { name: "left" }).click();
  await page.keyboard.press("Escape");
  await expect
    .poll(async () => (await lid(-3.2)) / (await lid(-5.2)) / ((bright + dim) / dim), { timeout: 300_000 })
    .toBeGreaterThan(0.8);
  expect((await lid(-3.2)) / (await lid(-5.2)) / ((bright + dim) / dim)).toBeLessThan(1.25);
  // Without the sky as well only what the quay gives back is left, of which a lid sees nothing.
  const inSky = await lid(-5.2);
  await page.getByTestId("source-sky").locator(".p-multiselect").click();
  await page.getByRole("option", { name: "left" }).click();
  await page.keyboard.press("Escape");
  await expect.poll(async () => (await lid(-5.2)) / inSky, { timeout: 300_000 }).toBeLessThan(0.25);
});

test("quay: two sightings give the sun, the odd third is named, and the almanac tells north and the time", async ({
  page,
  request,
}) => {
  const id = await copyOfDemo(request, (copy) => {
    withoutProps(copy);
    copy.light.sightings = {};
  });
  const shot = async () => (await opened(request, id)).shot;
  const camera = (await shot()).solved!.camera;
  const desk = new Desk(page);
  await page.goto(`/shots/${id}/light`);
  const d = quay.sun.direction;
  const at = (p: Vec3) => projectPoint(camera, p) as Vec2;
  const fallen = ([x, y, z]: Vec3): Vec3 => [x - (z * d[0]) / d[2], y - (z * d[1]) / d[2], 0];
  await page.getByTestId("drawer-sun").click();
  // The railing's end post, and a point in the air whose shadow is told, both by the demo's true sun, on whole pixels of the window.
  await desk.tool("sighting");
  for (const p of [[1.5, -2, 0], [1.5, -2, 1.3], fallen([1.5, -2, 1.3])] as Vec3[]) await desk.click(at(p), 0);
  await expect.poll(async () => Object.keys((await shot()).light.sightings)).toHaveLength(1);
  await desk.tool("shadow-pair");
  for (const p of [[1.2, -1, 1.6], fallen([1.2, -1, 1.6])] as Vec3[]) await desk.click(at(p), 0);
  await expect.poll(async () => Object.keys((await shot()).light.sightings)).toHaveLength(2);
  const off = async () =>
    toDegrees(
      Math.acos(
        Math.min(
          1,
          sunDirection(await shot()).reduce((s, v, k) => s + v * d[k], 0),
        ),
      ),
    );
  await expect.poll(off).toBeLessThan(1);
  await expect(page.getByTestId("sighted")).toContainText("±");
  // A third one that belongs to another light.
  await desk.tool("shadow-pair");
  for (const p of [
    [-1.5, -2, 1.6],
    [-3.9, -1.2, 0],
  ] as Vec3[])
    await desk.click(at(p), 0);
  await expect(page.getByText(/does not go with the others/)).toBeVisible();
  await page.getByLabel("Mute sighting-3").click();
  await expect(page.getByText(/does not go with the others/)).toBeHidden();

  await page.getByTestId("almanac").click();
  await desk.type("Latitude", "58.2");
  await desk.type("Longitude", "6.6");
  await desk.type("Hours ahead of universal time", "2");
  await expect
    .poll(async () => (await shot()).light.almanac)
    .toMatchObject({ clock: "2026-06-18T09:42", zoneMinutes: 120 });
  await page.getByTestId("time").click();
  const clock = async () => (await shot()).light.almanac!.clock;
  await expect.poll(clock).not.toBe("2026-06-18T09:42");
  const sun = sunAt(58.2, 6.6, new Date(Date.parse(`${await clock()}:00Z`) - 7_200_000));
  expect(Math.abs(sun.elevationDeg - (await shot()).light.sun.elevationDeg)).toBeLessThan(0.2);
  await expect(page.getByTestId("compared")).toContainText("agree");
  await page.getByTestId("north").click();
  await expect.poll(async () => (await shot()).light.almanac!.northDeg).not.toBeNull();
  const { almanac, sun: own } = (await shot()).light;
  const turn = own.azimuthDeg + almanac!.northDeg! - sun.bearingDeg;
  expect(Math.abs(((turn + 540) % 360) - 180)).toBeLessThan(0.1);

  // The compass rose's north is dragged to where its east was: a quarter less to +Y.
  const { plates } = await shot();
  const rose = roseOf(camera, plates.main, almanac!.northDeg)!;
  await desk.drag(rose.tips[0], rose.tips[1]);
  const turned = async () => (await shot()).light.almanac!.northDeg! - almanac!.northDeg!;
  await expect.poll(async () => Math.abs(((((await turned()) % 360) + 360) % 360) - 270)).toBeLessThan(1);

  // The place on the map: a quarter of it to the right of its middle, an eighth above.
  await page.getByTestId("open-map").click();
  const { x, y, width, height } = (await page.getByTestId("world").boundingBox())!;
  await page.mouse.click(x + width * 0.75, y + height * 0.375);
  await expect(page.getByTestId("picked-place")).toContainText(/22\.\d+° N, (89|90)\.\d+° E/);
  await page.getByTestId("take-place").click();
  await expect.poll(async () => Math.round((await shot()).light.almanac!.longitude)).toBe(90);
  // A sighting that counts for more draws the sun to itself.
  await page.getByLabel("Count sighting-3").click();
  const azimuth = async () => (await shot()).light.sun.azimuthDeg;
  await expect.poll(off).toBeGreaterThan(0.5);
  const before = await azimuth();
  await page.getByTestId("sighting-3").click();
  await desk.type("As how many sighting-3 counts", "10");
  await expect.poll(async () => Math.abs((await azimuth()) - before)).toBeGreaterThan(1);
});

test("quay: two edges of a block and the edges of their shadows give the sun, and show where it throws them", async ({
  page,
  request,
}) => {
  const [low, high, height] = [[-0.8, -3.6], [-0.2, -3], 0.5];
  const id = await copyOfDemo(request, (copy) => {
    withoutProps(copy);
    copy.light.sightings = {};
    const base = [
      [low[0], low[1], 0],
      [high[0], low[1], 0],
      [high[0], high[1], 0],
      [low[0], high[1], 0],
    ].map((p) => typedVertex(p as Vec3));
    copy.set.crate = makePart(
      "crate",
      "Crate",
      { kind: "block", base, height, closed: true },
      copy.set["polygon-1"].material,
    );
    Object.assign(copy.light.sun, { azimuthDeg: 80, elevationDeg: 60 });
  });
  const shot = async () => (await opened(request, id)).shot;
  const camera = (await shot()).solved!.camera;
  const desk = new Desk(page);
  await page.goto(`/shots/${id}/light`);
  await page.getByTestId("drawer-sun").click();
  const d = quay.sun.direction;
  const at = (p: Vec3) => projectPoint(camera, p) as Vec2;
  const fallen = ([x, y, z]: Vec3): Vec3 => [x - (z * d[0]) / d[2], y - (z * d[1]) / d[2], 0];
  const sight = async (edge: Vec3, from: Vec3, to: Vec3) => {
    await desk.tool("shadow-edge");
    for (const p of [edge, fallen(from), fallen(to)]) await desk.click(at(p), 0);
  };
  await sight([low[0], -3.3, height], [low[0], -3.55, height], [low[0], -3.05, height]);
  await expect(page.getByText(/tells only a plane/)).toBeVisible();
  await sight([-0.5, high[1], height], [low[0] + 0.05, high[1], height], [-0.5, high[1], height]);
  await expect.poll(async () => Object.keys((await shot()).light.sightings)).toHaveLength(2);
  await expect.poll(async () => toDegrees(Math.acos(Math.min(1, dot(sunDirection(await shot()), d))))).toBeLessThan(2);
  await expect(page.getByTestId("cast-sighting-1")).toBeVisible();
  await expect(page.getByTestId("cast-sighting-2")).toBeVisible();
  // The drawn shadow itself is taken off the plate's, which moves the sun, and laid over it again.
  const laidNow = async () => {
    const now = await shot();
    const { "sighting-1": s } = now.light.sightings;
    return sightingKind("edge").laid!(sightingPixels(s), camera, now.set, sunDirection(now))!.at;
  };
  const off = async () => toDegrees(Math.acos(Math.min(1, dot(sunDirection(await shot()), d))));
  const before = await laidNow();
  await desk.drag(before, [before[0] + 40, before[1] + 10]);
  await expect.poll(off).toBeGreaterThan(3);
  await desk.saved();
  await desk.drag(await laidNow(), before);
  await expect.poll(off).toBeLessThan(2.5);

  // The grey paving in this light tells what the plate was balanced for, warmer or cooler by what light that is.
  const white = async () => (await shot()).light.whiteKelvin;
  await page.getByTestId("drawer-sky").click();
  await desk.tool("neutral");
  await desk.click([700, 950], 0);
  await expect.poll(white).not.toBeNull();
  const first = (await white())!;
  await desk.type("Temperature of the light on the grey thing", "4500");
  await desk.tool("neutral");
  await desk.click([700, 950], 0);
  await expect.poll(white).toBeLessThan(first);
});

test("surroundings: a picture all around lights the shot, is turned on the plate, and gives its sun away", async ({
  page,
  request,
}) => {
  const id = await copyOfDemo(request, (copy) => {
    withoutProps(copy);
    copy.light.sightings = {};
  });
  const light = async () => (await opened(request, id)).shot.light;
  const desk = new Desk(page);
  // Half a degree a pixel: even sky and ground, and a sun of 4 × 4 pixels, 40° high, a quarter to the right of the middle.
  const [width, height] = [720, 360];
  const pixels = new Float32Array(width * height * 3).fill(0.4);
  for (let y = 98; y < 102; y++)
    for (let x = 538; x < 542; x++) pixels.fill(9000, (y * width + x) * 3, (y * width + x) * 3 + 3);
  const file = {
    name: "quay-around.exr",
    mimeType: "image/x-exr",
    buffer: Buffer.from(writeExr(width, height, colourChannels(pixels, 3))),
  };
  await page.goto(`/shots/${id}/light`);
  const before = luminance((await light()).sky.radiance);
  await page.getByTestId("drawer-sky").click();
  await page.getByTestId("surroundings-first").setInputFiles(file);
  await expect.poll(async () => (await light()).sky.spread.kind).toBe("picture");
  // Level ground stays as bright as it was.
  expect(luminance((await light()).sky.radiance)).toBeCloseTo(before, 3);
  await expect(page.getByTestId("around-sun")).toContainText("at 90°, 40° high");

  // A mirror ball shows its sun where the law of reflection has it: half-way between the way to it and that to the camera.
  await desk.tool("turn-sky");
  const { rotation } = (await opened(request, id)).shot.solved!.camera;
  const high = (40 * Math.PI) / 180;
  const toSun: Vec3 = [Math.cos(high), 0, Math.sin(high)];
  const middle = normalize(toSun.map((v, k) => v - rotation[2][k]) as Vec3);
  const ball = page.getByTestId("turned-ball").locator("canvas");
  /** Share of a ring of five pixels about where the sun should be that is drawn in the marks' colour. */
  const ringed = () =>
    ball.evaluate(
      (canvas: HTMLCanvasElement, [x, y]) => {
        const g = canvas.getContext("2d")!;
        const half = canvas.width / 2;
        const turns = Array.from({ length: 24 }, (_, i) => (i * Math.PI) / 12);
        const marked = turns.filter((a) =>
          [4, 5, 6].some((r) => {
            const at = [half + (half - 1) * x + r * Math.cos(a), half + (half - 1) * y + r * Math.sin(a)];
            const [red, , blue] = g.getImageData(Math.floor(at[0]), Math.floor(at[1]), 1, 1).data;
            return red - blue > 50;
          }),
        );
        return marked.length / turns.length;
      },
      [dot(middle, rotation[0] as Vec3), dot(middle, rotation[1] as Vec3)] as [number, number],
    );
  await expect.poll(ringed).toBeGreaterThan(0.9);

  // What is under the pointer goes along with it: so far as the camera sees the two pixels apart.
  await desk.drag([500, 500], [900, 500]);
  const turned = () => light().then(({ sky }) => (sky.spread.kind === "picture" ? sky.spread.turnDeg : 0));
  const { camera } = (await opened(request, id)).shot.solved!;
  const azimuth = (pixel: Vec2) => {
    const [x, y] = pixelDirection(camera, pixel);
    return toDegrees(Math.atan2(x, y));
  };
  await expect.poll(turned).toBeGreaterThan(1);
  expect(Math.abs((await turned()) - (azimuth([900, 500]) - azimuth([500, 500])))).toBeLessThan(0.1);

  await page.getByTestId("around-sun-out").click();
  await expect.poll(async () => (await light()).sun.elevationDeg).toBeCloseTo(40, 0);
  const { sun, sky } = await light();
  expect(Math.abs(sun.azimuthDeg - 90 - (await turned()))).toBeLessThan(0.3);
  // Together they light level ground as the picture alone did.
  const ground =
    Math.PI * luminance(sky.radiance) + Math.sin((sun.elevationDeg * Math.PI) / 180) * luminance(sun.irradiance);
  expect(Math.abs(ground / (Math.PI * before) - 1)).toBeLessThan(0.01);
  await page.getByTestId("around-reach").click();
  await page.getByRole("option", { name: "a room of its size" }).click();
  await expect.poll(async () => (await light()).sky.spread).toMatchObject({ extent: { kind: "box", half: [5, 5, 5] } });
});
