/* global window */
// npm run bench:import: a model of a million triangles is brought in and deleted again in Chromium: time until it stands
// in the view, the page's longest task meanwhile, and the memory of page and workers before, with it, and after. JSON.
import { spawn } from "node:child_process";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";
import { chromium, selectors } from "@playwright/test";
import { chromiumArgs, chromiumPath } from "./chromium.mjs";
import { root } from "./ensure.mjs";

/** A bumpy ball of 2 × `across` × `down` triangles, smooth, as GLB. */
function ballGlb(across, down) {
  const count = (across + 1) * (down + 1);
  const [positions, normals] = [new Float32Array(count * 3), new Float32Array(count * 3)];
  for (let j = 0, at = 0; j <= down; j++)
    for (let i = 0; i <= across; i++, at += 3) {
      const [a, b] = [(i / across) * 2 * Math.PI, (j / down) * Math.PI];
      const n = [Math.sin(b) * Math.cos(a), Math.cos(b), -Math.sin(b) * Math.sin(a)];
      const r = 0.5 + 0.01 * Math.sin(40 * a) * Math.sin(40 * b) * Math.sin(b);
      normals.set(n, at);
      positions.set(
        n.map((x) => x * r),
        at,
      );
    }
  const indices = new Uint32Array(across * down * 6);
  for (let j = 0, at = 0; j < down; j++)
    for (let i = 0; i < across; i++, at += 6) {
      const a = j * (across + 1) + i;
      indices.set([a, a + across + 1, a + 1, a + 1, a + across + 1, a + across + 2], at);
    }
  const parts = [positions, normals, indices].map((list) => Buffer.from(list.buffer));
  let offset = 0;
  const bufferViews = parts.map(({ length }, i) => {
    const view = { buffer: 0, byteOffset: offset, byteLength: length, target: i === 2 ? 34963 : 34962 };
    offset += length;
    return view;
  });
  const bounds = { min: [-0.52, -0.52, -0.52], max: [0.52, 0.52, 0.52] };
  const json = {
    asset: { version: "2.0" },
    scene: 0,
    scenes: [{ nodes: [0] }],
    nodes: [{ mesh: 0 }],
    meshes: [{ primitives: [{ attributes: { POSITION: 0, NORMAL: 1 }, indices: 2 }] }],
    buffers: [{ byteLength: offset }],
    bufferViews,
    accessors: [
      { bufferView: 0, componentType: 5126, count, type: "VEC3", ...bounds },
      { bufferView: 1, componentType: 5126, count, type: "VEC3" },
      { bufferView: 2, componentType: 5125, count: indices.length, type: "SCALAR" },
    ],
  };
  let text = JSON.stringify(json);
  text += " ".repeat((4 - (text.length % 4)) % 4);
  const head = Buffer.alloc(20);
  head.write("glTF", 0);
  head.writeUInt32LE(2, 4);
  head.writeUInt32LE(12 + 8 + text.length + 8 + offset, 8);
  head.writeUInt32LE(text.length, 12);
  head.write("JSON", 16);
  const binary = Buffer.alloc(8);
  binary.writeUInt32LE(offset, 0);
  binary.write("BIN\0", 4);
  return Buffer.concat([head, Buffer.from(text), binary, ...parts]);
}

selectors.setTestIdAttribute("data-test");
const port = 4694;
const data = mkdtempSync(path.join(tmpdir(), "harbor-bench-"));
const file = path.join(data, "million.glb");
writeFileSync(file, ballGlb(1000, 500));
const server = spawn(process.execPath, ["--import", "./scripts/typescript.mjs", "src/server/main.ts"], {
  cwd: root,
  env: { ...process.env, HARBOR_PORT: String(port), HARBOR_DATA: path.join(data, "harbor") },
  stdio: ["ignore", "pipe", "inherit"],
});
await new Promise((resolve) =>
  server.stdout.on("data", (text) => String(text).includes("Red Harbor is at") && resolve()),
);
const browser = await chromium.launch({ executablePath: chromiumPath, args: chromiumArgs });
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
const base = `http://127.0.0.1:${port}`;
const megabytes = async () => {
  const { bytes } = await page.evaluate(() => performance.measureUserAgentSpecificMemory());
  return Math.round(bytes / 1e6);
};
try {
  const shots = await (await fetch(`${base}/api/shots`)).json();
  const { id } = shots.find((shot) => shot.name.startsWith("Quay"));
  await page.goto(`${base}/shots/${id}/props`);
  // The demo's pictures for the library are taken meanwhile.
  await page.waitForTimeout(16000);
  const before = await megabytes();
  await page.evaluate(() => {
    window.tasks = [];
    new PerformanceObserver((list) => {
      for (const { duration } of list.getEntries()) window.tasks.push(Math.round(duration));
    }).observe({ type: "longtask" });
  });
  const start = Date.now();
  await page.getByTestId("model-file").setInputFiles(file);
  const marks = {};
  await page.locator('[data-test^="prop-prop-"]').filter({ hasText: "million" }).waitFor({ timeout: 60_000 });
  marks.read = Date.now() - start;
  await page.getByText("million.glb: 1,000,000 triangles").waitFor({ timeout: 60_000 });
  await page.evaluate(() => new Promise((resolve) => window.requestAnimationFrame(() => setTimeout(resolve))));
  marks.stands = Date.now() - start;
  await page.waitForTimeout(6000);
  const tasks = await page.evaluate(() => window.tasks);
  const during = await megabytes();
  await page.getByLabel("Delete million").click();
  await page.waitForTimeout(3000);
  const after = await megabytes();
  const longest = Math.max(0, ...tasks);
  console.log(
    JSON.stringify({ ms: marks, longestTaskMs: longest, tasks, megabytes: { before, during, after } }, null, 2),
  );
} finally {
  await browser.close();
  server.kill();
  rmSync(data, { recursive: true, force: true });
}
