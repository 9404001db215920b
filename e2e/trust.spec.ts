import { expect, test } from "@playwright/test";
import type { Page } from "@playwright/test";
import { colourChannels, writeExr } from "#core/image/exr";
import { projectPoint } from "#core/optics/camera";
import { roleOf } from "#core/set/roles";
import type { Vec2 } from "#core/math/vec3";
import { Desk } from "./desk.ts";
import { copyOfDemo, opened, withoutProps } from "./shots.ts";

test.use({ testIdAttribute: "data-test" });

async function dropFile(page: Page, name: string, content: string): Promise<void> {
  const transfer = await page.evaluateHandle(
    ([fileName, text]) => {
      const files = new DataTransfer();
      files.items.add(new File([text], fileName));
      return files;
    },
    [name, content],
  );
  await page.dispatchEvent("main", "drop", { dataTransfer: transfer });
}

test("files that are not what they say are refused in a sentence, and nothing is lost", async ({ page, request }) => {
  await page.goto("/");
  const before = await page.locator("article").count();
  await dropFile(page, "holiday.jpg", "only text");
  await expect(
    page.getByText("“holiday.jpg” is no JPEG, PNG, TIFF, WebP, EXR or HDR picture, whatever its name says."),
  ).toBeVisible();
  await expect(page.getByText("Save the photo as one of these")).toBeVisible();
  expect(await page.locator("article").count()).toBe(before);

  const id = await copyOfDemo(request);
  await page.goto(`/shots/${id}/props`);
  await expect(page.getByText("Channel buoy").first()).toBeVisible();
  await dropFile(page, "model.glb", "no model");
  await expect(page.getByText("“model.glb” is no model that can be read")).toBeVisible();
  expect(Object.keys((await opened(request, id)).shot.props)).toEqual(["prop-1"]);
});

/** Types into the first of the known lengths. */
async function typeFirstLength(page: Page, text: string): Promise<void> {
  const field = page.getByLabel("Known length", { exact: true }).first();
  await field.fill(text);
  await field.press("Enter");
}

test("contradictions are named: a zero length, the same edge twice, an edge pulled off", async ({ page, request }) => {
  const id = await copyOfDemo(request, (copy) => {
    copy.set = {};
    copy.props = {};
  });
  const desk = new Desk(page);
  await page.goto(`/shots/${id}/camera`);
  await expect(page.getByTestId("camera-facts")).toBeVisible();
  await page.getByTestId("drawer-scale").click();
  await typeFirstLength(page, "0");
  await expect(page.getByRole("alert")).toContainText("above zero");
  expect((await opened(request, id)).shot.lengths["length-1"].metres).toBe(2.12);
  await typeFirstLength(page, "6ft 11.46in");
  await expect.poll(async () => (await opened(request, id)).shot.lengths["length-1"].metres).toBeCloseTo(2.12, 3);

  const { points } = (await opened(request, id)).shot.edges["edge-1"];
  await page.getByTestId("drawer-marks").click();
  await desk.tool("edge-x");
  await desk.click(points[0], 6);
  await desk.click(points[1], 6);
  await expect(page.getByText("are the same mark; it counts once")).toBeVisible();
  await page.keyboard.press("Escape");
  await page.keyboard.press("Control+z");
  await expect(page.getByText("are the same mark")).toBeHidden();

  await desk.fit();
  const [, end] = (await opened(request, id)).shot.edges["edge-1"].points;
  await desk.drag(end, [end[0], end[1] + 30]);
  await expect(page.getByText(/Edge edge-1 pulls by [\d.]+ px/)).toBeVisible();
});

