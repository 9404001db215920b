/* global document, PointerEvent, requestAnimationFrame */
// npm run bench:interface: how fast mark and overlay follow a dragged mark in Chromium, on the demo shot. Prints JSON.
import { spawn } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";
import { chromium } from "@playwright/test";
import { chromiumArgs, chromiumPath } from "./chromium.mjs";
import { root } from "./ensure.mjs";

const port = 4693;
const data = mkdtempSync(path.join(tmpdir(), "harbor-bench-"));
const server = spawn(process.execPath, ["--import", "tsx", "src/server/main.ts"], {
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

try {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  const base = `http://127.0.0.1:${port}`;
  const [shot] = await (await fetch(`${base}/api/shots`)).json();
  await page.goto(`${base}/shots/${shot.id}/camera`);
  await page.waitForTimeout(3000);
  console.log(JSON.stringify(await page.evaluate(dragSteps, 150), null, 1));
} finally {
  await browser.close();
  server.kill("SIGKILL");
  rmSync(data, { recursive: true, force: true });
}
