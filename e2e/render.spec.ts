import { expect, test } from "@playwright/test";
import { projectPoint } from "#core/optics/camera";
import { Desk } from "./desk.ts";
import { copyOfDemo, opened } from "./shots.ts";

test.use({ testIdAttribute: "data-test" });

test("the proof keeps its samples when only the comp changes, looks closer, and focus is picked in it", async ({
  page,
  request,
}) => {
  const id = await copyOfDemo(request);
  const desk = new Desk(page);
  await page.goto(`/shots/${id}/render`);
  await page.getByTestId("proof").click();
  const samples = async () => Number(await page.getByTestId("proof-samples").textContent());
  await expect.poll(samples, { timeout: 300_000 }).toBeGreaterThan(4);
  await page.getByText("Stop here").click();
  // What was under way when it was stopped is still counted.
  await page.waitForTimeout(1500);
  const before = await samples();

  // A weaker sun and another shadow density are laid over the samples that are there.
  await desk.step("light");
  await desk.type("Strength of Sun", "0.8");
  await page.getByTestId("drawer-shade").click();
  await desk.type("Shadow density", "1.5");
  await desk.step("render");
  // One that began anew would count on from two.
  for (let i = 0; i < 20; i++) {
    expect(await samples()).toBeGreaterThanOrEqual(before);
    await page.waitForTimeout(150);
  }
  await expect(page.getByTestId("proof-noise")).toContainText("of 255");

  // A part of the plate, at its own size.
  await page.getByTestId("tool-closer").click();
  await desk.click([700, 500]);
  await desk.click([900, 640]);
  await expect(page.getByTestId("proof-facts")).toContainText(/20\d × 14\d/, { timeout: 300_000 });
  await page.getByTestId("whole").click();
  await expect(page.getByTestId("proof-facts")).toContainText("1620 × 1080", { timeout: 300_000 });

  // The buoy's body is in focus where it is clicked.
  const { shot } = await opened(request, id);
  const camera = shot.solved!.camera;
  const [x, y] = shot.props["prop-1"].placement.position;
  const pixel = projectPoint(camera, [x, y, 0.7])!;
  await page.getByTestId("drawer-focus").click();
  await page.getByTestId("tool-focus").click();
  await desk.fit();
  // The loupe shows what is aimed at: its red paint, and not the plate behind it.
  await expect.poll(() => desk.loupeAt(pixel)).toBeGreaterThan(1.6);
  await desk.click(pixel);
  await expect.poll(async () => (await opened(request, id)).shot.focus.on).toBe(true);
  const { focus } = (await opened(request, id)).shot;
  // Its front is about half a metre before its middle.
  const forward = camera.rotation[2];
  const middle = [x, y, 0.7].reduce((sum, v, k) => sum + forward[k] * (v - camera.position[k]), 0);
  expect(middle - focus.distance).toBeGreaterThan(0.3);
  expect(middle - focus.distance).toBeLessThan(0.7);
  await expect(page.getByText(/from [\d.]+ m/)).toBeVisible();
});

test("a proof is denoised part by part, and left when that is no longer wanted", async ({ page, request }) => {
  const id = await copyOfDemo(request);
  const desk = new Desk(page);
  await page.goto(`/shots/${id}/render`);
  await desk.type("Samples a pixel", "2");
  await page.getByTestId("denoise").click();
  await page.getByTestId("proof").click();
  const facts = page.getByTestId("proof-facts");
  await expect(facts).toContainText(/\d+ % denoised/, { timeout: 300_000 });
  await expect(facts).toContainText("2 of 2");
  await page.getByTestId("denoise").click();
  await expect(facts).not.toContainText("denoised");
  await expect(page.getByText("Stop here")).toBeHidden();
  await page.getByTestId("denoise").click();
  await expect(facts).toContainText("before denoising", { timeout: 300_000 });
});