test("marks can be found, nudged and deleted with the keyboard alone", async ({ page, request }) => {
  const id = await copyOfDemo(request, (copy) => {
    copy.set = {};
    copy.props = {};
  });
  await page.goto(`/shots/${id}/camera`);
  await expect(page.getByTestId("camera-facts")).toBeVisible();
  await page.getByTestId("desk").focus();
  await page.getByTestId("desk").evaluate(() => undefined);
  await page.locator(".edges > div").first().click();
  await page.getByTestId("desk").focus();
  const before = (await opened(request, id)).shot.edges["edge-1"].points;
  await page.keyboard.press("Shift+ArrowRight");
  await expect
    .poll(async () => (await opened(request, id)).shot.edges["edge-1"].points[0][0] - before[0][0])
    .toBeCloseTo(1, 6);
  await page.keyboard.press("Tab");
  await page.keyboard.press("ArrowUp");
  await expect.poll(async () => (await opened(request, id)).undo.at(-1)?.name).toBe("Nudge");
  const count = Object.keys((await opened(request, id)).shot.edges).length;
  await page.keyboard.press("Delete");
  await expect.poll(async () => Object.keys((await opened(request, id)).shot.edges).length).toBe(count - 1);
  await page.keyboard.press("Control+z");
  await expect.poll(async () => Object.keys((await opened(request, id)).shot.edges).length).toBe(count);
  // A switch that holds the focus does not swallow the shortcuts.
  await page.getByTestId("drawer-lens").click();
  await page.getByTestId("solve-k1").click();
  await expect.poll(async () => (await opened(request, id)).shot.lens.solveK1).toBe(false);
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await opened(request, id)).shot.lens.solveK1).toBe(true);
  await page.keyboard.press("?");
  await expect(page.getByText("nudge by a tenth of a pixel")).toBeVisible();
});

test("two windows: other things are put together, the same thing is kept as a take", async ({
  page,
  context,
  request,
}) => {
  const id = await copyOfDemo(request, withoutProps);
  const other = await context.newPage();
  for (const p of [page, other]) {
    await p.goto(`/shots/${id}/plate`);
    await expect(p.getByLabel("Owner")).toBeVisible();
  }
  const change = async (p: Page, label: string, text: string) => {
    await p.getByLabel(label, { exact: true }).fill(text);
    await p.getByLabel(label, { exact: true }).blur();
  };
  await change(page, "Owner", "First");
  await expect.poll(async () => (await opened(request, id)).shot.plates.main.owner).toBe("First");
  await change(other, "Licence", "Second");
  await expect(other.getByText("both changes are in")).toBeVisible();
  await expect
    .poll(async () => (await opened(request, id)).shot.plates.main)
    .toMatchObject({ owner: "First", licence: "Second" });
  // The first window has not heard of that; it now changes the same thing.
  await change(page, "Licence", "Third");
  await expect(page.getByText("your version is kept as a take")).toBeVisible();
  const takes = (await (await request.get(`/api/shots/${id}/takes`)).json()) as { name: string }[];
  expect(takes).toHaveLength(1);
  expect((await opened(request, id)).shot.plates.main.licence).toBe("Second");
});

test("work that the server could not take is kept in the browser and saved later", async ({ page, request }) => {
  const id = await copyOfDemo(request, withoutProps);
  await page.goto(`/shots/${id}/plate`);
  await expect(page.getByLabel("Owner")).toBeVisible();
  await page.route("**/steps", (route) => route.abort());
  await page.getByLabel("Owner").fill("Kept offline");
  await page.getByLabel("Owner").blur();
  await expect(page.getByTestId("saving")).toHaveClass(/offline/);
  await page.close({ runBeforeUnload: false });
  const again = await page.context().newPage();
  await again.goto(`/shots/${id}/plate`);
  await expect.poll(async () => (await opened(request, id)).shot.plates.main.owner).toBe("Kept offline");
});

test("a shot that is left while it is being saved and opened again loses and doubles nothing", async ({
  page,
  request,
}) => {
  const id = await copyOfDemo(request, withoutProps);
  await page.goto(`/shots/${id}/plate`);
  await page.route("**/steps", async (route) => {
    await new Promise((resolve) => setTimeout(resolve, 1000));
    await route.continue();
  });
  const before = (await opened(request, id)).undo.length;
  await page.getByLabel("Owner").fill("In flight");
  await page.getByLabel("Owner").press("Enter");
  const answered = page.waitForResponse("**/steps");
  await page.getByTitle("All shots").click();
  await answered;
  await page.goBack();
  await expect(page.getByLabel("Owner")).toHaveValue("In flight");
  await expect(page.getByTestId("saving")).not.toHaveClass(/offline/);
  await page.getByLabel("Licence").fill("Next");
  await page.getByLabel("Licence").press("Enter");
  await expect.poll(async () => (await opened(request, id)).shot.plates.main.licence).toBe("Next");
  await expect(page.getByText("kept as a take")).toBeHidden();
  expect((await opened(request, id)).undo).toHaveLength(before + 2);
});

