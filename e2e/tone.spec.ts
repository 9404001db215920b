import { expect, test } from "@playwright/test";
import { toneMeter } from "../src/testing/viewTone.ts";
import { copyOfDemo } from "./shots.ts";

test.use({ viewport: { width: 1920, height: 1080 }, testIdAttribute: "data-test" });

test("net loft: polished copper and blown glass are as bright in the view as in the proof, and every shader is sound", async ({
  page,
  baseURL,
  request,
}) => {
  const errors: string[] = [];
  page.on("console", (message) => message.type() === "error" && errors.push(message.text()));
  const meter = await toneMeter(page, baseURL!, await copyOfDemo(request, undefined, "netloft"), 24);
  // Within the tenth that a view may be off, once it knows what is around them.
  const off = async () => (await meter.tones()).filter(({ ratio }) => Math.abs(ratio - 1) > 0.1);
  expect((await meter.tones()).map(({ prop }) => prop).sort()).toEqual(["Copper kettle", "Net float"]);
  await expect.poll(off, { timeout: 180_000, intervals: [4000] }).toEqual([]);
  // From outside all of them have others.
  await page.getByTestId("prop-prop-1").click();
  await page.getByTestId("drawer-place").click();
  await page.getByText("from outside").click();
  await expect(page.getByText("through the camera")).toBeVisible();
  await page.waitForTimeout(6000);
  expect(errors).toEqual([]);
});