test("a lamp is hung, aimed and lights the proof; what meets a prop is chosen", async ({ page, request }) => {
  const id = await copyOfDemo(request);
  const desk = new Desk(page);
  await page.goto(`/shots/${id}/light`);
  await page.getByTestId("drawer-lamps").click();
  await page.getByTestId("add-spot").click();
  await expect.poll(async () => Object.keys((await opened(request, id)).shot.light.lamps)).toEqual(["lamp-1"]);
  const { shot } = await opened(request, id);
  const camera = shot.solved!.camera;
  const [x, y] = shot.props["prop-1"].placement.position;
  await page.getByTestId("tool-lamp-aim").click();
  await desk.click(projectPoint(camera, [x, y + 1, 0])!);
  const lamp = async () => (await opened(request, id)).shot.light.lamps["lamp-1"];
  await expect.poll(async () => (await lamp()).tiltDeg).not.toBe(-90);
  const { position, azimuthDeg } = await lamp();
  const expected = (Math.atan2(x - position[0], y + 1 - position[1]) * 180) / Math.PI;
  expect(Math.abs(azimuthDeg - expected)).toBeLessThan(2);
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await lamp()).tiltDeg).toBe(-90);

  await desk.step("props");
  await page.locator(".list > div", { hasText: "Channel buoy" }).click();
  await page.getByTestId("drawer-place").click();
  await page.getByTestId("meets-shadow").click();
  await expect.poll(async () => (await opened(request, id)).shot.props["prop-1"].visibility.shadow).toBe(false);
  await expect(page.getByTestId("meets-shadow")).toHaveAttribute("aria-pressed", "false");
});

test("finals with layers, and two of them compared", async ({ page, request }) => {
  const id = await copyOfDemo(request);
  const desk = new Desk(page);
  await page.goto(`/shots/${id}/render`);
  await page.getByTestId("size-25").click();
  await expect.poll(async () => (await opened(request, id)).shot.render.percent).toBe(25);
  await desk.type("Samples", "2");
  await page.getByTestId("drawer-layers").click();
  await page.getByTestId("pass-mattes").click();
  await page.getByTestId("pass-occlusion").click();
  await page.getByTestId("drawer-render").click();
  await page.getByTestId("final").click();
  await expect(page.getByText("Final ready: 405 × 270").first()).toBeVisible({ timeout: 300_000 });
  await desk.type("Samples", "16");
  await page.getByTestId("final").click();
  await page.getByTestId("drawer-finals").click();
  await expect(page.getByTestId("compare")).toHaveCount(2, { timeout: 300_000 });
  await page.getByTestId("compare").nth(0).click();
  await page.getByTestId("compare").nth(1).click();
  await page.getByText("difference × 8").click();
  await expect(page.getByTestId("apart")).toContainText("of 255 apart");
  await desk.step("handover");
  await page.getByTestId("preset-compositor").click();
  for (const other of ["st", "camera"]) await page.getByTestId(`export-${other}`).click();
  await page.getByTestId("hand-over").click();
  const file = page.getByTestId("handed-over").locator("a").first();
  const [download] = await Promise.all([page.waitForEvent("download"), file.click()]);
  expect(download.suggestedFilename()).toBe("Copy-layers.exr");
  // Both are of the shot as it is, whatever they were rendered with, until something of it changes.
  await desk.step("render");
  await page.getByTestId("drawer-finals").click();
  await expect(page.getByTestId("compare")).toHaveCount(2);
  await expect(page.getByTestId("changed-since")).toHaveCount(0);
  await page.getByTestId("drawer-focus").click();
  await page.getByTestId("focus-on").click();
  await page.getByTestId("drawer-finals").click();
  await expect(page.getByTestId("changed-since")).toHaveText(Array(2).fill("focus changed since it was rendered"));
  // With ambient occlusion among its layers a final knows contact.
  await desk.step("comp");
  await page.getByTestId("take-final").first().click();
  await expect(page.getByTestId("take-final").first()).toHaveText("taken");
  await page.getByTestId("drawer-shadow").click();
  await desk.type("Contact", "0.5");
  await expect(page.getByText("Contact asks the render")).toBeVisible();
  await expect(page.getByTestId("contact-unknown")).toHaveCount(0);
  await desk.step("render");
  // A size that makes no sense is refused where it is typed.
  await page.getByTestId("drawer-render").click();
  await desk.type("Size in per cent of the plate's side", "900");
  await expect.poll(async () => (await opened(request, id)).shot.render.percent).toBe(25);
});
