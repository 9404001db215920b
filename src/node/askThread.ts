import type { Worker } from "node:worker_threads";

/** Sends a thread a job and waits for its one answer. Throws if the thread fails or ends before it. */
export function askThread<Answer>(worker: Worker, job: unknown, transfer: ArrayBuffer[] = []): Promise<Answer> {
  return new Promise((resolve, reject) => {
    const settle = () => {
      worker.off("message", done);
      worker.off("error", fail);
      worker.off("exit", ended);
    };
    const done = (answer: Answer) => {
      settle();
      resolve(answer);
    };
    const fail = (error: Error) => {
      settle();
      reject(error);
    };
    const ended = () => fail(new Error("A rendering thread ended before its work was done."));
    worker.on("message", done);
    worker.on("error", fail);
    worker.on("exit", ended);
    worker.postMessage(job, transfer);
  });
}
