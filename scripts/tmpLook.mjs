import { spawn } from "node:child_process";
import { chromium } from "@playwright/test";
import { chromiumArgs, chromiumPath } from "./chromium.mjs";
import { bin, root } from "./ensure.mjs";
const port = 4695;
const server = spawn(bin("tsx"), ["src/server/main.ts"], { cwd: root, env: { ...process.env, HARBOR_PORT: String(port), HARBOR_DATA: process.env.DATA ?? "/tmp/lookdata" }, stdio: ["ignore", "pipe", "inherit"], detached: true });
await new Promise((resolve) => server.stdout.on("data", (t) => String(t).includes("Red Harbor is at") && resolve()));
const browser = await chromium.launch({ executablePath: chromiumPath, args: chromiumArgs });
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
page.on("pageerror", (e) => console.error(`page error: ${e.message}`));
page.on("console", (m) => m.type() === "error" && console.error(`console: ${m.text()}`));
const base = `http://127.0.0.1:${port}`;
const shots = await (await fetch(`${base}/api/shots`)).json();
const open = async (name, step) => { const s = shots.find((x) => x.name.startsWith(name)); await page.goto(`${base}/shots/${s.id}/${step}`); await page.waitForTimeout(2500); };
const save = (n) => page.screenshot({ path: `/tmp/look-${n}.png` });
try { await (await import(process.argv[2])).default({ page, open, save, base, shots }); } catch (e) { console.error(e); } finally { await browser.close(); process.kill(-server.pid); }
