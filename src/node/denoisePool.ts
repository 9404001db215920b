import { Worker } from "node:worker_threads";
import type { Passes } from "#core/trace/film";
import type { DenoiseJob } from "./denoiseThread.ts";
import { denoiseThreadPath } from "./kernelFile.ts";

/** Worker threads that denoise parts of films. A job waits for the next free thread. */
export class DenoisePool {
  private readonly idle: Worker[];
  private readonly waiting: ((worker: Worker) => void)[] = [];

  constructor(private readonly workers: Worker[]) {
    this.idle = [...workers];
  }

  static open(threads: number): DenoisePool {
    return new DenoisePool(Array.from({ length: threads }, () => new Worker(denoiseThreadPath, { execArgv: [] })));
  }

  /** Passes of a part without its noise. The film's memory goes over to the thread. Throws if the thread dies. */
  async run(job: DenoiseJob): Promise<Passes> {
    const worker = this.idle.pop() ?? (await new Promise<Worker>((resolve) => this.waiting.push(resolve)));
    try {
      return await ask(worker, job);
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

function ask(worker: Worker, job: DenoiseJob): Promise<Passes> {
  return new Promise((resolve, reject) => {
    const settle = () => {
      worker.off("message", done);
      worker.off("error", fail);
    };
    const done = (passes: Passes) => {
      settle();
      resolve(passes);
    };
    const fail = (error: Error) => {
      settle();
      reject(error);
    };
    worker.on("message", done);
    worker.on("error", fail);
    worker.postMessage(job, [job.film.buffer as ArrayBuffer]);
  });
}
