// Compiles the tracer's module, unless the sources are those it was last compiled from.
import { execFileSync } from "node:child_process";
import { existsSync, mkdirSync, readFileSync, renameSync, writeFileSync } from "node:fs";
import { fileURLToPath } from "node:url";
import path from "node:path";
import { INLINING, kernelFlags, kernelHash } from "./kernelSources.mjs";

const root = fileURLToPath(new URL("..", import.meta.url));
/** The threads as one file each: Node's worker threads cannot start from TypeScript. */
async function buildThreads() {
  const { build } = await import("esbuild");
  await build({
    entryPoints: ["traceThread", "finishThread"].map((name) => path.join(root, `src/node/${name}.ts`)),
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
  execFileSync(process.execPath, [asc, "src/kernel/index.ts", "-o", fresh, ...kernelFlags], {
    cwd: root,
    stdio: "inherit",
  });
  writeFileSync(fresh, await inlined(readFileSync(fresh)));
  renameSync(fresh, wasm);
  writeFileSync(stamp, hash);
}

/** The module with more of its small functions laid into their callers than its compiler does by itself. */
async function inlined(bytes) {
  const { default: binaryen } = await import("binaryen");
  binaryen.setOptimizeLevel(3);
  binaryen.setShrinkLevel(0);
  binaryen.setAlwaysInlineMaxSize(INLINING.always);
  binaryen.setFlexibleInlineMaxSize(INLINING.whereCheap);
  binaryen.setOneCallerInlineMaxSize(INLINING.oneCaller);
  const { Atomics, BulkMemory, BulkMemoryOpt, MutableGlobals, NontrappingFPToInt, SignExt, SIMD128 } =
    binaryen.Features;
  const module = binaryen.readBinary(bytes);
  module.setFeatures(Atomics | BulkMemory | BulkMemoryOpt | MutableGlobals | NontrappingFPToInt | SignExt | SIMD128);
  module.optimize();
  return module.emitBinary();
}

if (process.argv[1] === fileURLToPath(import.meta.url)) await buildKernel();
