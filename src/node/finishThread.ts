import { parentPort, workerData } from "node:worker_threads";
import { collectSome } from "./garbage.ts";
import type { FinishJob, FinishSetup, FinishedRows } from "./finishRowsJob.ts";
import { RowFinisher } from "./finishRowsJob.ts";

const finisher = await RowFinisher.open(workerData as FinishSetup);
parentPort!.on("message", async (job: FinishJob) => {
  try {
    const rows = await finisher.finish(job);
    parentPort!.postMessage({ rows }, buffersOf(rows));
  } catch (error) {
    parentPort!.postMessage({ failed: (error as Error).message });
  }
  collectSome();
});
parentPort!.postMessage("ready");

/** Memory that is handed over and not copied. */
function buffersOf({ exr, png }: FinishedRows): ArrayBuffer[] {
  const packed = [
    ...Object.values(exr).flatMap(({ blocks }) => blocks),
    ...Object.values(png).map(({ bytes }) => bytes),
  ];
  return [...new Set(packed.map(({ buffer }) => buffer as ArrayBuffer))];
}