test("solving again shows what would move, and moves it when taken", async ({ page, request }) => {
  const id = await copyOfDemo(request);
  await page.goto(`/shots/${id}/camera`);
  await expect(page.getByTestId("camera-facts")).toBeVisible();
  const before = (await opened(request, id)).shot;
  await page.getByTestId("drawer-scale").click();
  await typeFirstLength(page, "2.2");
  await expect(page.getByText("The marks now give another camera")).toBeVisible();
  expect((await opened(request, id)).shot.solved).toEqual(before.solved);
  await page.getByText("Take the new camera").click();
  await expect(page.getByText("The marks now give another camera")).toBeHidden();
  await expect
    .poll(async () => (await opened(request, id)).shot.solved!.camera.position[2])
    .not.toBe(before.solved!.camera.position[2]);
  const after = (await opened(request, id)).shot;
  const [ground, house] = [after.set["polygon-1"], after.set["block-1"]];
  if (ground.kind !== "polygon") throw new Error("kind");
  for (const v of ground.vertices) {
    const seen = projectPoint(after.solved!.camera, v.world) as Vec2;
    expect(Math.hypot(seen[0] - v.pixel![0], seen[1] - v.pixel![1])).toBeLessThan(0.01);
  }
  expect(house).toEqual(before.set["block-1"]);
  expect(after.props["prop-1"].placement).toEqual(before.props["prop-1"].placement);
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await opened(request, id)).shot.solved).toEqual(before.solved);
});

test("walls, posts and the view from outside", async ({ page, request }) => {
  const id = await copyOfDemo(request, (copy) => {
    delete copy.set["block-1"];
  });
  const desk = new Desk(page);
  await page.goto(`/shots/${id}/set`);
  await expect(page.getByTestId("tool-part-wall")).toBeVisible();
  await page.waitForTimeout(600);
  const { shot } = await opened(request, id);
  const camera = shot.solved!.camera;
  const ground = shot.set["polygon-1"];
  if (ground.kind !== "polygon") throw new Error("kind");
  // Side 4 runs from the house's near corner to its far one.
  const [a, b] = [4, 5].map((i) => ground.vertices[i].pixel!);
  const foot = ground.vertices[4].world;
  await desk.tool("part-wall");
  await desk.click([(a[0] + b[0]) / 2, (a[1] + b[1]) / 2], 0);
  await desk.click(projectPoint(camera, [foot[0], foot[1], 2]) as Vec2, 0);
  const wall = async () => {
    const part = (await opened(request, id)).shot.set["wall-1"];
    return part?.kind === "wall" ? part : null;
  };
  await expect.poll(async () => (await wall())?.on).toEqual({ part: "polygon-1", face: "face", side: 4 });
  await expect.poll(async () => (await wall())?.heights[0]).toBeCloseTo(2, 1);
  const top = projectPoint(camera, [foot[0], foot[1], 2]) as Vec2;
  await desk.drag(top, projectPoint(camera, [foot[0], foot[1], 3.1]) as Vec2);
  await expect.poll(async () => (await wall())?.heights).toEqual([expect.closeTo(3.1, 1), expect.closeTo(3.1, 1)]);
  await desk.tool("part-post");
  const bollard = [-7.3, -4.4, 0] as const;
  await desk.click(projectPoint(camera, [...bollard]) as Vec2, 0);
  await desk.click(projectPoint(camera, [-7.05, -4.4, 0]) as Vec2, 0);
  await desk.click(projectPoint(camera, [-7.3, -4.4, 0.64]) as Vec2, 0);
  await expect
    .poll(async () => {
      const post = (await opened(request, id)).shot.set["post-1"];
      return post?.kind === "post" ? [post.axis[2], roleOf(post.flags)] : null;
    })
    // Clicked a hair off, round lengths draw it.
    .toEqual([expect.closeTo(0.64, 1), "blocker"]);
  await page.keyboard.press("c");
  await expect(page.getByTestId("outside")).toContainText("through the camera");
  await page.keyboard.press("c");
  await expect(page.getByTestId("outside")).toContainText("from outside");
});

