import { expect, test } from "@playwright/test";
import sharp from "sharp";
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

test("where the tracer cannot be had, the props are still shown, and it is said that they mirror a guess", async ({
  page,
  request,
}) => {
  await page.route("**/kernel.wasm", (route) => route.abort());
  /** Pixels as red as the buoy's paint. */
  const red = async () => {
    const png = await page.locator(".desk").screenshot();
    const { data, info } = await sharp(png).removeAlpha().raw().toBuffer({ resolveWithObject: true });
    let count = 0;
    for (let i = 0; i < data.length; i += info.channels) if (data[i] > 1.8 * data[i + 1] && data[i] > 90) count++;
    return count;
  };
  const guess = page.getByText("here they mirror a guess");
  await page.goto(`/shots/${await copyOfDemo(request, (copy) => void (copy.props = {}))}/props`);
  await expect(page.getByTestId("add-box")).toBeVisible();
  await page.waitForTimeout(2000);
  const plate = await red();
  await expect(guess).toHaveCount(0);
  await page.goto(`/shots/${await copyOfDemo(request)}/props`);
  await expect(guess).toHaveCount(1);
  await expect.poll(red).toBeGreaterThan(plate + 1000);
});
