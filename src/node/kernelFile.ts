import { readFile } from "node:fs/promises";
import { fileURLToPath } from "node:url";
import { MEMORY_PAGES } from "#core/trace/kernel";
import type { Kernel } from "#core/trace/kernel";

/** The compiled tracer, made by `npm run build`. */
export const kernelPath = fileURLToPath(new URL("../../build/kernel.wasm", import.meta.url));

/** The worker threads' bundles, made by the same build. */
export const threadPath = fileURLToPath(new URL("../../build/traceThread.mjs", import.meta.url));
export const denoiseThreadPath = fileURLToPath(new URL("../../build/denoiseThread.mjs", import.meta.url));

let compiled: Promise<WebAssembly.Module> | null = null;

export function compileKernel(): Promise<WebAssembly.Module> {
  compiled ??= readFile(kernelPath).then(
    (bytes) => WebAssembly.compile(bytes),
    () => {
      compiled = null;
      throw new Error(`The tracer is not built (${kernelPath} is missing). Run "npm run build" first.`);
    },
  );
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
