// Compiles the tracer's module, unless the sources are those it was last compiled from.
import { createHash } from "node:crypto";
import { execFileSync } from "node:child_process";
import { existsSync, mkdirSync, readFileSync, readdirSync, renameSync, writeFileSync } from "node:fs";
import { fileURLToPath } from "node:url";
import path from "node:path";

const root = fileURLToPath(new URL("..", import.meta.url));
const source = path.join(root, "src/kernel");
const flags = [
  "-O3",
  "--noAssert",
  "--runtime",
  "stub",
  "--use",
  "abort=",
  "--enable",
  "simd",
  "--enable",
  "threads",
  "--enable",
  "bulk-memory",
  "--importMemory",
  "--sharedMemory",
  "--initialMemory",
  "64",
  "--maximumMemory",
  "65536",
];

/** Hash of everything that the module is compiled from. */
export function kernelHash() {
  const hash = createHash("sha256").update(flags.join(" "));
  for (const name of readdirSync(source)
    .filter((n) => n.endsWith(".ts"))
    .sort())
    hash.update(name).update(readFileSync(path.join(source, name)));
  return hash.digest("hex");
}

/** The threads as one file each: Node's worker threads cannot start from TypeScript. */
async function buildThreads() {
  const { build } = await import("esbuild");
  await build({
    entryPoints: ["traceThread", "denoiseThread"].map((name) => path.join(root, `src/node/${name}.ts`)),
    outdir: path.join(root, "build"),
    outExtension: { ".js": ".mjs" },
    bundle: true,
    platform: "node",
    format: "esm",
    target: "node20",
    logLevel: "warning",
  });
}

export async function buildKernel() {
  await buildThreads();
  const out = path.join(root, "build");
  const wasm = path.join(out, "kernel.wasm");
  const stamp = path.join(out, "kernel.hash");
  const hash = kernelHash();
  if (existsSync(wasm) && existsSync(stamp) && readFileSync(stamp, "utf8") === hash) return;
  mkdirSync(out, { recursive: true });
  const fresh = path.join(out, `kernel-${process.pid}.wasm`);
  const asc = path.join(root, "node_modules/assemblyscript/bin/asc.js");
  execFileSync(process.execPath, [asc, "src/kernel/index.ts", "-o", fresh, ...flags], { cwd: root, stdio: "inherit" });
  renameSync(fresh, wasm);
  writeFileSync(stamp, hash);
}

if (process.argv[1] === fileURLToPath(import.meta.url)) await buildKernel();
