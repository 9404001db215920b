import { parentPort, workerData } from "node:worker_threads";
import { scratchAddress } from "#core/trace/memory";
import type { TileJob } from "#core/trace/tiles";
import { runTiles } from "#core/trace/tiles";
import { openKernel } from "./kernelFile.ts";

/** What a tracing thread is started with. */
export interface TraceThreadData {
  module: WebAssembly.Module;
  memory: WebAssembly.Memory;
  thread: number;
}

const { module, memory, thread } = workerData as TraceThreadData;
const kernel = await openKernel(module, memory, scratchAddress(thread));
parentPort!.on("message", (job: TileJob) => {
  parentPort!.postMessage(runTiles(kernel, memory.buffer, job));
});
parentPort!.postMessage("ready");
