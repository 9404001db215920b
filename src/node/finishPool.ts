import { Worker } from "node:worker_threads";
import { askThread } from "./askThread.ts";
import type { FinishJob, FinishSetup, FinishedRows } from "./finishRowsJob.ts";
import { finishThreadPath } from "./kernelFile.ts";

/** Worker threads that finish rows of one picture. A job waits for the next free thread. */
export class FinishPool {
  private readonly idle: Worker[];
  private readonly waiting: ((worker: Worker) => void)[] = [];

  private constructor(private readonly workers: Worker[]) {
    this.idle = [...workers];
  }

  static open(setup: FinishSetup, threads: number): FinishPool {
    return new FinishPool(
      Array.from({ length: threads }, () => new Worker(finishThreadPath, { workerData: setup, execArgv: [] })),
    );
  }

  /** Rows of a job. Throws what the thread says, or if it dies. */
  async run(job: FinishJob): Promise<FinishedRows> {
    const worker = this.idle.pop() ?? (await new Promise<Worker>((resolve) => this.waiting.push(resolve)));
    try {
      const answer = await askThread<{ rows?: FinishedRows; failed?: string }>(worker, job);
      if (!answer.rows) throw new Error(answer.failed);
      return answer.rows;
    } finally {
      const next = this.waiting.shift();
      if (next) next(worker);
      else this.idle.push(worker);
    }
  }

  async close(): Promise<void> {
    await Promise.all(this.workers.map((worker) => worker.terminate()));
  }
}
