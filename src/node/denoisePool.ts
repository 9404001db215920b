import { Worker } from "node:worker_threads";
import type { Passes } from "#core/trace/film";
import { askThread } from "./askThread.ts";
import type { DenoiseJob } from "./denoiseThread.ts";
import { compileKernel, denoiseThreadPath } from "./kernelFile.ts";

/** Worker threads that denoise parts of films. A job waits for the next free thread. */
export class DenoisePool {
  private readonly idle: Worker[];
  private readonly waiting: ((worker: Worker) => void)[] = [];

  constructor(private readonly workers: Worker[]) {
    this.idle = [...workers];
  }

  static async open(threads: number): Promise<DenoisePool> {
    const workerData = await compileKernel();
    return new DenoisePool(
      Array.from({ length: threads }, () => new Worker(denoiseThreadPath, { workerData, execArgv: [] })),
    );
  }

  /**
   * Passes of a part without its noise. The job is made when a thread is free, and its film's memory goes over to it.
   * Throws if the thread dies.
   */
  async run(make: () => DenoiseJob): Promise<Passes> {
    const worker = this.idle.pop() ?? (await new Promise<Worker>((resolve) => this.waiting.push(resolve)));
    try {
      const job = make();
      return await askThread<Passes>(worker, job, [job.film.buffer as ArrayBuffer]);
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
