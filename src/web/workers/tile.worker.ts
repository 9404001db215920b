import { scratchAddress } from "#core/trace/memory";
import type { Kernel } from "#core/trace/kernel";
import type { FillJob, TileJob } from "#core/trace/tiles";
import { runJob } from "#core/trace/tiles";

/** One tracing thread of the proof. */
export interface TileStart {
  module: WebAssembly.Module;
  memory: WebAssembly.Memory;
  thread: number;
}

let kernel: Kernel | null = null;
let memory: WebAssembly.Memory | null = null;

self.onmessage = async (event: MessageEvent<TileStart | TileJob | FillJob>) => {
  if ("module" in event.data) {
    memory = event.data.memory;
    const instance = await WebAssembly.instantiate(event.data.module, { env: { memory } });
    kernel = instance.exports as unknown as Kernel;
    kernel.setScratch(scratchAddress(event.data.thread));
    self.postMessage("ready");
    return;
  }
  self.postMessage(runJob(kernel!, memory!.buffer, event.data));
};
