import { expect, test } from "@playwright/test";
import type { Page } from "@playwright/test";
import sharp from "sharp";
import { evidenceKey } from "#core/match/requestOfShot";
import { demoFile } from "../src/demo/shot.ts";
import { Desk } from "./desk.ts";
import { copyOfDemo, opened } from "./shots.ts";

test.use({ testIdAttribute: "data-test" });

/** The quay's plate at another size, as a TIFF of 16 bits. */
const tiff = async (width: number, height: number): Promise<Buffer> =>
  sharp(await demoFile("plate.jpg"))
    .resize(width, height, { fit: "fill" })
    .toColourspace("rgb16")
    .tiff({ compression: "deflate" })
    .toBuffer();

async function drop(page: Page, name: string, bytes: Buffer): Promise<void> {
  const transfer = await page.evaluateHandle(
    ([fileName, base64]) => {
      const files = new DataTransfer();
      files.items.add(new File([Uint8Array.from(atob(base64), (c) => c.charCodeAt(0))], fileName));
      return files;
    },
    [name, bytes.toString("base64")],
  );
  await page.dispatchEvent("main", "drop", { dataTransfer: transfer });
}

test("a larger version of the plate, as TIFF, takes marks, camera, set and props along, and is taken back in one step", async ({
  page,
  request,
}) => {
  const id = await copyOfDemo(request, (copy) => {
    copy.comp.sharpness.sigmaPx = 0.9;
  });
  const before = (await opened(request, id)).shot;
  const desk = new Desk(page);
  await page.goto(`/shots/${id}/plate`);
  await expect(page.getByText("1620 × 1080 px, 8 bit")).toBeVisible();
  const { camera: first } = before.solved!;
  const middle = await desk.screen([810, 540]);

  // Another shape would stretch everything.
  await page
    .getByTestId("plate-version-file")
    .setInputFiles({ name: "cropped.tif", mimeType: "image/tiff", buffer: await tiff(1620, 911) });
  await expect(page.getByText("“cropped.tif” has another shape")).toBeVisible();
  expect((await opened(request, id)).shot).toEqual(before);

  await drop(page, "quay, full size.tif", await tiff(2430, 1620));
  await expect(page.getByText("2430 × 1620 px, 16 bit")).toBeVisible();
  await expect(page.getByText("1.5 times as wide")).toBeVisible();
  await expect
    .poll(async () => (await opened(request, id)).undo.map(({ name }) => name).slice(-2))
    .toEqual(["Take another version of the plate", "Measure the version's grain and softness"]);
  const { shot } = await opened(request, id);
  const { camera } = shot.solved!;
  expect(camera.focalPx).toBeCloseTo(1.5 * first.focalPx, 6);
  expect(camera.position).toEqual(first.position);
  expect(shot.props).toEqual(before.props);
  expect(shot.solved!.evidence === evidenceKey(shot)).toBe(before.solved!.evidence === evidenceKey(before));
  // A picture made half as large again is as much softer, and more.
  expect(shot.comp.sharpness.sigmaPx).toBeGreaterThan(0.9);
  // The frame stands where it stood on the screen.
  const now = await desk.screen([1215, 810]);
  now.forEach((x, k) => expect(Math.abs(x - middle[k])).toBeLessThan(2));

  // Marks lie on what they were set on; the loupe shows the plate there.
  await desk.step("camera");
  await expect(page.getByTestId("camera-facts")).toBeVisible();
  const edge = Object.values(shot.edges)[0];
  const [[u0, v0], [u1, v1]] = [edge.points[0], edge.points[edge.points.length - 1]];
  await desk.click([(u0 + u1) / 2, (v0 + v1) / 2], 0);
  await page.keyboard.press("ArrowRight");
  await expect.poll(async () => (await opened(request, id)).shot.edges[edge.id].points[0]).not.toEqual(edge.points[0]);
  await page.getByLabel("Take back").click();
  await expect.poll(async () => (await opened(request, id)).shot).toEqual(shot);

  // The proof is traced over the new plate.
  await page.keyboard.press("p");
  await desk.step("render");
  await expect
    .poll(async () => Number((await page.getByTestId("proof-samples").textContent()) ?? 0), { timeout: 120_000 })
    .toBeGreaterThan(0);

  await desk.step("plate");
  await page.getByLabel("Take back").click();
  await page.getByLabel("Take back").click();
  await expect(page.getByText("1620 × 1080 px, 8 bit")).toBeVisible();
  await expect.poll(async () => (await opened(request, id)).shot).toEqual(before);
});
