import { expect, test } from "@playwright/test";
import type { APIRequestContext, Page } from "@playwright/test";
import { rotationAngleBetween, toDegrees } from "#core/math/vec3";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { projectPoint } from "#core/optics/camera";
import type { Shot } from "#core/shot/schema";
import * as quay from "../src/demo/quay.ts";
import { demoFolder, quayTruth } from "../src/demo/shot.ts";
import { Desk } from "./desk.ts";
import { copyOfDemo, opened } from "./shots.ts";

test.use({ testIdAttribute: "data-test" });

/** The Camera step of the quay without set and props, with as much evidence as a change leaves. */
async function cameraStep(page: Page, request: APIRequestContext, change: (copy: Shot) => void = () => undefined) {
  const id = await copyOfDemo(request, (copy) => {
    copy.set = {};
    copy.props = {};
    change(copy);
  });
  await page.goto(`/shots/${id}/camera`);
  await expect(page.getByTestId("desk")).toBeVisible();
  await expect(page.getByText("Reading the plate")).toBeHidden();
  const desk = new Desk(page);
  const shot = async () => (await opened(request, id)).shot;
  const open = (drawer: string) => page.getByTestId(`drawer-${drawer}`).click();
  return { id, desk, shot, open };
}
const bare = (copy: Shot) => {
  copy.edges = {};
  copy.lengths = {};
  copy.origin = null;
  copy.solved = null;
  copy.lens.solveK1 = false;
};
const pixel = (p: Vec3): Vec2 => projectPoint(quay.camera, p)!;
const mark = async (desk: Desk, tool: string, ...points: Vec2[]) => {
  await desk.tool(tool);
  for (const p of points) await desk.click(p, 3);
};

test("edges whose direction is read from the picture", async ({ page, request }) => {
  const { desk, shot } = await cameraStep(page, request, bare);
  const truth = await quayTruth();
  for (const id of ["near joint", "lintel", "eaves", "plinth side", "house corner", "second post"])
    await mark(desk, "edge-any", ...truth.edges.find((e) => e.id === id)!.points);
  await expect.poll(async () => Object.keys((await shot()).edges).length).toBe(6);
  await expect(page.getByTestId("camera-facts")).toBeVisible();
  await desk.saved();
  const { solved, edges } = await shot();
  expect(Object.values(edges).every((e) => e.axis === "any")).toBe(true);
  expect(Math.abs(solved!.camera.focalPx / quay.camera.focalPx - 1)).toBeLessThan(0.06);
  expect(toDegrees(rotationAngleBetween(solved!.camera.rotation, quay.camera.rotation))).toBeLessThan(2);
});

test("edges that are found on the plate, accepted all at once", async ({ page, request }) => {
  const { shot } = await cameraStep(page, request, bare);
  await page.getByTestId("find-edges").click();
  await page.getByTestId("accept-all").click({ timeout: 300_000 });
  await expect.poll(async () => (await shot()).solved !== null, { timeout: 300_000 }).toBe(true);
  const { solved } = await shot();
  expect(Math.abs(solved!.camera.focalPx / quay.camera.focalPx - 1)).toBeLessThan(0.04);
  expect(toDegrees(rotationAngleBetween(solved!.camera.rotation, quay.camera.rotation))).toBeLessThan(1);
});

test("an edge: stick, flip, weigh, mute, lock, and try it elsewhere", async ({ page, request }) => {
  const { desk, shot } = await cameraStep(page, request);
  const at = (await shot()).edges["edge-9"];
  const off = at.points.map(([u, v]): Vec2 => [u + 3, v]);
  await desk.approach(at.points[0] as Vec2, 4);
  await desk.drag(at.points[0] as Vec2, off[0]);
  await expect.poll(async () => (await shot()).edges["edge-9"].points[0][0] - at.points[0][0]).toBeGreaterThan(1.5);
  await page.getByTestId("stick").click();
  await expect
    .poll(async () => Math.abs((await shot()).edges["edge-9"].points[0][0] - at.points[0][0]))
    .toBeLessThan(0.7);
  await page.getByTestId("flip").click();
  await expect(page.getByText("was drawn against Z")).toBeVisible();
  await page.getByTestId("flip").click();
  await desk.type("Weight", "4");
  await expect.poll(async () => (await shot()).edges["edge-9"].weight).toBe(4);
  await page.getByTestId("mute").click();
  await expect.poll(async () => (await shot()).edges["edge-9"].muted).toBe(true);
  await page.getByTestId("mute").click();
  await expect.poll(async () => (await shot()).edges["edge-9"].muted).toBe(false);
  const solved = (await shot()).solved;
  await page.getByTestId("lock").click();
  await page.getByTestId("desk").focus();
  await page.keyboard.press("Delete");
  await expect.poll(async () => (await shot()).edges["edge-9"]?.locked).toBe(true);
  await page.locator(".edges > div").nth(8).click();
  await desk.fit();
  await page.getByTestId("try-there").click();
  await expect(page.getByText(/would miss by 0\.\d\d px/)).toBeVisible();
  const { points } = (await shot()).edges["edge-9"];
  const middle: Vec2 = [(points[0][0] + points[1][0]) / 2, (points[0][1] + points[1][1]) / 2 + 40];
  await desk.drag(middle, [middle[0] - 260, middle[1] - 10]);
  await expect(page.getByText(/would miss by \d+\.\d\d px/)).toBeVisible();
  expect((await shot()).solved).toEqual(solved);
  await page.getByTestId("keep-trial").click();
  await expect.poll(async () => Object.keys((await shot()).edges).length).toBe(13);
});

