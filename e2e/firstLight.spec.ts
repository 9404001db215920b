import { readFile } from "node:fs/promises";
import { expect, test } from "@playwright/test";
import sharp from "sharp";
import type { OpenShot } from "#core/shot/api";
import { rotationAngleBetween, toDegrees } from "#core/math/vec3";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { projectPoint } from "#core/optics/camera";
import { groundAlbedo, setPieces } from "#core/set/pieces";
import { sunDirection } from "#core/light/rig";
import { SUN_ANGULAR_RADIUS } from "#core/trace/scene";
import * as quay from "../src/demo/quay.ts";
import { GREY_CARD } from "../src/demo/greyCard.ts";
import { demoFolder, quayTruth } from "../src/demo/shot.ts";
import { sceneOf } from "../src/demo/insertions.ts";
import { insert } from "../src/testing/insert.ts";
import { Desk } from "./desk.ts";

test.use({ testIdAttribute: "data-test" });

test("the whole job by mouse, from the photo to the saved picture", async ({ page, request }) => {
  const truth = await quayTruth();
  const desk = new Desk(page);
  const errors: string[] = [];
  page.on("pageerror", (e) => errors.push(e.message));

  // Plate: dropped on the shots page.
  await page.goto("/");
  await expect(page.getByText("Quay, channel buoy")).toBeVisible();
  const jpeg = (await readFile(`${demoFolder}plate.jpg`)).toString("base64");
  const transfer = await page.evaluateHandle((data) => {
    const bytes = Uint8Array.from(atob(data), (c) => c.charCodeAt(0));
    const files = new DataTransfer();
    files.items.add(new File([bytes], "morning quay.jpg", { type: "image/jpeg" }));
    return files;
  }, jpeg);
  await page.dispatchEvent("main", "drop", { dataTransfer: transfer });
  await page.waitForURL(/shots\/.*\/plate/);
  await expect(page.getByText("1620 × 1080 px, 8 bit")).toBeVisible();
  await expect(page.getByText("Skerry Optical SK-1")).toBeVisible();
  await expect(page.getByText("27 mm, by the diagonal")).toBeVisible();
  await page.getByTestId("owner").fill("Harbour office");
  await page.getByTestId("owner").blur();
  expect(await page.evaluate(() => crossOriginIsolated)).toBe(true);

  // Camera: eight edges, origin, known length.
  await desk.step("camera");
  const wanted = [
    "near joint",
    "middle joint",
    "lintel",
    "quay edge",
    "eaves",
    "plinth side",
    "house corner",
    "door jamb",
  ];
  for (const id of wanted) {
    const edge = truth.edges.find((e) => e.id === id)!;
    await desk.tool(`edge-${edge.axis}`);
    await desk.click(edge.points[0]);
    await desk.click(edge.points[1]);
  }
  await desk.tool("origin");
  await desk.click(truth.origin);
  await page.getByTestId("drawer-scale").click();
  await desk.tool("length");
  await desk.click(truth.length.points[0]);
  await desk.click(truth.length.points[1]);
  await desk.fit();
  await desk.type("Known length", String(truth.length.metres));
  await page.getByTestId("drawer-lens").click();
  await page.getByTestId("solve-k1").click();
  await expect(page.getByTestId("camera-facts")).toBeVisible();
  await desk.saved();
  const opened = async () => (await (await request.get(`/api/shots/${desk.shotId()}`)).json()) as OpenShot;
  await expect.poll(async () => (await opened()).shot.solved?.camera.distortion.k1).not.toBe(0);
  const solved = (await opened()).shot.solved!;
  expect(Object.keys((await opened()).shot.edges)).toHaveLength(8);
  expect(Math.abs(solved.camera.focalPx / quay.camera.focalPx - 1)).toBeLessThan(0.02);
  expect(toDegrees(rotationAngleBetween(solved.camera.rotation, quay.camera.rotation))).toBeLessThan(0.5);
  for (let i = 0; i < 8; i++) {
    const [x, y, z] = truth.buoy.position;
    const corner: Vec3 = [x + (i & 1 ? 0.5 : -0.5), y + (i & 2 ? 0.5 : -0.5), z + (i & 4 ? 1 : 0)];
    const [a, b] = [projectPoint(solved.camera, corner)!, projectPoint(quay.camera, corner)!];
    expect(Math.hypot(a[0] - b[0], a[1] - b[1])).toBeLessThan(3);
  }

  // Taking back and doing again.
  await page.getByLabel("Take back").click();
  await expect.poll(async () => (await opened()).shot.lens.solveK1).toBe(false);
  await page.getByLabel("Do again").click();
  await expect.poll(async () => (await opened()).shot.lens.solveK1).toBe(true);

  // Set: the ground.
  await desk.step("set");
  await desk.tool("part-polygon");
  await desk.fit();
  for (const { pixel } of truth.ground) await desk.click(pixel, 0);
  await page.keyboard.press("Enter");
  await expect.poll(async () => Object.values((await opened()).shot.set).length).toBe(1);

  // Props: the buoy, dragged, then put exactly.
  await desk.step("props");
  await page.getByTestId("model-file").setInputFiles(`${demoFolder}buoy.glb`);
  await expect.poll(async () => Object.keys((await opened()).shot.props)).toHaveLength(1);
  const before = Object.values((await opened()).shot.props)[0].placement.position;
  const foot = projectPoint(solved.camera, before)! as Vec2;
  await desk.drag(foot, projectPoint(solved.camera, truth.buoy.position)! as Vec2);
  await expect
    .poll(async () => {
      const p = Object.values((await opened()).shot.props)[0].placement.position;
      return Math.hypot(p[0] - truth.buoy.position[0], p[1] - truth.buoy.position[1]);
    })
    .toBeLessThan(0.1);
  await page.getByTestId("drawer-place").click();
  await desk.type("Foot x", String(truth.buoy.position[0]));
  await desk.type("Foot y", String(truth.buoy.position[1]));
  await desk.type("Turn", String(truth.buoy.turnDeg));
  await page.getByTestId("drop").click();
  await expect(page.getByText(/Channel|buoy: Stands on/i).first()).toBeVisible();

  // Light: the sun from the railing's end post, then lit against shaded paving.
  await desk.step("light");
  await page.getByTestId("drawer-sun").click();
  await desk.tool("sighting");
  for (const pixel of [truth.sighting.footPixel, truth.sighting.topPixel, truth.sighting.tipPixel])
    await desk.click(pixel);
  await desk.fit();
  await page.getByTestId("drawer-probes").click();
  await desk.tool("lit");
  await desk.click(truth.probes.lit, 0);
  await desk.tool("shaded");
  await desk.click(truth.probes.shaded, 0);
  for (const k of [0, 1, 2]) await desk.type(`Albedo ${"RGB"[k]}`, String(GREY_CARD.paving[k]));
  await page.getByTestId("balance").click();
  await expect(page.getByTestId("balanced")).toBeVisible();
  await desk.saved();
  const lit = (await opened()).shot;
  const sunOff = toDegrees(
    Math.acos(
      Math.min(
        1,
        sunDirection(lit).reduce((s, v, k) => s + v * quay.sun.direction[k], 0),
      ),
    ),
  );
  expect(sunOff).toBeLessThan(1);

  // Proof, final, saved picture.
  await desk.step("render");
  await page.getByTestId("proof").click();
  await expect(page.getByTestId("proof-samples")).toBeVisible({ timeout: 300_000 });
  await page.getByTestId("proof").click();
  await desk.type("Samples", "4");
  await page.getByTestId("final").click();
  await expect(page.getByText("Final ready: 1620 × 1080")).toBeVisible({ timeout: 300_000 });
  await desk.step("handover");
  await page.getByTestId("preset-paint").click();
  for (const other of ["ora", "object"]) await page.getByTestId(`export-${other}`).click();
  await page.getByTestId("hand-over").click();
  const file = page.getByTestId("handed-over").locator("a").first();
  const [download] = await Promise.all([page.waitForEvent("download"), file.click()]);
  const picture = await sharp(await download.path()).metadata();
  expect([picture.width, picture.height, picture.channels]).toEqual([1620, 1080, 3]);

  // All is there after a reload.
  await page.reload();
  await desk.step("camera");
  await expect(page.getByTestId("camera-facts")).toBeVisible();
  const again = (await opened()).shot;
  expect(Object.keys(again.edges)).toHaveLength(8);
  expect(again.plates.main.owner).toBe("Harbour office");
  expect(Object.keys(again.props)).toHaveLength(1);
  expect(errors).toEqual([]);

  // What was recovered, put to the test over the clean plate.
  const { scene } = await sceneOf("quay");
  const { figures } = await insert("quay", 24, false, {
    // Where it was typed to stand, and not where the demo's own document has it.
    props: scene.props.map((prop) => ({ ...prop, placement: quay.buoyPlacement })),
    camera: again.solved!.camera,
    sun: { direction: sunDirection(again), irradiance: again.light.sun.irradiance, angularRadius: SUN_ANGULAR_RADIUS },
    sky: again.light.sky.radiance,
    set: setPieces(again),
    floor: { height: -0.002, albedo: groundAlbedo(again) },
  });
  console.log("recovered by mouse:", JSON.stringify(figures));
  // Seen with 24 samples, not denoised: 0.76, 3.2, 1.8, +1.8, −2.4 and 0.16 px.
  expect(figures.mean).toBeLessThan(1.3);
  expect(figures.percentile95).toBeLessThan(4.5);
  expect(figures.contactMean).toBeLessThan(2.7);
  expect(Math.abs(figures.propLightness)).toBeLessThan(3.5);
  expect(Math.abs(figures.shadowLightness)).toBeLessThan(4);
  expect(figures.shadowEdge.median).toBeLessThan(0.5);
});
