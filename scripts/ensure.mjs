// What the two README commands need before they can do anything: the packages of the lock file, and a browser for tests.
import { createHash } from "node:crypto";
import { execFile, execFileSync, spawnSync } from "node:child_process";
import { existsSync, readFileSync, writeFileSync } from "node:fs";
import { fileURLToPath } from "node:url";
import path from "node:path";

export const root = fileURLToPath(new URL("..", import.meta.url));

/** Runs a command with its output shown; ends this process with its exit code if it fails. */
export function run(command, args, env = {}) {
  const result = spawnSync(command, args, { cwd: root, stdio: "inherit", env: { ...process.env, ...env } });
  if (result.error) {
    console.error(`${command} could not be started: ${result.error.message}`);
    process.exit(1);
  }
  if (result.status !== 0) process.exit(result.status ?? 1);
}

/**
 * Runs commands side by side; shows what each said when it is done, and ends this process with the first exit code that is
 * not 0, once all have ended.
 */
export async function runTogether(commands) {
  const ended = commands.map(
    ([command, ...args]) =>
      new Promise((resolve) => {
        execFile(command, args, { cwd: root, maxBuffer: 2 ** 26 }, (error, stdout, stderr) => {
          process.stdout.write(stdout);
          process.stderr.write(stderr);
          if (error && typeof error.code !== "number") console.error(`${command}: ${error.message}`);
          resolve(error ? (typeof error.code === "number" ? error.code : 1) : 0);
        });
      }),
  );
  const failed = (await Promise.all(ended)).find((code) => code !== 0);
  if (failed !== undefined) process.exit(failed);
}

export const bin = (name) => path.join(root, "node_modules/.bin", name);

/** Installs the packages unless those of this lock file are there already. */
export function ensurePackages() {
  const [major] = process.versions.node.split(".").map(Number);
  if (major < 20) {
    console.error(`Node ${process.versions.node} is too old; Red Harbor needs Node 20 or newer.`);
    process.exit(1);
  }
  const hash = createHash("sha256")
    .update(readFileSync(path.join(root, "package-lock.json")))
    .digest("hex");
  const stamp = path.join(root, "node_modules/.lock-hash");
  if (existsSync(stamp) && readFileSync(stamp, "utf8") === hash) return;
  console.log("Installing packages …");
  run("npm", ["ci", "--no-audit", "--no-fund"]);
  writeFileSync(stamp, hash);
}

/** Debian's Chromium for the interface tests, installed if it is missing. */
export const ensureChromium = () => ensureDebian("chromium", "/usr/bin/chromium");

/** Real photographs for the tests of the camera: those that come with OpenCV's documentation. */
export const ensurePhotographs = () => ensureDebian("opencv-doc", "/usr/share/doc/opencv-doc/examples/data/left01.jpg");

/** Installs a package of Debian unless a file of it is there. */
function ensureDebian(name, file) {
  if (existsSync(file)) return;
  console.log(`Installing ${name} …`);
  const prefix = process.getuid?.() === 0 ? [] : ["sudo"];
  const apt = (args) => {
    const [command, ...rest] = [...prefix, "apt-get", ...args];
    execFileSync(command, rest, { stdio: "inherit", env: { ...process.env, DEBIAN_FRONTEND: "noninteractive" } });
  };
  apt(["update"]);
  apt(["install", "-y", "--no-install-recommends", name]);
}
