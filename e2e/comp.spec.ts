import { readFile } from "node:fs/promises";
import { expect, test } from "@playwright/test";
import sharp from "sharp";
import { newComp } from "#core/comp/schema";
import { NOISE, SOFTNESS } from "../src/demo/develop.ts";
import type { Pixel } from "./desk.ts";
import { Desk } from "./desk.ts";
import { readWithExrs } from "../src/testing/exrsExr.ts";
import { copyOfDemo, opened, withoutProps } from "./shots.ts";

test.use({ testIdAttribute: "data-test" });

test("sharpness and grain of the plate are measured, and the proof wears them", async ({ page, request }) => {
  const id = await copyOfDemo(request, (copy) => (copy.comp = newComp()));
  const comp = async () => (await opened(request, id)).shot.comp;
  await page.goto(`/shots/${id}/comp`);
  await page.getByTestId("drawer-match").click();
  await page.getByTestId("measure-sharpness").click();
  await expect.poll(async () => (await comp()).sharpness.sigmaPx).not.toBeNull();
  // Of the demo's camera: its blur over the pixel filter of the photograph, both as Gaussians.
  expect(Math.abs((await comp()).sharpness.sigmaPx! - Math.hypot(SOFTNESS, 0.4155))).toBeLessThan(0.1);
  await page.getByTestId("measure-grain").click();
  await expect.poll(async () => (await comp()).grain.model).not.toBeNull();
  await expect(page.getByTestId("grain-told")).toContainText("flat patches");
  const { model } = (await comp()).grain;
  // The plate is a JPEG: its grain is laid in squares, or as coarse as it is if they are not wanted.
  const squares = page.getByTestId("grain-blocks");
  await expect(squares).toBeChecked();
  await expect(page.getByLabel("Size of the grain")).toHaveCount(0);
  await squares.uncheck();
  await expect.poll(async () => (await comp()).grain.model?.blocks?.on).toBe(false);
  await expect(page.getByLabel("Size of the grain")).toBeVisible();
  await squares.check();
  await expect.poll(async () => (await comp()).grain.model?.blocks?.on).toBe(true);
  // Its chart is drawn: it stood there without height once.
  const chart = page.getByRole("figure").filter({ hasText: "Grain over light" }).locator("canvas").first();
  expect((await chart.boundingBox())!.height).toBeGreaterThan(60);
  const drawn = () =>
    chart.evaluate((canvas: HTMLCanvasElement) => {
      const { data } = canvas.getContext("2d")!.getImageData(0, 0, canvas.width, canvas.height);
      return data.filter((v, i) => i % 4 === 3 && v > 0).length / (data.length / 4);
    });
  await expect.poll(drawn).toBeGreaterThan(0.01);
  // On a part of the sky alone it is told anew, by that part, which can be moved; and all over the plate again.
  const desk = new Desk(page);
  await desk.tool("grain-area");
  await desk.drag([300, 60], [520, 160]);
  await expect.poll(async () => (await comp()).grain.areas).toHaveLength(1);
  await expect.poll(async () => (await comp()).grain.model?.read[1]).not.toBe(model!.read[1]);
  await expect(page.getByTestId("grain-area-0")).toBeVisible();
  await desk.drag([410, 110], [450, 110]);
  await expect.poll(async () => Math.round((await comp()).grain.areas[0][0])).toBe(340);
  await page.getByTestId("grain-everywhere").click();
  await page.getByTestId("measure-grain").click();
  await expect.poll(async () => (await comp()).grain.model).toEqual(model);
  // A tool opens its drawer, and ends with it.
  await page.getByTestId("drawer-look").click();
  await expect(page.getByTestId("drawer-match")).toHaveAttribute("aria-pressed", "false");
  await page.keyboard.press("g");
  await expect(page.getByTestId("drawer-match")).toHaveAttribute("aria-pressed", "true");
  await expect(page.getByText("Grain: click a corner")).toBeVisible();
  await page.getByTestId("drawer-look").click();
  await expect(page.getByText("Grain: click a corner")).toBeHidden();
  await page.getByTestId("drawer-match").click();
  // JPEG takes some of the sensor's noise away, and never adds any: a third to all of it at middle brightness.
  const truth = Math.sqrt(NOISE.read ** 2 + 0.5 * NOISE.shot);
  for (const k of [0, 1, 2]) {
    const sigma = Math.sqrt(model!.read[k] ** 2 + 0.5 * model!.shot[k]);
    expect(sigma / truth).toBeGreaterThan(0.33);
    expect(sigma / truth).toBeLessThan(1);
  }

  // Sharpness is in the render, so that there is no picture without it; held to a matte it is laid on afterwards.
  await page.getByTestId("drawer-mattes").click();
  await page.getByTestId("new-matte").click();
  await page.getByTestId("drawer-match").click();
  const sharpness = page.getByTestId("stage-sharpness");
  await expect(sharpness.getByText("before")).toBeHidden();
  await sharpness.locator(".p-select").click();
  await page.getByRole("option").nth(1).click();
  await expect.poll(async () => (await comp()).sharpness.matte).toBe("matte-1");
  await expect(sharpness.getByText("before")).toBeVisible();

  // Typed and taken back, each as one edit.
  await page.getByLabel("Strength of the grain", { exact: true }).fill("0.5");
  await page.keyboard.press("Enter");
  await expect.poll(async () => (await comp()).grain.strength).toBe(0.5);
  await page.getByLabel("Take back").click();
  await expect.poll(async () => (await comp()).grain.strength).toBe(1);
});