test("sun and sky come out alike with the shade marked on the plate or with its house raised", async ({
  page,
  request,
}) => {
  const points: Vec2[] = [
    [1103.7, 597],
    [704.5, 582.2],
    [649, 521.8],
    [905, 513.2],
    [906, 532],
    [1099, 592.5],
  ];
  const raised = await copyOfDemo(request);
  const marked = await copyOfDemo(request, (copy) => {
    copy.set = Object.fromEntries(Object.entries(copy.set).filter(([, s]) => s.kind === "polygon"));
    copy.light.shadows = { "shade-1": { id: "shade-1", plate: "main", points, feather: 2, hidesSky: 1 } };
  });
  const balanced = async (id: string) => {
    await page.goto(`/shots/${id}/light`);
    await page.getByTestId("drawer-probes").click();
    await page.getByRole("button", { name: "Balance" }).click();
    await expect(page.getByTestId("balanced")).toBeVisible();
    await expect.poll(async () => (await opened(request, id)).undo.at(-1)?.name).toBe("Balance the light");
    return (await opened(request, id)).shot.light;
  };
  const [a, b] = [await balanced(raised), await balanced(marked)];
  for (let k = 0; k < 3; k++) {
    expect(Math.abs(b.sun.irradiance[k] / a.sun.irradiance[k] - 1)).toBeLessThan(0.03);
    expect(Math.abs(b.sky.radiance[k] / a.sky.radiance[k] - 1)).toBeLessThan(0.12);
  }
  await page.getByTestId("drawer-shade").click();
  await page.getByLabel("Hides sky").fill("40");
  await page.getByLabel("Hides sky").press("Enter");
  await expect.poll(async () => (await opened(request, marked)).shot.light.shadows["shade-1"].hidesSky).toBe(0.4);
  const open = await balanced(marked);
  // The less sky is hidden, the less of it explains the shaded paving.
  expect(open.sky.radiance[0]).toBeLessThan(b.sky.radiance[0]);
});

test("the proof begins again when the prop is moved, and a final can be cancelled", async ({ page, request }) => {
  const id = await copyOfDemo(request);
  const desk = new Desk(page);
  await page.goto(`/shots/${id}/render`);
  await page.getByTestId("proof").click();
  await expect(page.getByTestId("proof-samples")).toBeVisible({ timeout: 300_000 });
  await expect
    .poll(async () => Number(await page.getByTestId("proof-samples").textContent()), { timeout: 300_000 })
    .toBeGreaterThan(2);
  await desk.step("props");
  const { shot } = await opened(request, id);
  const [x, y] = shot.props["prop-1"].placement.position;
  await page.getByText("Channel buoy").first().click();
  await page.getByTestId("drawer-place").click();
  await desk.type("Foot x", String(x + 0.5));
  await desk.step("render");
  await expect(page.getByText(/^after [\d.]+ s$/)).toBeVisible({ timeout: 300_000 });
  expect((await opened(request, id)).shot.props["prop-1"].placement.position[1]).toBe(y);
  await page.getByTestId("proof").click();
  await desk.type("Samples", "20000");
  await page.getByTestId("final").click();
  await page.getByTestId("drawer-finals").click();
  await expect(page.getByText("rendering", { exact: true })).toBeVisible();
  await page.getByText("Cancel").click();
  await expect(page.getByText("cancelled")).toBeVisible();
  // In the queue it is taken up again, paused, and cancelled for good.
  await page.getByTestId("to-queue").click();
  await page.getByTestId("queue-retry").first().click();
  await page.getByTestId("queue-pause").first().click();
  await expect(page.getByTestId("final-paused")).toBeVisible();
  await page.getByTestId("queue-resume").click();
  await expect(page.getByTestId("final-running")).toBeVisible();
  await page.getByTestId("queue-cancel").first().click();
  await expect(page.getByTestId("final-running")).toBeHidden();
});

test("a plate of floats is shown and says so, and its codes are kept as halves", async ({ page, request }) => {
  const [width, height] = [320, 200];
  const ramp = Float32Array.from({ length: width * height * 3 }, (_, i) => (4 * Math.floor(i / 3)) / (width * height));
  const exr = writeExr(width, height, colourChannels(ramp, 3), "float");
  await page.goto("/");
  await page.getByTestId("plate-file").setInputFiles({ name: "dawn.exr", mimeType: "", buffer: Buffer.from(exr) });
  await expect(page.getByText("320 × 200 px, 16 bit float")).toBeVisible();
  await expect(page.getByText("kept as halves")).toBeVisible();
  const id = /shots\/([^/]+)/.exec(page.url())![1];
  expect((await opened(request, id)).shot.plates.main.encoding.curves[0].kind).toBe("half");
  // On the list it has its picture.
  await page.goto("/");
  const small = page.getByAltText("Plate of dawn");
  await expect.poll(() => small.evaluate((img: HTMLImageElement) => img.naturalWidth)).toBeGreaterThan(100);
});
