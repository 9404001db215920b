import { Worker } from "node:worker_threads";
import { askThread } from "./askThread.ts";
import type { FinishJob, FinishSetup, FinishedRows } from "./finishRowsJob.ts";
import { finishThreadPath } from "./kernelFile.ts";
import { startThread } from "./startThread.ts";

interface Waiting {
  resolve: (worker: Worker) => void;
  reject: (error: Error) => void;
}

/** Worker threads that finish rows of one picture. A job waits for the next free thread. */
export class FinishPool {
  private readonly idle: Worker[];
  private waiting: Waiting[] = [];
  /** Why no thread is asked any more. */
  private broken: Error | null = null;

  private constructor(private readonly workers: Worker[]) {
    this.idle = [...workers];
  }

  /** Throws if a thread cannot be started. */
  static async open(setup: FinishSetup, threads: number): Promise<FinishPool> {
    return new FinishPool(
      await Promise.all(Array.from({ length: threads }, () => startThread(finishThreadPath, setup))),
    );
  }

  /** Rows of a job. Throws what the thread says, and once a thread has died, that it has. */
  async run(job: FinishJob): Promise<FinishedRows> {
    const worker = await this.free();
    const answer = await askThread<{ rows?: FinishedRows; failed?: string }>(worker, job).catch((error: Error) => {
      this.fail(error);
      throw error;
    });
    const next = this.waiting.shift();
    if (next) next.resolve(worker);
    else this.idle.push(worker);
    if (!answer.rows) throw new Error(answer.failed);
    return answer.rows;
  }

  async close(): Promise<void> {
    await Promise.all(this.workers.map((worker) => worker.terminate()));
  }

  private async free(): Promise<Worker> {
    if (this.broken) throw this.broken;
    return this.idle.pop() ?? new Promise<Worker>((resolve, reject) => this.waiting.push({ resolve, reject }));
  }

  /** A dead thread never answers: nobody is to wait for it. */
  private fail(error: Error): void {
    this.broken = error;
    for (const { reject } of this.waiting) reject(error);
    this.waiting = [];
  }
}