/** Mean codes of the rows of the picture that is shown while something is dragged, and of the one that follows it. */
async function rowsWhileDragged(): Promise<{ quick: number[]; whole: number[] }> {
  const canvas = document.querySelector<HTMLCanvasElement>('[data-test="proof-picture"]')!;
  const full = canvas.width;
  const until = async (width: number) => {
    const begun = performance.now();
    while (canvas.width !== width) {
      if (performance.now() - begun > 5000) throw new Error(`No picture ${width} wide came.`);
      await new Promise(requestAnimationFrame);
    }
  };
  const rows = (step: number) => {
    const { width, height } = canvas;
    const { data } = canvas.getContext("2d")!.getImageData(0, 0, width, height);
    return Array.from({ length: Math.floor(height / step) }, (_, y) => {
      let sum = 0;
      for (let i = y * step * width * 4; i < (y + 1) * step * width * 4; i += 4) sum += data[i] + data[i + 1];
      return sum / (2 * step * width);
    });
  };
  await until(Math.floor(full / 2));
  const quick = rows(1);
  await until(full);
  return { quick, whole: rows(2) };
}

test("a final is finished again, held to a matte, reported on and handed over; nothing is rendered for it", async ({
  page,
  request,
}) => {
  const id = await copyOfDemo(request);
  const comp = async () => (await opened(request, id)).shot.comp;
  const begun = await request.post(`/api/shots/${id}/finals`, { data: { percent: 50, samples: 4 } });
  const final = ((await begun.json()) as { id: string }).id;
  const state = async () => {
    const list = (await (await request.get(`/api/shots/${id}/finals`)).json()) as { status: string }[];
    return list[0].status;
  };
  await expect.poll(state, { timeout: 300_000, intervals: [1000] }).toBe("done");
  const pictureOf = async () => {
    const bytes = await (await request.get(`/api/finals/${final}/picture.png`)).body();
    return sharp(bytes).raw().toBuffer();
  };
  const before = await pictureOf();

  const desk = new Desk(page);
  await page.goto(`/shots/${id}/comp`);
  // It is taken by itself.
  await expect(page.getByTestId("finish-whole")).toBeVisible({ timeout: 300_000 });
  await expect(page.getByTestId("take-final")).toHaveText("taken");
  await page.getByTestId("drawer-tone").click();
  // A pair of tones is clicked on the plate, then on the prop: each is what the loupe shows.
  await desk.tool("tone-pair");
  const red: Pixel = [760, 504];
  await expect.poll(() => desk.loupeAt(red)).toBeLessThan(1.3);
  await desk.click([1300, 260], 0);
  await expect.poll(() => desk.loupeAt(red)).toBeGreaterThan(1.6);
  await desk.click(red, 0);
  // A wall is no match for red paint.
  await expect(page.getByTestId("pairs-doubt")).toContainText("against red");
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: "clear", exact: true }).click();
  await expect(page.getByTestId("pairs-doubt")).toBeHidden();
  await desk.type("Exposure, stops", "-2");
  await expect.poll(async () => (await comp()).props.exposure).toBe(-2);
  expect((await comp()).props.on).toBe(true);

  // While a slider moves, workers share the rows of a picture of half the size: none is missing, none in another's place.
  await page.getByLabel("Exposure, stops, slider").focus();
  // What is still being finished when the key is let go goes straight on to the whole size: again, then.
  await expect(async () => {
    const moved = page.evaluate(rowsWhileDragged);
    await page.keyboard.press("ArrowLeft");
    const { quick, whole } = await moved;
    expect(quick.length).toBeGreaterThan(100);
    quick.forEach((mean, y) => expect(Math.abs(mean - whole[y])).toBeLessThan(4));
  }).toPass({ timeout: 120_000 });
  await desk.type("Exposure, stops", "-2");
  await expect.poll(async () => (await comp()).props.exposure).toBe(-2);

  // Of the whole chain nothing is rendered again: the reflection spreads and fades by where it lies.
  await page.getByTestId("drawer-shadow").click();
  await desk.type("Rough as", "0.4");
  await desk.type("Fades with height", "0.8");
  await expect.poll(async () => (await comp()).reflection).toMatchObject({ on: true, roughness: 0.4, fadeMetres: 0.8 });
  // Contact needs what this final was not asked for; that it shows nothing is said.
  await desk.type("Contact", "0.5");
  await expect(page.getByTestId("contact-unknown")).toBeVisible();
  await desk.type("Contact", "0");
  await expect(page.getByTestId("contact-unknown")).toBeHidden();

  // A curve by four clicks, in front of everything: the plate comes back there.
  await page.getByTestId("drawer-mattes").click();
  await page.getByTestId("new-matte").click();
  await desk.tool("matte-curve");
  for (const pixel of [
    [700, 360],
    [880, 360],
    [880, 560],
    [700, 560],
  ] as const)
    await desk.click([...pixel], 1);
  await page.keyboard.press("Enter");
  await expect.poll(async () => (await comp()).mattes["matte-1"]?.shapes.length).toBe(1);
  await page.getByTestId("in-front").click();
  await expect.poll(async () => (await comp()).foreground.matte).toBe("matte-1");
  // Away from it a stroke over a bollard, which ends where the plate has its outline.
  await desk.tool("matte-brush");
  await desk.type("Radius of the brush", "40");
  await desk.type("Steepness of the plate that stops the brush, code values; 0 crosses every edge", "40");
  await desk.drag([368, 545], [368, 568]);
  await expect
    .poll(async () => (await comp()).mattes["matte-1"].shapes[1]?.shape)
    .toMatchObject({
      kind: "brush",
      radius: 40,
      stop: 40,
    });

  await page.getByTestId("drawer-view").click();
  await page.getByTestId("finish-whole").click();
  await expect(page.getByText("Finished at full size.").first()).toBeVisible({ timeout: 300_000 });
  const after = await pictureOf();
  const { shot } = await opened(request, id);
  const { width, height } = await sharp(
    await (await request.get(`/api/finals/${final}/picture.png`)).body(),
  ).metadata();
  expect([width, height]).toEqual([shot.plates.main.width / 2, shot.plates.main.height / 2]);
  const at = (of: Buffer, u: number, v: number) => of[(Math.round(v / 2) * width + Math.round(u / 2)) * 3];
  // Beside the matte the buoy is two stops darker; within it there is no buoy.
  expect(at(after, 790, 620)).toBeLessThan(at(before, 790, 620) - 15);
  expect(at(after, 40, 40)).toBe(at(before, 40, 40));

  // What is wrong with it comes first.
  await page.getByTestId("drawer-sit").click();
  await page.getByTestId("sit-report").click();
  await expect(page.getByTestId("sit-state")).toContainText("to mend", { timeout: 300_000 });
  await expect(page.getByTestId("step-comp")).toContainText("to mend");

  // Handed over with its own name, and the shot comes back from its one file as it was.
  await desk.step("handover");
  await page.getByTestId("preset-client").click();
  await page.getByTestId("export-bundle").click();
  await page.getByTestId("export-exr").click();
  await desk.type("Size of pictures", "50");
  await page.getByTestId("pattern").fill("{what} of {shot}");
  await page.getByTestId("hand-over").click();
  const links = page.getByTestId("handed-over").locator("a");
  await expect(links.first()).toBeVisible({ timeout: 300_000 });
  expect(await links.allInnerTexts()).toEqual(
    expect.arrayContaining(
      ["picture-of-Copy.jpg", "sit-report-of-Copy.pdf", "layers-of-Copy.exr", "shot-of-Copy.zip"].map((n) =>
        expect.stringContaining(n),
      ),
    ),
  );
  const layers = await readWithExrs(
    await (await request.get((await links.filter({ hasText: ".exr" }).getAttribute("href"))!)).body(),
  );
  expect([layers.width, layers.height]).toEqual([width / 2, height / 2]);
  expect([...layers.channels.keys()]).toEqual(expect.arrayContaining(["shadow.R", "reflection.G", "object.A", "Z"]));
  const [download] = await Promise.all([page.waitForEvent("download"), links.filter({ hasText: ".zip" }).click()]);
  const zip = await readFile(await download.path());
  await page.goto("/");
  await page.getByTestId("plate-file").setInputFiles({ name: "shot.zip", mimeType: "application/zip", buffer: zip });
  await expect(page).toHaveURL(/\/shots\/[^/]+\/plate/);
  const back = /shots\/([^/]+)/.exec(page.url())![1];
  expect(back).not.toBe(id);
  expect((await opened(request, back)).shot).toEqual((await opened(request, id)).shot);
});

