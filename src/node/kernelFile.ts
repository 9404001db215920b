import { readFile } from "node:fs/promises";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { MEMORY_PAGES } from "#core/trace/kernel";
import type { Kernel } from "#core/trace/kernel";
import { kernelHash } from "../../scripts/kernelSources.mjs";

/** Where `npm run build` puts the tracer and its threads. */
export const buildFolder = fileURLToPath(new URL("../../build/", import.meta.url));

/**
 * The compiled tracer, made by `npm run build`. Throws if it is missing, or was compiled from other sources than those that
 * are here: their layouts of memory need not agree.
 */
export async function kernelBytes(folder = buildFolder): Promise<Buffer<ArrayBuffer>> {
  const [bytes, stamp] = await Promise.all(
    [readFile(path.join(folder, "kernel.wasm")), readFile(path.join(folder, "kernel.hash"))].map((file) =>
      file.catch(() => {
        throw new Error(`The tracer is not built: ${folder} does not hold it. Run "npm run build" first.`);
      }),
    ),
  );
  if (stamp.toString() !== kernelHash())
    throw new Error('The tracer was compiled from other sources than those in src/kernel. Run "npm run build" again.');
  return bytes;
}

/** The worker threads' bundles, made by the same build. */
export const threadPath = fileURLToPath(new URL("../../build/traceThread.mjs", import.meta.url));
export const finishThreadPath = fileURLToPath(new URL("../../build/finishThread.mjs", import.meta.url));

let compiled: Promise<WebAssembly.Module> | null = null;

export function compileKernel(): Promise<WebAssembly.Module> {
  compiled ??= kernelBytes().then((bytes) => WebAssembly.compile(bytes));
  compiled.catch(() => (compiled = null));
  return compiled;
}

export const newKernelMemory = (): WebAssembly.Memory => new WebAssembly.Memory(MEMORY_PAGES);

/** An instance of the module over `memory`, with its own scratch. */
export async function openKernel(
  module: WebAssembly.Module,
  memory: WebAssembly.Memory,
  scratch: number,
): Promise<Kernel> {
  const instance = await WebAssembly.instantiate(module, { env: { memory } });
  const kernel = instance.exports as unknown as Kernel;
  kernel.setScratch(scratch);
  return kernel;
}
