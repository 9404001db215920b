import type { ChildProcess } from "node:child_process";
import { fork } from "node:child_process";
import { readFileSync, statSync } from "node:fs";
import { fileURLToPath } from "node:url";
import { IMPORT_TYPESCRIPT } from "#node/typescript";
import { ApiError } from "./errors.ts";
import type { ReadBegun, ReadOrder, ReadProgress, ReadReply, ReadTask, ReadTasks } from "./readProcess.ts";

const processPath = fileURLToPath(new URL("./readProcess.ts", import.meta.url));

const MB = 1024 * 1024;
/** What reading one file may take; a process that has not begun after `toBegin` seconds is replaced by another, once. */
const LIMITS = { bytes: 3072 * MB, seconds: 120, toBegin: 30 };
/** A process that has grown beyond this is not kept for the next file. */
const LEAN = 700 * MB;
/** How long an idle process stays. */
const IDLE_MS = 600_000;
const PROCESSES = 2;
const PAGE = 4096;

/** Bytes that a process holds in memory, where /proc tells. */
function memoryOf(pid: number): number {
  try {
    return Number(readFileSync(`/proc/${pid}/statm`, "utf8").split(" ")[1]) * PAGE;
  } catch {
    return 0;
  }
}

const REFUSED: Record<ReadTask, string> = {
  plate: "plate-refused",
  model: "model-refused",
  portrait: "model-refused",
  bake: "bake-refused",
  bundle: "bundle-refused",
  picture: "picture-refused",
  small: "picture-refused",
  surroundings: "surroundings-refused",
};

/**
 * Seconds that reading a file of so many bytes may take until it tells how far it is, and from there to where it tells
 * again, by what is read. A damaged picture can send its decoder round in circles; a whole one is never silent for so long.
 */
const SECONDS: Partial<Record<ReadTask, (bytes: number) => number>> = {
  surroundings: (bytes) => 2 + bytes / MB,
};

interface Idle {
  child: ChildProcess;
  timer: NodeJS.Timeout;
}

/** Who waits for a reading: is told how much is read, and may leave it. */
export interface Follow {
  tell?: (share: number) => void;
  signal?: AbortSignal;
}

/** Has files read by processes with limits on memory and time; see `readProcess.ts`. */
export class Reader {
  private idle: Idle[] = [];
  private busy = new Set<ChildProcess>();
  private running = 0;
  private waiting: (() => void)[] = [];
  private closed = false;

  private readonly limits: typeof LIMITS;

  constructor(limits: Partial<typeof LIMITS> = {}) {
    this.limits = { ...LIMITS, ...limits };
  }

  /** Reads a file; ends at once where it is left. Throws ApiError 422 with the sentence why it is refused. */
  async read<T extends ReadTask>(
    task: T,
    path: string,
    name: string,
    ask: ReadTasks[T]["ask"],
    { tell, signal }: Follow = {},
  ): Promise<ReadTasks[T]["answer"]> {
    while (this.running >= PROCESSES) await new Promise<void>((resolve) => this.waiting.push(resolve));
    this.running++;
    try {
      const order: ReadOrder = { task, path, name, ask };
      const follow = { tell, signal };
      const reply = (await this.attempt(order, follow)) ?? (await this.attempt(order, follow));
      if (reply?.kind === "answer") return reply.answer as ReadTasks[T]["answer"];
      const code = REFUSED[task];
      if (reply?.kind === "refused") throw new ApiError(422, code, reply.message, reply.hint);
      const why = reply ? reply.message.replace(/\.$/, "") : "the server has no time for it";
      const hint = reply ? "Save or export it again and drop that." : "Drop it again in a minute.";
      throw new ApiError(reply ? 422 : 503, code, `“${name}” cannot be read: ${why}.`, hint);
    } finally {
      this.running--;
      this.waiting.shift()?.();
    }
  }

  close(): void {
    this.closed = true;
    for (const { child, timer } of this.idle) {
      clearTimeout(timer);
      child.kill("SIGKILL");
    }
    for (const child of this.busy) child.kill("SIGKILL");
    this.idle = [];
  }

  /** Asks one process; null where it never began, and is gone. */
  private async attempt(order: ReadOrder, follow: Follow): Promise<ReadReply | null> {
    const child = this.take();
    this.busy.add(child);
    try {
      return await this.ask(child, order, follow);
    } finally {
      this.busy.delete(child);
      this.keep(child);
    }
  }

  private take(): ChildProcess {
    const kept = this.idle.pop();
    if (kept) {
      clearTimeout(kept.timer);
      return kept.child;
    }
    return this.begin();
  }

  private begin(): ChildProcess {
    const child = fork(processPath, { execArgv: IMPORT_TYPESCRIPT, serialization: "advanced" });
    child.once("exit", () => (this.idle = this.idle.filter((i) => i.child !== child)));
    return child;
  }

  private keep(child: ChildProcess): void {
    if (this.closed || !child.connected || child.killed || memoryOf(child.pid!) > LEAN) {
      child.kill("SIGKILL");
      // The next file finds one that is begun already.
      if (!this.closed && this.idle.length === 0) this.rest(this.begin());
      return;
    }
    this.rest(child);
  }

  private rest(child: ChildProcess): void {
    const timer = setTimeout(() => child.kill("SIGKILL"), IDLE_MS);
    timer.unref();
    this.idle.push({ child, timer });
  }

  private ask(child: ChildProcess, order: ReadOrder, { tell, signal }: Follow): Promise<ReadReply | null> {
    const { bytes, seconds, toBegin } = this.limits;
    const most = Math.min(seconds, SECONDS[order.task]?.(statSync(order.path).size) ?? seconds);
    return new Promise((resolve) => {
      const refuse = (message: string) => {
        child.kill("SIGKILL");
        end({ kind: "refused", message, hint: "Make it smaller or save it anew, and drop it again." });
      };
      const watch = setInterval(() => {
        if (memoryOf(child.pid!) > bytes)
          refuse(`“${order.name}” takes more than ${Math.round(bytes / MB)} MB of memory to read.`);
      }, 20);
      const after = (s: number) =>
        setTimeout(
          () => refuse(`“${order.name}” takes more than ${Number(s.toPrecision(2))} seconds to read.`),
          s * 1000,
        );
      let late = setTimeout(() => {
        child.kill("SIGKILL");
        end(null);
      }, toBegin * 1000);
      const leave = () => refuse(`“${order.name}” was left.`);
      const gone = () => refuse(`“${order.name}” cannot be read: its reader ended before it was done.`);
      const hear = (reply: ReadReply | ReadBegun | ReadProgress) => {
        if (reply.kind === "begun") {
          clearTimeout(late);
          late = after(most);
        } else if (reply.kind === "progress") {
          tell?.(reply.share);
          if (!SECONDS[order.task]) return;
          clearTimeout(late);
          late = after(most);
        } else end(reply);
      };
      const end = (reply: ReadReply | null) => {
        clearInterval(watch);
        clearTimeout(late);
        child.off("message", hear);
        child.off("exit", gone);
        signal?.removeEventListener("abort", leave);
        resolve(reply);
      };
      child.on("message", hear);
      child.on("exit", gone);
      signal?.addEventListener("abort", leave);
      child.send(order);
      if (signal?.aborted) leave();
    });
  }
}