test("curved edges straighten the lens", async ({ page, request }) => {
  const { desk, shot, open } = await cameraStep(page, request, (copy) => {
    copy.lens.solveK1 = false;
    for (const id of Object.keys(copy.edges)) copy.edges[id].muted = false;
  });
  const lines: [Vec3, Vec3][] = [
    [
      [-7.65, -3, 0.015],
      [-7.65, 15, 0.015],
    ],
    [
      [-0.28, -0.28, 3.1075],
      [-0.28, 8.88, 3.1075],
    ],
    [
      [2.05, 0, 0.55],
      [0.02, 0, 0.55],
    ],
  ];
  for (const [a, b] of lines) {
    await desk.tool("curve");
    await desk.fit();
    for (let i = 0; i < 6; i++)
      await desk.click(pixel([0, 1, 2].map((k) => a[k] + ((b[k] - a[k]) * i) / 5) as Vec3), i === 0 ? 0 : 0);
    await page.keyboard.press("Enter");
  }
  await expect.poll(async () => Object.keys((await shot()).edges).filter((e) => e.startsWith("curve")).length).toBe(3);
  await page.keyboard.press("Escape");
  await open("lens");
  await page.getByTestId("plumb-line").click();
  await expect.poll(async () => (await shot()).lens.distortionSource).toContain("curved edges");
  expect(Math.abs((await shot()).lens.distortion.k1 - quay.camera.distortion.k1)).toBeLessThan(0.08);
});

test("level, parallel and on-axis edges", async ({ page, request }) => {
  const { desk, shot } = await cameraStep(page, request, (copy) => {
    copy.origin = null;
  });
  await mark(desk, "edge-level", pixel([-6, 2, 0]), pixel([-3, 3.5, 0]));
  await expect.poll(async () => (await shot()).edges["edge-13"]?.axis).toBe("level:A");
  await mark(desk, "edge-free", pixel([0, 0, 0.2]), pixel([0.5, 0, 1.9]));
  await expect.poll(async () => (await shot()).edges["edge-14"]?.axis).toBe("free:A");
  // Two edges through the house's corner, on X and on Z, put the origin there.
  await mark(desk, "edge-x", pixel([0.3, 0, 0]), pixel([1.9, 0, 0]));
  await page.getByTestId("on-axis").click();
  await mark(desk, "edge-z", pixel([0, 0, 0.7]), pixel([0, 0, 2.9]));
  await page.getByTestId("on-axis").click();
  await expect.poll(async () => Object.values((await shot()).edges).filter((e) => e.onAxis).length).toBe(2);
  await desk.saved();
  const origin = projectPoint((await shot()).solved!.camera, [0, 0, 0])!;
  const wanted = pixel([0, 0, 0]);
  expect(Math.hypot(origin[0] - wanted[0], origin[1] - wanted[1])).toBeLessThan(8);
});

test("several sizes are weighed against each other, and a slip is named", async ({ page, request }) => {
  const { desk, shot, open } = await cameraStep(page, request);
  await open("scale");
  const sizes: [Vec3, Vec3, string][] = [
    [[0, 0, 0], [0, 0, 3.05], "3.05"],
    [[-0.775, -5.235, 0], [-0.775, -5.235, 1.05], "1.05"],
  ];
  for (const [from, to, metres] of sizes) {
    await mark(desk, "length", pixel(from), pixel(to));
    await page.getByLabel("Known length", { exact: true }).last().fill(metres);
    await page.getByLabel("Known length", { exact: true }).last().press("Enter");
  }
  await expect(
    page
      .getByTestId("scale-card")
      .getByText(/± [\d.]+ %/)
      .first(),
  ).toBeVisible();
  await expect(page.getByTestId("findings").getByText(/makes the place/)).toBeHidden();
  await page.getByLabel("Known length", { exact: true }).first().fill("2.24");
  await page.getByLabel("Known length", { exact: true }).first().press("Enter");
  await expect(
    page.getByTestId("findings").getByText(/Length length-1 makes the place [45]\.\d % larger/),
  ).toBeVisible();
  await expect.poll(async () => Object.keys((await shot()).lengths)).toHaveLength(4);
});