test("settings of another shot are listed before they are taken over, its camera only where it is named", async ({
  page,
  request,
}) => {
  const id = await copyOfDemo(request, withoutProps);
  await copyOfDemo(request, (copy) => {
    withoutProps(copy);
    copy.name = "Evening";
    Object.assign(copy.comp.look, { on: true, saturation: 0.7 });
    copy.solved!.camera.position[2] += 0.5;
  });
  const { solved } = (await opened(request, id)).shot;
  await page.goto(`/shots/${id}/comp`);
  const dialog = page.getByRole("dialog", { name: "Settings of another shot" });
  await page.getByTestId("copy-settings").click();
  await page.getByTestId("copy-from").click();
  // Escape closes the list, then the dialog.
  await expect(page.getByRole("listbox")).toBeVisible();
  await page.keyboard.press("Escape");
  await expect(page.getByRole("listbox")).toBeHidden();
  await expect(dialog).toBeVisible();
  await page.keyboard.press("Escape");
  await expect(dialog).toBeHidden();

  await page.getByTestId("copy-settings").click();
  await new Desk(page).choose("copy-from", "Evening");
  await expect(dialog).toContainText("saturation: 1 → 0.7");
  await expect(page.getByTestId("copy-comp.look")).toBeChecked();
  await expect(page.getByTestId("copy-solved")).not.toBeChecked();
  await page.getByTestId("copy-take").click();
  await expect(dialog).toBeHidden();
  const { shot } = await opened(request, id);
  expect(shot.comp.look).toMatchObject({ on: true, saturation: 0.7 });
  expect(shot.solved).toEqual(solved);
});
