import type { Worker } from "node:worker_threads";
import { GENERATION_ADDRESS, SceneMemory, scratchAddress } from "#core/trace/memory";
import type { Kernel } from "#core/trace/kernel";
import type { PackJob, PackedPixels } from "#core/trace/sparse";
import type { FillJob, TileJob, TileReport } from "#core/trace/tiles";
import { packRoom, packedPixels } from "#core/trace/sparse";
import { rewindTiles } from "#core/trace/tiles";
import { askThread } from "./askThread.ts";
import { compileKernel, newKernelMemory, openKernel, threadPath } from "./kernelFile.ts";
import { startThread } from "./startThread.ts";
import type { TraceThreadData } from "./traceThread.ts";

/** Worker threads over one shared memory, and the host's own instance for building scenes. */
export class TracePool {
  readonly scene: SceneMemory;
  private constructor(
    readonly kernel: Kernel,
    private readonly memory: WebAssembly.Memory,
    private readonly workers: Worker[],
  ) {
    this.scene = new SceneMemory(memory);
  }

  static async open(threads: number): Promise<TracePool> {
    const module = await compileKernel();
    const memory = newKernelMemory();
    const kernel = await openKernel(module, memory, scratchAddress(0));
    const workers = await Promise.all(
      Array.from({ length: threads }, (_, i) =>
        startThread(threadPath, { module, memory, thread: i + 1 } satisfies TraceThreadData),
      ),
    );
    return new TracePool(kernel, memory, workers);
  }

  /** Renders a job on all threads, or until `abandon` is called. Resolves to the rays traced. Throws if a thread dies. */
  async run(job: TileJob | FillJob): Promise<number> {
    rewindTiles(this.memory.buffer);
    const reports = await Promise.all(this.workers.map((worker) => askThread<TileReport>(worker, job)));
    return reports.reduce((n, r) => n + r.rays, 0);
  }

  /**
   * Packs so many pixels of a film, each thread its share in its part of `packRoom` bytes at `room`. What comes back is that
   * memory itself. `twins` is the address of `twinMarks`.
   */
  async pack(film: number, stride: number, pixels: number, twins: number, room: number): Promise<PackedPixels[]> {
    const share = Math.ceil(pixels / this.workers.length);
    const jobs = this.workers.map((_, i): PackJob => {
      const [first, last] = [Math.min(pixels, i * share), Math.min(pixels, (i + 1) * share)];
      return { film, stride, twins, first, last, room: room + packRoom(first, stride) };
    });
    const counts = await Promise.all(this.workers.map((worker, i) => askThread<number>(worker, jobs[i])));
    return jobs.map((job, i) => packedPixels(this.memory.buffer, job, counts[i]));
  }

  /** Makes every thread leave its tile at the next row. Scenes uploaded before can no longer be rendered. */
  abandon(): void {
    Atomics.add(new Int32Array(this.memory.buffer, GENERATION_ADDRESS, 1), 0, 1);
  }

  async close(): Promise<void> {
    await Promise.all(this.workers.map((worker) => worker.terminate()));
  }
}
