/* global document, PointerEvent, requestAnimationFrame, requestIdleCallback, window */
// npm run bench:interface: how fast mark and overlay follow a dragged mark in Chromium, and how soon the proof follows a
// moved prop, and how fast the lines of a set of 200 parts follow a dragged corner, on the demo shot. Prints JSON.
import { spawn } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";
import { chromium, selectors } from "@playwright/test";
import { chromiumArgs, chromiumPath } from "./chromium.mjs";
import { root } from "./ensure.mjs";

selectors.setTestIdAttribute("data-test");
const port = 4693;
const data = mkdtempSync(path.join(tmpdir(), "harbor-bench-"));
const server = spawn(process.execPath, ["--import", "./scripts/typescript.mjs", "src/server/main.ts"], {
  cwd: root,
  env: { ...process.env, HARBOR_PORT: String(port), HARBOR_DATA: data },
  stdio: ["ignore", "pipe", "inherit"],
});
await new Promise((resolve) =>
  server.stdout.on("data", (text) => String(text).includes("Red Harbor is at") && resolve()),
);
const browser = await chromium.launch({ executablePath: chromiumPath, args: chromiumArgs });

/** Drags the near edge's end by small steps; each step is timed until the edge, and until the horizon, is redrawn. */
async function dragSteps(steps) {
  const desk = document.querySelector('[data-test="desk"]');
  const box = desk.getBoundingClientRect();
  const handle = document.querySelectorAll("svg.marks circle.handle")[1];
  let x = Number(handle.getAttribute("cx")) + box.left;
  let y = Number(handle.getAttribute("cy")) + box.top;
  const fire = (type) =>
    desk.dispatchEvent(
      new PointerEvent(type, { clientX: x, clientY: y, bubbles: true, button: 0, pointerId: 1, isPrimary: true }),
    );
  desk.setPointerCapture = () => undefined;
  const horizon = () => document.querySelector("svg.marks path.horizon").getAttribute("d");
  const edges = () => [...document.querySelectorAll("svg.marks path.edge")].map((e) => e.getAttribute("d")).join();
  const task = () =>
    new Promise((resolve) => {
      const channel = new MessageChannel();
      channel.port1.onmessage = () => resolve();
      channel.port2.postMessage(0);
    });
  fire("pointermove");
  fire("pointerdown");
  const times = { mark: [], overlay: [] };
  for (let i = 0; i < steps; i++) {
    await new Promise((resolve) => requestAnimationFrame(resolve));
    await new Promise((resolve) => setTimeout(resolve, 5));
    const before = { mark: edges(), overlay: horizon() };
    const start = performance.now();
    x += i % 20 < 10 ? 2 : -2;
    y += i % 2 ? 1.5 : -1.5;
    fire("pointermove");
    let mark = null;
    let overlay = null;
    while ((mark === null || overlay === null) && performance.now() - start < 200) {
      await task();
      const now = performance.now() - start;
      if (mark === null && edges() !== before.mark) mark = now;
      if (overlay === null && horizon() !== before.overlay) overlay = now;
    }
    if (mark !== null) times.mark.push(mark);
    if (overlay !== null) times.overlay.push(overlay);
  }
  fire("pointerup");
  const at = (list, share) => list.sort((a, b) => a - b)[Math.min(list.length - 1, Math.floor(list.length * share))];
  return Object.fromEntries(
    Object.entries(times).map(([key, list]) => [
      key,
      { steps: list.length, medianMs: at(list, 0.5), percentile95Ms: at(list, 0.95) },
    ]),
  );
}

/** Moves the prop some times while the proof is on: time to the first picture, and the page's longest task meanwhile. */
async function proofAfterMoves(page, moves) {
  await page.getByTestId("step-render").click();
  await page.getByTestId("proof").click();
  const facts = page.getByTestId("proof-facts");
  const shown = async () => Number(/after ([\d.]+) s/.exec((await facts.textContent()) ?? "")?.[1] ?? NaN);
  await page.waitForFunction(
    () => /after [\d.]+ s/.test(document.querySelector('[data-test="proof-facts"]')?.textContent ?? ""),
    null,
    { timeout: 120000 },
  );
  await page.waitForTimeout(3000);
  await page.evaluate(() => {
    window.longest = 0;
    new PerformanceObserver((list) => {
      for (const task of list.getEntries()) window.longest = Math.max(window.longest, task.duration);
    }).observe({ type: "longtask" });
  });
  const seconds = [];
  let longest = 0;
  for (let i = 0; i < moves; i++) {
    await page.getByTestId("step-props").click();
    await page.locator(".list > div").first().click();
    const field = page.getByLabel("Foot x", { exact: true });
    await field.fill(String(parseFloat(await field.inputValue()) + (i % 2 ? -0.05 : 0.05)));
    // Steps of the page that change what is shown are not the proof's doing.
    await page.evaluate(() => new Promise((resolve) => requestIdleCallback(() => resolve((window.longest = 0)))));
    await field.press("Enter");
    await page.waitForTimeout(2500);
    longest = Math.max(longest, await page.evaluate(() => window.longest));
    await page.getByTestId("step-render").click();
    seconds.push(await shown());
  }
  return { moves, firstPictureSeconds: seconds, longestTaskMs: longest };
}

