import { parentPort, workerData } from "node:worker_threads";
import { collectSome } from "./garbage.ts";
import type { FinishJob, FinishSetup } from "./finishRowsJob.ts";
import { RowFinisher } from "./finishRowsJob.ts";

const finisher = new RowFinisher(workerData as FinishSetup);
parentPort!.on("message", async (job: FinishJob) => {
  try {
    const rows = await finisher.finish(job);
    parentPort!.postMessage({ rows });
  } catch (error) {
    parentPort!.postMessage({ failed: (error as Error).message });
  }
  collectSome();
});