test("a yardstick gives a length its size and tolerance, and the list is the user's own", async ({ page, request }) => {
  const { desk, shot, open } = await cameraStep(page, request);
  await open("scale");
  await page.getByTestId("edit-yardsticks").click();
  await page.getByText("Add", { exact: true }).click();
  await page.getByLabel("Name of the yardstick").first().fill("Quay bollard");
  await page.getByLabel("Name of the yardstick").first().press("Enter");
  await page.getByLabel("Size of the yardstick").first().fill("64 cm");
  await page.getByLabel("Size of the yardstick").first().press("Enter");
  await page.getByTestId("keep-yardsticks").click();
  await page.getByLabel("Search yardsticks").fill("bollard");
  await page.getByLabel("Use Quay bollard").click();
  await desk.click(pixel([-7.3, -4.4, 0]), 3);
  await desk.click(pixel([-7.3, -4.4, 0.64]), 3);
  await expect
    .poll(async () => (await shot()).lengths["length-3"])
    .toMatchObject({ name: "Quay bollard", metres: 0.64, sigmaMetres: 0.01 });
});

test("camera height, a level camera and horizon points", async ({ page, request }) => {
  const { desk, shot, open } = await cameraStep(page, request, (copy) => {
    copy.lengths = {};
  });
  await open("scale");
  await page.getByTestId("camera-height").click();
  await desk.type("Camera height", "1.62");
  await expect.poll(async () => (await shot()).cameraHeight?.metres).toBe(1.62);
  await expect.poll(async () => (await shot()).solved?.camera.position[2] ?? 0).toBeCloseTo(1.62, 1);
  await page.getByTestId("level").click();
  await expect.poll(async () => (await shot()).level?.sigmaDeg).toBe(0.5);
  await open("marks");
  await mark(desk, "horizon", [300, 430], [1300, 425]);
  await expect.poll(async () => Object.keys((await shot()).horizon).length).toBe(2);
});

test("tie points alone give the camera, and one is picked on a model", async ({ page, request }) => {
  const { desk, shot } = await cameraStep(page, request, bare);
  const points: Vec3[] = [
    [0, 0, 0],
    [0, 0, 3.05],
    [2.3, -0.045, 2.12],
    [0, 8.5, 0.55],
    [-0.775, -5.235, 1.05],
    [-6.6, 24, 5.2],
    [-7.65, -3, 0.015],
  ];
  for (const p of points) {
    await mark(desk, "tie", pixel(p));
    for (const k of [0, 1, 2]) await desk.type(`Tie at ${"xyz"[k]}`, String(p[k]));
  }
  await expect.poll(async () => (await shot()).ties["tie-7"]?.world).toEqual(points[6]);
  await expect(page.getByTestId("camera-facts")).toBeVisible();
  await desk.saved();
  const { solved } = await shot();
  expect(Math.abs(solved!.camera.focalPx / quay.camera.focalPx - 1)).toBeLessThan(0.05);
  expect(Math.hypot(...solved!.camera.position.map((v, k) => v - quay.camera.position[k]))).toBeLessThan(0.3);

  await desk.step("props");
  await page.getByTestId("model-file").setInputFiles(`${demoFolder}buoy.glb`);
  await expect(page.getByText("triangles").first()).toBeVisible();
  await desk.step("camera");
  await page.getByTestId("pick-tie").click();
  const box = (await page.getByTestId("desk").boundingBox())!;
  await page.waitForTimeout(800);
  await page.mouse.click(box.x + box.width / 2, box.y + box.height / 2 - 26);
  await expect(page.getByText(/Now click where/)).toBeVisible();
  await page.mouse.click(box.x + box.width / 2, box.y + box.height / 2 + 60);
  await expect.poll(async () => Object.keys((await shot()).ties).length).toBe(8);
});