/** Puts posts beside the demo's set, so that it has more than 200 parts and 6000 faces. */
async function manyPosts(base, id) {
  const opened = await (await fetch(`${base}/api/shots/${id}`)).json();
  const like = Object.values(opened.shot.set)[0];
  const forward = Array.from({ length: 200 }, (_, i) => {
    const own = { id: `post-${i + 100}`, name: `Post ${i}`, kind: "post", axis: [0, 0, 0.6], radius: 0.12 };
    const foot = { world: [-12 + (i % 20) * 0.6, -6 + Math.floor(i / 20) * 0.9, 0], pixel: null, plate: "main" };
    const { flags, material } = like;
    const value = { flags, material, faceMaterials: {}, faceFlags: {}, muted: false, foot, ...own };
    return { op: "add", path: ["set", own.id], value };
  });
  const edit = {
    id: "many",
    name: "Many posts",
    forward,
    inverse: forward.map(({ path }) => ({ op: "remove", path })),
  };
  const response = await fetch(`${base}/api/shots/${id}/steps`, {
    method: "POST",
    headers: { "content-type": "application/json" },
    body: JSON.stringify({ revision: opened.revision, steps: [{ kind: "do", edit }] }),
  });
  if (!response.ok) throw new Error(await response.text());
  return opened.shot;
}

/** Drags a corner of the ground by the mouse; milliseconds from frame to frame. */
async function dragCorner(page, shot) {
  await page.getByTestId("part-polygon-1").click();
  const corners = shot.set["polygon-1"].vertices.map(({ pixel }) => pixel);
  const [u, v] = corners.find((p) => p && p[0] > 100 && p[0] < 1500 && p[1] > 100 && p[1] < 1000);
  const canvas = page.locator(".desk canvas.layer").first();
  const box = await canvas.boundingBox();
  const scale = box.width / (await canvas.evaluate((c) => c.width));
  const [x, y] = [box.x + u * scale, box.y + v * scale];
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.evaluate(() => {
    window.times = [];
    let last = performance.now();
    const frame = () => {
      const now = performance.now();
      window.times.push(now - last);
      last = now;
      requestAnimationFrame(frame);
    };
    requestAnimationFrame(frame);
  });
  for (let i = 0; i < 200; i++) {
    await page.mouse.move(x + Math.sin(i / 9) * 40, y + Math.cos(i / 7) * 15);
    await page.waitForTimeout(8);
  }
  const times = (await page.evaluate(() => window.times)).slice(1).sort((a, b) => a - b);
  await page.mouse.up();
  const at = (share) => times[Math.floor(times.length * share)];
  return { frames: times.length, medianMs: at(0.5), percentile95Ms: at(0.95) };
}

/** The set among many parts, in a browser as it starts by itself: without a graphics card it composes pages in software. */
async function setAmongMany(base, id) {
  const plain = await chromium.launch({ executablePath: chromiumPath, args: ["--headless", "--no-sandbox"] });
  try {
    const page = await plain.newPage({ viewport: { width: 1280, height: 800 } });
    const shot = await manyPosts(base, id);
    await page.goto(`${base}/shots/${id}/set`);
    await page.waitForTimeout(3000);
    const frames = await dragCorner(page, shot);
    await page.waitForTimeout(1000);
    const after = (await (await fetch(`${base}/api/shots/${id}`)).json()).shot;
    const place = (of) => JSON.stringify(of.set["polygon-1"].vertices);
    if (place(after) === place(shot)) throw new Error("The corner was not dragged.");
    return { parts: Object.keys(after.set).length, ...frames };
  } finally {
    await plain.close();
  }
}

try {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  const base = `http://127.0.0.1:${port}`;
  const [shot] = await (await fetch(`${base}/api/shots`)).json();
  await page.goto(`${base}/shots/${shot.id}/camera`);
  await page.waitForTimeout(3000);
  const drag = await page.evaluate(dragSteps, 150);
  await page.reload();
  const proof = await proofAfterMoves(page, 5);
  await page.close();
  const set = await setAmongMany(base, shot.id);
  console.log(JSON.stringify({ drag, proof, set }, null, 1));
} finally {
  await browser.close();
  server.kill("SIGKILL");
  rmSync(data, { recursive: true, force: true });
}
