import { parentPort, workerData } from "node:worker_threads";
import { scratchAddress } from "#core/trace/memory";
import type { PackJob } from "#core/trace/sparse";
import { packPixels } from "#core/trace/sparse";
import type { FillJob, TileJob } from "#core/trace/tiles";
import { runJob } from "#core/trace/tiles";
import { openKernel } from "./kernelFile.ts";

/** What a tracing thread is started with. */
export interface TraceThreadData {
  module: WebAssembly.Module;
  memory: WebAssembly.Memory;
  thread: number;
}

const { module, memory, thread } = workerData as TraceThreadData;
const kernel = await openKernel(module, memory, scratchAddress(thread));
parentPort!.on("message", (job: TileJob | FillJob | PackJob) => {
  parentPort!.postMessage("room" in job ? packPixels(kernel, job) : runJob(kernel, memory.buffer, job));
});
parentPort!.postMessage("ready");
