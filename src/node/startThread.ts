import { Worker } from "node:worker_threads";

/** Starts a thread that says something once it can be asked. Throws what kept it from that. */
export function startThread(path: string | URL, data: unknown): Promise<Worker> {
  return new Promise((resolve, reject) => {
    const worker = new Worker(path, { workerData: data, execArgv: [] });
    worker.once("message", () => {
      worker.off("error", reject);
      resolve(worker);
    });
    worker.once("error", reject);
  });
}
