import { spawn } from "node:child_process";
import type { ChildProcess } from "node:child_process";
import { mkdtemp, rm } from "node:fs/promises";
import type { AddressInfo } from "node:net";
import { tmpdir } from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { createApp } from "../server/app.ts";
import { openServices } from "../server/services.ts";
import type { Services } from "../server/services.ts";

/** A server in this process on a folder of its own, its database in memory. */
export interface TestServer {
  base: string;
  folder: string;
  services: Services;
  close: () => Promise<void>;
}

export async function serveHere(): Promise<TestServer> {
  const folder = await mkdtemp(path.join(tmpdir(), "harbor-unit-"));
  const services = await openServices(folder, true);
  const server = createApp(services).listen(0, "127.0.0.1");
  await new Promise((resolve) => server.once("listening", resolve));
  return {
    base: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    folder,
    services,
    close: async () => {
      server.close();
      server.closeAllConnections();
      await services.close();
      await rm(folder, { recursive: true, force: true });
    },
  };
}

export const sendBytes = (at: string, route: string, bytes: Uint8Array, name: string): Promise<Response> =>
  fetch(`${at}/api${route}`, {
    method: "POST",
    headers: { "content-type": "application/octet-stream", "x-file-name": encodeURIComponent(name) },
    body: bytes as Uint8Array<ArrayBuffer>,
  });

export const sendJson = (at: string, route: string, body: unknown, method = "POST"): Promise<Response> =>
  fetch(`${at}/api${route}`, {
    method,
    headers: { "content-type": "application/json" },
    body: JSON.stringify(body),
  });

export const readJson = async <T>(at: string, route: string): Promise<T> =>
  (await (await fetch(`${at}/api${route}`)).json()) as T;

/** Servers that a failed test has left; they would keep the run from ending. */
const running = new Set<ChildProcess>();
export const killServers = (): void => running.forEach((child) => child.kill("SIGKILL"));

/** A server of its own process on a data folder, without the demo. */
export async function startServer(
  place: string,
  env: Record<string, string> = {},
): Promise<{ child: ChildProcess; at: string }> {
  const port = 20000 + Math.floor(Math.random() * 20000);
  const child = spawn(process.execPath, ["--import", "./scripts/typescript.mjs", "src/server/main.ts"], {
    cwd: fileURLToPath(new URL("../..", import.meta.url)),
    env: { ...process.env, NODE_OPTIONS: "", HARBOR_DATA: place, HARBOR_PORT: String(port), HARBOR_DEMO: "0", ...env },
    stdio: ["ignore", "pipe", "pipe"],
  });
  running.add(child);
  child.once("exit", () => running.delete(child));
  let said = "";
  child.stderr.on("data", (text: Buffer) => (said += String(text)));
  await new Promise<void>((resolve, reject) => {
    child.stdout.on("data", (text: Buffer) => String(text).includes("Red Harbor is at") && resolve());
    child.once("exit", () => reject(new Error(`The server did not start: ${said.slice(-2000)}`)));
  });
  return { child, at: `http://127.0.0.1:${port}` };
}

export async function kill(child: ChildProcess): Promise<void> {
  const gone = new Promise((resolve) => child.once("exit", resolve));
  child.kill("SIGKILL");
  await gone;
}
