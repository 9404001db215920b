import type { ChildProcess } from "node:child_process";
import { fork } from "node:child_process";
import { randomUUID } from "node:crypto";
import { mkdir, rm } from "node:fs/promises";
import path from "node:path";
import { fileURLToPath } from "node:url";
import type { WorkState } from "#core/shot/api";
import { HEAVY_PROCESS } from "#node/typescript";
import { ApiError, notFound } from "./errors.ts";
import type { FinalPaths, WorkMessage, WorkOrder, WorkTask, WorkTasks } from "./workProcess.ts";

const processPath = fileURLToPath(new URL("./workProcess.ts", import.meta.url));
/** How long the files of a work that is over are kept. */
const KEPT_MS = 3_600_000;

interface Work {
  state: WorkState;
  child: ChildProcess | null;
  started: number;
  target: string;
  answer: unknown;
}

/** Work on finished renders, each in a process of its own: told of, cancelled at once, its files kept for an hour. */
export class Works {
  private readonly works = new Map<string, Work>();

  constructor(private readonly folder: string) {}

  /** Deletes what earlier runs left. */
  async sweep(): Promise<void> {
    if (this.works.size === 0) await rm(this.folder, { recursive: true, force: true });
  }

  /** Begins a work; `done` is told of its answer before anybody else. */
  async begin<T extends WorkTask>(
    task: T,
    final: FinalPaths,
    ask: WorkTasks[T]["ask"],
    done: (answer: WorkTasks[T]["answer"], target: string) => Promise<void> = () => Promise.resolve(),
  ): Promise<WorkState> {
    const id = randomUUID();
    const target = path.join(this.folder, id);
    await mkdir(target, { recursive: true });
    const state: WorkState = { id, state: "running", share: 0, secondsLeft: null, what: "", message: null, files: [] };
    const work: Work = { state, child: null, started: Date.now(), target, answer: null };
    this.works.set(id, work);
    const order: WorkOrder = { task, final, ask, target };
    void this.run(work, order)
      .then((answer) => done(answer as WorkTasks[T]["answer"], target))
      .then(
        () => (state.state = "done"),
        (error: Error) => {
          if (state.state === "running") {
            state.state = "failed";
            state.message = error.message;
          }
        },
      )
      .finally(() => {
        setTimeout(() => void this.forget(id), KEPT_MS).unref();
      });
    return state;
  }

  /** Waits for a work's answer. Throws what it failed with. */
  async wait<T extends WorkTask>(id: string): Promise<WorkTasks[T]["answer"]> {
    const work = this.find(id);
    while (work.state.state === "running") await new Promise((resolve) => setTimeout(resolve, 40));
    if (work.state.state !== "done")
      throw new ApiError(422, "work-failed", work.state.message ?? "It was cancelled.", "Try it again.");
    return work.answer as WorkTasks[T]["answer"];
  }

  stateOf(id: string): WorkState {
    return this.find(id).state;
  }

  /** What came out of a work that is done. */
  answerOf(id: string): unknown {
    const { state, answer } = this.find(id);
    if (state.state !== "done") throw notFound("The answer");
    return answer;
  }

  /** The folder of a work's files. */
  targetOf(id: string): string {
    return this.find(id).target;
  }

  cancel(id: string): WorkState {
    const work = this.find(id);
    if (work.state.state === "running") {
      work.state.state = "cancelled";
      work.child?.kill("SIGKILL");
      void rm(work.target, { recursive: true, force: true });
    }
    return work.state;
  }

  async forget(id: string): Promise<void> {
    const work = this.works.get(id);
    this.works.delete(id);
    if (work) await rm(work.target, { recursive: true, force: true });
  }

  async close(): Promise<void> {
    for (const { child } of this.works.values()) child?.kill("SIGKILL");
    await rm(this.folder, { recursive: true, force: true });
  }

  private find(id: string): Work {
    const work = this.works.get(id);
    if (!work) throw notFound("That work");
    return work;
  }

  private run(work: Work, order: WorkOrder): Promise<unknown> {
    return new Promise((resolve, reject) => {
      const child = fork(processPath, { execArgv: HEAVY_PROCESS, serialization: "advanced" });
      work.child = child;
      let failure: string | null = null;
      let done = false;
      child.on("message", (message: WorkMessage) => {
        if (message.kind === "progress") {
          work.state.share = message.share;
          work.state.what = message.what;
          const seconds = (Date.now() - work.started) / 1000;
          work.state.secondsLeft = message.share > 0.02 ? seconds * (1 / message.share - 1) : null;
        } else if (message.kind === "done") {
          done = true;
          work.answer = message.answer;
          const { files } = message.answer as { files?: unknown };
          if (Array.isArray(files)) work.state.files = files as WorkState["files"];
        } else failure = message.message;
      });
      child.on("error", reject);
      child.on("exit", (code) => {
        work.child = null;
        if (done) resolve(work.answer);
        else
          reject(
            new Error(failure ?? `The process ended with code ${code}, perhaps for want of memory. Try it again.`),
          );
      });
      child.send(order);
    });
  }
}
