// npm run screenshots [-- STEP ...]: takes the pictures of docs/screenshots from the demo, at 1280 x 800.
import { spawn } from "node:child_process";
import { mkdirSync, mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";
import { chromium } from "@playwright/test";
import { chromiumArgs, chromiumPath } from "./chromium.mjs";
import { root } from "./ensure.mjs";

const port = 4692;
const data = mkdtempSync(path.join(tmpdir(), "harbor-pictures-"));
const out = path.resolve(root, process.env.OUT ?? "docs/screenshots");
mkdirSync(out, { recursive: true });

const server = spawn(process.execPath, ["--import", "./scripts/typescript.mjs", "src/server/main.ts"], {
  cwd: root,
  env: { ...process.env, HARBOR_PORT: String(port), HARBOR_DATA: data },
  stdio: ["ignore", "pipe", "inherit"],
  detached: true,
});
await new Promise((resolve) =>
  server.stdout.on("data", (text) => String(text).includes("Red Harbor is at") && resolve()),
);

const browser = await chromium.launch({ executablePath: chromiumPath, args: chromiumArgs });
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
page.on("pageerror", (error) => console.error(`page error: ${error.message}`));
page.on("console", (m) => m.type() === "error" && console.error(`console: ${m.text()}`));
const base = `http://127.0.0.1:${port}`;
const [shot] = await (await fetch(`${base}/api/shots`)).json();
const wanted = process.argv.slice(2);
const wants = (name) => wanted.length === 0 || wanted.includes(name);
const save = (name) => page.screenshot({ path: path.join(out, `${name}.png`) });
const step = async (name) => {
  await page.goto(`${base}/shots/${shot.id}/${name}`);
  await page.waitForTimeout(2200);
};

try {
  if (wants("shots")) {
    await page.goto(base);
    await page.waitForTimeout(1200);
    await save("shots");
  }
  for (const name of ["plate", "camera", "light"]) {
    if (!wants(name)) continue;
    await step(name);
    if (name === "camera") {
      await page.locator(".edges > div").nth(6).click();
      await page.keyboard.press("u");
      await page.keyboard.press("Escape");
    }
    if (name === "light") {
      // The thumbnails of the sources come with the proof.
      await page.keyboard.press("p");
      await page.waitForTimeout(45_000);
    }
    await page.waitForTimeout(400);
    await save(name);
    if (name === "light") await page.keyboard.press("p");
  }
  const drawer = (name) => page.locator(`[data-test="drawer-${name}"]`).click();
  const plate = async ([u, v]) => {
    const box = await page.locator(".desk canvas.layer").first().boundingBox();
    const width = await page
      .locator(".desk canvas.layer")
      .first()
      .evaluate((c) => c.width);
    return [box.x + (u * box.width) / width, box.y + (v * box.width) / width];
  };
  if (wants("answers")) {
    await step("camera");
    await drawer("answers");
    await page.waitForTimeout(1200);
    await save("answers");
  }
  if (wants("lens")) {
    await step("camera");
    await drawer("lens");
    await page.locator('[data-test="sensor-exif"]').click();
    await page.waitForTimeout(1000);
    await save("lens");
    await page.keyboard.press("Control+z");
  }
  if (wants("checks")) {
    await step("camera");
    await drawer("checks");
    for (const check of ["pole", "person", "checker", "cross"])
      await page.locator(`[data-test="check-${check}"]`).click();
    await page.mouse.move(...(await plate([1100, 597])));
    await page.mouse.down();
    await page.mouse.move(...(await plate([830, 750])), { steps: 6 });
    await page.mouse.up();
    await page.locator('[data-test="tool-tape"]').click();
    for (const p of [
      [350, 790],
      [660, 800],
    ])
      await page.mouse.click(...(await plate(p)));
    await page.mouse.move(...(await plate([620, 480])));
    await page.waitForTimeout(800);
    await save("checks");
    await page.keyboard.press("Control+z");
  }
  if (wants("hand")) {
    await step("camera");
    await drawer("hand");
    await page.getByLabel("Name of the take").fill("from the marks");
    await page.locator('[data-test="keep-take"]').click();
    await page.locator('[data-test="by-hand"]').click();
    await page.waitForTimeout(800);
    await page.locator('[data-test="move-around-left"]').click({ clickCount: 3 });
    await page.waitForTimeout(1200);
    await save("hand");
    await page.keyboard.press("Escape");
    for (let i = 0; i < 6; i++) await page.keyboard.press("Control+z");
  }
  if (wants("props")) {
    await step("props");
    await page.locator(".list > div").first().click();
    await drawer("place");
    await page.waitForTimeout(800);
    // The library's pictures are taken by the tracer after the first start.
    await page.waitForTimeout(20_000);
    await drawer("library");
    await page.locator('[data-test="kept-glass float"]').click();
    await page.waitForTimeout(600);
    await save("props");
  }
  if (wants("set")) {
    const loft = (await (await fetch(`${base}/api/shots`)).json()).find((s) => s.name.startsWith("Net loft"));
    await page.goto(`${base}/shots/${loft.id}/set`);
    await page.waitForTimeout(2500);
    await page.locator('[data-test="part-block-1"]').click();
    await page.waitForTimeout(500);
    await save("set");
    await drawer("surfaces");
    await page.waitForTimeout(500);
    await save("surfaces");
    await drawer("measure");
    await page.locator('[data-test="tool-measure-length"]').click();
    for (const p of [
      [420, 500],
      [520, 420],
    ])
      await page.mouse.click(...p);
    await page.locator('[data-test="tool-measure-area"]').click();
    for (const p of [
      [820, 470],
      [900, 470],
      [900, 520],
    ])
      await page.mouse.click(...p);
    await page.keyboard.press("Enter");
    await page.keyboard.press("Escape");
    await drawer("build");
    await page.locator('[data-test="part-block-1"]').click();
    await drawer("measure");
    await page.waitForTimeout(800);
    await save("measure");
    await drawer("build");
    await page.locator('[data-test="part-room-1"]').click();
    await page.keyboard.press("c");
    await page.waitForTimeout(2000);
    await save("outside");
  }
  if (wants("lamps")) {
    const loft = (await (await fetch(`${base}/api/shots`)).json()).find((s) => s.name.startsWith("Net loft"));
    await page.goto(`${base}/shots/${loft.id}/light`);
    await page.waitForTimeout(2500);
    await page.locator('[data-test="drawer-lamps"]').click();
    await page.locator('[data-test="lamp-lamp-3"]').click();
    await page.keyboard.press("p");
    await page.waitForTimeout(60_000);
    await save("lamps");
    await page.keyboard.press("p");
    await page.goto(`${base}/shots/${shot.id}/plate`);
    await page.waitForTimeout(1500);
  }
  if (wants("queue")) {
    const ask = (body) =>
      fetch(`${base}/api/shots/${shot.id}/finals`, {
        method: "POST",
        headers: { "content-type": "application/json" },
        body: JSON.stringify(body),
      });
    const begun = [];
    for (const body of [
      { percent: 25, samples: 8 },
      { percent: 100, samples: 24 },
      { percent: 50, samples: 32 },
    ])
      begun.push(await (await ask(body)).json());
    await page.goto(`${base}/queue`);
    await page.waitForTimeout(16_000);
    await save("queue");
    for (const { id } of begun) await fetch(`${base}/api/finals/${id}/cancel`, { method: "POST" });
  }
  if (wants("render") || wants("comp") || wants("handover")) {
    await step("render");
    await page.getByLabel("Samples", { exact: true }).fill("64");
    await page.getByLabel("Samples", { exact: true }).press("Enter");
    await page.locator('[data-test="final"]').click();
    await page.getByText("Final ready").waitFor({ timeout: 600_000 });
    await page.locator('[data-test="proof"]').click();
    await page.waitForTimeout(25_000);
    await save("render");
    await page.locator('[data-test="drawer-render"]').click();
    await page.keyboard.press("7");
    await page.waitForTimeout(500);
    await page.locator('[data-test="take-final"]').first().click();
    await page.locator('[data-test="finish-whole"]').waitFor();
    await page.waitForTimeout(1500);
    await page.keyboard.press("w");
    await page.waitForTimeout(500);
    await save("comp");
    await page.keyboard.press("w");
    await page.locator('[data-test="drawer-sit"]').click();
    await page.locator('[data-test="sit-report"]').click();
    await page.locator('[data-test="sit-state"]').waitFor({ timeout: 60_000 });
    await page.waitForTimeout(500);
    await save("sit");
    await page.keyboard.press("8");
    await page.waitForTimeout(800);
    await page.locator('[data-test="preset-client"]').click();
    await page.locator('[data-test="hand-over"]').click();
    await page.locator('[data-test="handed-over"]').waitFor({ timeout: 60_000 });
    await page.waitForTimeout(400);
    await save("handover");
  }
} finally {
  await browser.close();
  process.kill(-server.pid, "SIGKILL");
  rmSync(data, { recursive: true, force: true });
}