test("the lens: every figure drives the others, EXIF, database and kits", async ({ page, request }) => {
  const { desk, shot, open } = await cameraStep(page, request);
  await open("lens");
  await desk.type("Sensor, long side", "22.3");
  await desk.type("Focal length", "55");
  await expect.poll(async () => (await shot()).lens.focalPx ?? 0).toBeCloseTo((55 / 22.3) * 1620, 3);
  await expect(page.getByLabel("View across", { exact: true })).toHaveValue(/22\.9/);
  await desk.type("View across", "60");
  await expect.poll(async () => (await shot()).lens.focalPx ?? 0).toBeCloseTo(810 / Math.tan(Math.PI / 6), 1);
  await page.getByTestId("use-exif").click();
  await expect.poll(async () => (await shot()).lens.source).toContain("27 mm equivalent");
  await page.getByLabel("Search cameras").fill("eos 600d");
  await page.getByText("Canon EOS 600D", { exact: true }).click();
  await expect.poll(async () => (await shot()).lens.sensorMm ?? 0).toBeCloseTo(22.3, 1);
  await page.getByLabel("Search lenses").fill("canon ef-s 10-22mm");
  await page.getByTestId("database-lens").first().click();
  await expect.poll(async () => (await shot()).lens.distortionSource).toContain("lens database");
  await page.getByLabel("Name of the lens kit").fill("Harbour wide");
  await page.getByTestId("keep-kit").click();
  await page.getByLabel("Use Harbour wide").click();
  await expect.poll(async () => (await shot()).lens.source).toContain("Harbour wide");
});

test("shoot notes: remembered values go in with one click, pictures are kept", async ({ page, request }) => {
  const { shot, open } = await cameraStep(page, request);
  await open("notes");
  await page.getByLabel("Shoot notes").fill("Tripod beside the crates.");
  await page.getByLabel("Shoot notes").blur();
  await page.getByTestId("note-height").click();
  await page.getByLabel("Noted length").fill("1.6");
  await page.getByLabel("Noted length").press("Enter");
  await page.getByTestId("use-height").click();
  await expect.poll(async () => (await shot()).cameraHeight?.metres).toBe(1.6);
  await page.getByTestId("add-picture").setInputFiles(`${demoFolder}with-buoy.jpg`);
  await expect(page.locator(".picture img")).toBeVisible();
  await expect.poll(async () => (await shot()).notes.text).toBe("Tripod beside the crates.");
  await expect
    .poll(async () => Object.values((await shot()).notes.pictures).map((p) => p.name))
    .toEqual(["with-buoy.jpg"]);
});

test("robust mode leaves a bad edge out; the world turns by a click", async ({ page, request }) => {
  const { shot, open } = await cameraStep(page, request, (copy) => {
    const [a, b] = copy.edges["edge-5"].points;
    copy.edges["edge-5"].points = [a, [b[0] + 25, b[1] + 18]];
  });
  await open("answers");
  await page.getByTestId("robust").click();
  await expect(page.getByText("Left out as contradicting the rest: edge-5")).toBeVisible();
  await expect.poll(async () => (await shot()).match.robust).toBe(true);
  const before = (await shot()).solved!.camera;
  await page.getByTestId("turn-left").click();
  await expect.poll(async () => (await shot()).edges["edge-1"].axis).toBe("y");
  await expect
    .poll(async () => toDegrees(rotationAngleBetween((await shot()).solved!.camera.rotation, before.rotation)))
    .toBeCloseTo(90, 1);
  expect((await shot()).solved!.camera.focalPx).toBeCloseTo(before.focalPx, 0);
});

test("gauges: tape with its ±, division, a line, and what stands on the ground", async ({ page, request }) => {
  const { desk, shot, open } = await cameraStep(page, request);
  await open("checks");
  await mark(desk, "tape", pixel([-5, -2, 0]), pixel([-3, -2, 0]));
  await expect(page.getByText(/^(1\.9\d|2\.0\d)\d m ± 0\.0\d+ m$/)).toBeVisible();
  await mark(
    desk,
    "division",
    pixel([2.3, -0.045, 2.12]),
    pixel([3.5, -0.045, 2.12]),
    pixel([3.5, -0.045, 0]),
    pixel([2.3, -0.045, 0]),
  );
  await desk.type("Parts across", "3");
  await expect.poll(async () => (await shot()).gauges["division-1"]).toMatchObject({ across: 3, down: 2 });
  await mark(desk, "line", pixel([-5, -3, 0]), pixel([-4, -2, 0]));
  await expect.poll(async () => Object.keys((await shot()).gauges).length).toBe(3);
  for (const check of ["corner", "pole", "person", "checker", "cross", "enlarge"])
    await page.getByTestId(`check-${check}`).click();
  await expect(page.locator("svg.marks path.person")).toHaveAttribute("d", /^M/);
  await expect(page.locator("svg.marks path.checker")).toHaveAttribute("d", /^M/);
});

