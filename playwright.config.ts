import { mkdtempSync } from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";
import { defineConfig } from "@playwright/test";
import { chromiumArgs, chromiumPath } from "./scripts/chromium.mjs";

const port = Number(process.env.HARBOR_TEST_PORT ?? 4691);
// The configuration is read by every worker; the first reader makes the folder and passes it on.
process.env.HARBOR_TEST_DATA ??= mkdtempSync(path.join(tmpdir(), "harbor-test-"));

export default defineConfig({
  testDir: "e2e",
  // Generous: a shared machine may be several times slower than usual; what passes takes no longer for it.
  timeout: 600_000,
  expect: { timeout: 60_000 },
  workers: 1,
  reporter: [["list"]],
  use: {
    baseURL: `http://127.0.0.1:${port}`,
    viewport: { width: 1280, height: 800 },
    acceptDownloads: true,
    screenshot: "only-on-failure",
    launchOptions: { executablePath: chromiumPath, args: chromiumArgs },
  },
  webServer: {
    command: "node --import ./scripts/typescript.mjs src/server/main.ts",
    url: `http://127.0.0.1:${port}/api/health`,
    timeout: 300_000,
    env: { HARBOR_PORT: String(port), HARBOR_DATA: process.env.HARBOR_TEST_DATA },
    stdout: "pipe",
  },
});
