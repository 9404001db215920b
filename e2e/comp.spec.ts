import { expect, test } from "@playwright/test";
import { newComp } from "#core/comp/schema";
import { NOISE, SOFTNESS } from "../src/demo/develop.ts";
import { copyOfDemo, opened } from "./shots.ts";

test.use({ testIdAttribute: "data-test" });

test("sharpness and grain of the plate are measured, and the proof wears them", async ({ page, request }) => {
  const id = await copyOfDemo(request, (copy) => (copy.comp = newComp()));
  const comp = async () => (await opened(request, id)).shot.comp;
  await page.goto(`/shots/${id}/comp`);
  await page.getByTestId("measure-sharpness").click();
  await expect.poll(async () => (await comp()).sharpness.sigmaPx).not.toBeNull();
  // Of the demo's camera: its blur over the pixel filter of the photograph, both as Gaussians.
  expect(Math.abs((await comp()).sharpness.sigmaPx! - Math.hypot(SOFTNESS, 0.4155))).toBeLessThan(0.1);
  await page.getByTestId("measure-grain").click();
  await expect.poll(async () => (await comp()).grain.model).not.toBeNull();
  await expect(page.getByTestId("grain-told")).toContainText("flat patches");
  const { model } = (await comp()).grain;
  // JPEG takes some of the sensor's noise away, and never adds any: a third to all of it at middle brightness.
  const truth = Math.sqrt(NOISE.read ** 2 + 0.5 * NOISE.shot);
  for (const k of [0, 1, 2]) {
    const sigma = Math.sqrt(model!.read[k] ** 2 + 0.5 * model!.shot[k]);
    expect(sigma / truth).toBeGreaterThan(0.33);
    expect(sigma / truth).toBeLessThan(1);
  }

  // Typed and taken back, each as one edit.
  await page.getByLabel("Strength of the grain", { exact: true }).fill("0.5");
  await page.keyboard.press("Enter");
  await expect.poll(async () => (await comp()).grain.strength).toBe(0.5);
  await page.getByLabel("Take back").click();
  await expect.poll(async () => (await comp()).grain.strength).toBe(1);
});