test("by hand: nudges, a held point, locks, the plan, takes side by side", async ({ page, request }) => {
  const { desk, shot, open, id } = await cameraStep(page, request);
  await open("hand");
  await page.getByTestId("by-hand").click();
  await expect.poll(async () => (await shot()).match.by).toBe("hand");
  const start = (await shot()).solved!.camera;
  await page.getByLabel("Name of the take").fill("as solved");
  await page.getByTestId("keep-take").click();
  await expect(page.getByAltText("as solved")).toBeVisible();
  await desk.tool("hold");
  const foot: Vec3 = [-2, -2, 0];
  await desk.click(projectPoint(start, foot)! as Vec2, 0);
  await expect.poll(async () => (await shot()).match.held !== null).toBe(true);
  const held = (await shot()).match.held!;
  await page.getByTestId("desk").focus();
  for (const key of ["PageUp", "Control+ArrowLeft", "+", "Shift+,"]) await page.keyboard.press(key);
  await expect
    .poll(async () => Math.abs((await shot()).solved!.camera.focalPx / start.focalPx - 1.02))
    .toBeLessThan(1e-6);
  const moved = (await shot()).solved!.camera;
  const kept = projectPoint(moved, held.world)!;
  expect(Math.hypot(kept[0] - held.pixel[0], kept[1] - held.pixel[1])).toBeLessThan(0.05);
  expect(Math.hypot(...moved.position.map((v, k) => v - start.position[k]))).toBeGreaterThan(0.02);
  await page.getByTestId("lock-lens").click();
  await page.getByTestId("desk").focus();
  await page.keyboard.press("]");
  await expect(page.getByText("The lens is locked.")).toBeVisible();
  const camera = (await page.getByTestId("plan-camera").boundingBox())!;
  const at: Vec2 = [camera.x + camera.width / 2, camera.y + camera.height / 2];
  await page.mouse.move(...at);
  await page.mouse.down();
  await page.mouse.move(at[0] + 25, at[1], { steps: 5 });
  await page.mouse.up();
  await expect.poll(async () => (await opened(request, id)).undo.at(-1)?.name).toBe("Move camera on the plan");
  expect((await shot()).solved!.camera.position[0]).toBeGreaterThan(moved.position[0] + 0.2);
  await page.getByAltText("as solved").click();
  await page.getByTestId("compare-takes").click();
  await expect(page.getByText(/They differ by [\d.]+° of turn/)).toBeVisible();
});

test("a drawing stays calm and names what contradicts", async ({ page, request }) => {
  const { id, desk, shot } = await cameraStep(page, request, (copy) => {
    bare(copy);
    copy.plates.main.drawing = true;
  });
  const truth = await quayTruth();
  for (const name of ["lintel", "near joint", "house corner", "second post"]) {
    const edge = truth.edges.find((e) => e.id === name)!;
    await mark(desk, `edge-${edge.axis}`, ...edge.points);
  }
  // Two directions that leave the lens open: a photo would be refused, a drawing is answered.
  await expect(page.getByTestId("camera-facts")).toBeVisible();
  await expect.poll(async () => (await shot()).solved?.camera.focalPx ?? 0).toBeGreaterThan(500);
  await page.goto(`/shots/${id}/plate`);
  await expect(page.getByText("parts that contradict are named")).toBeVisible();
});

test("keyboard alone marks, nudges and deletes an edge", async ({ page, request }) => {
  const { shot } = await cameraStep(page, request);
  await page.getByTestId("desk").focus();
  await page.keyboard.press("x");
  for (let i = 0; i < 4; i++) await page.keyboard.press("Shift+ArrowDown");
  await page.keyboard.press(" ");
  for (let i = 0; i < 9; i++) await page.keyboard.press("Shift+ArrowRight");
  await page.keyboard.press(" ");
  await expect
    .poll(async () => (await shot()).edges["edge-13"]?.points[1][0] - (await shot()).edges["edge-13"]?.points[0][0])
    .toBe(180);
  const [first] = (await shot()).edges["edge-13"].points;
  await page.keyboard.press("Escape");
  await page.keyboard.press("Shift+ArrowUp");
  await expect.poll(async () => (await shot()).edges["edge-13"].points[0][1] - first[1]).toBeCloseTo(-1, 6);
  await page.keyboard.press("Delete");
  await expect.poll(async () => "edge-13" in (await shot()).edges).toBe(false);
});
