import { randomUUID } from "node:crypto";
import { availableParallelism } from "node:os";
import { asc, desc, eq, or } from "drizzle-orm";
import { importGlb } from "#core/exchange/gltf";
import { sizeAt } from "#core/image/resize";
import type { Model } from "#core/props/model";
import type { FinalListing } from "#core/shot/api";
import type { Shot } from "#core/shot/schema";
import { decodeTexture } from "#node/images";
import { outputFiles, plateAt, plateOf, renderShot } from "#node/renderShot";
import type { AssetStore } from "./assets.ts";
import type { Database } from "./db/open.ts";
import type { FinalFiles } from "./db/schema.ts";
import { finals } from "./db/schema.ts";
import { ApiError, notFound } from "./errors.ts";
import { openShot } from "./shots.ts";

type Row = typeof finals.$inferSelect;

/** Models of all props of a shot, read from the asset store. */
export async function loadModels(shot: Shot, assets: AssetStore): Promise<Map<string, Model>> {
  const models = new Map<string, Model>();
  for (const { source } of Object.values(shot.props)) {
    if (source.kind !== "model" || models.has(source.asset)) continue;
    models.set(source.asset, (await importGlb(await assets.get(source.asset), decodeTexture)).model);
  }
  return models;
}

/** Final renders, one after the other, on worker threads. */
export class FinalQueue {
  private running: {
    id: string;
    abort: AbortController;
    live: { samplesDone: number; secondsLeft: number | null };
  } | null = null;
  private stopped = false;
  private work: Promise<void> = Promise.resolve();

  constructor(
    private readonly db: Database,
    private readonly assets: AssetStore,
  ) {}

  /** Takes up what a stopped server left: renders start again. */
  async resume(): Promise<void> {
    await this.db.update(finals).set({ status: "waiting", samplesDone: 0 }).where(eq(finals.status, "running"));
    this.wake();
  }

  async add(shotId: string, percent: number, samples: number): Promise<FinalListing> {
    const { shot } = await openShot(this.db, shotId);
    if (!shot.solved) {
      throw new ApiError(
        422,
        "no-camera",
        "The shot has no camera yet.",
        "Mark edges along two directions until the camera is solved.",
      );
    }
    const [row] = await this.db
      .insert(finals)
      .values({ id: randomUUID(), shotId, status: "waiting", percent, samples, document: shot })
      .returning();
    this.wake();
    return this.listing(row);
  }

  async list(shotId: string): Promise<FinalListing[]> {
    const rows = await this.db
      .select()
      .from(finals)
      .where(eq(finals.shotId, shotId))
      .orderBy(desc(finals.createdAt))
      .limit(50);
    return rows.map((row) => this.listing(row));
  }

  async find(id: string): Promise<Row> {
    const [row] = await this.db.select().from(finals).where(eq(finals.id, id));
    if (!row) throw notFound("The final");
    return row;
  }

  async cancel(id: string): Promise<FinalListing> {
    const row = await this.find(id);
    if (this.running?.id === id) this.running.abort.abort(new Error("cancelled"));
    if (row.status === "waiting" || row.status === "running") {
      const [changed] = await this.db
        .update(finals)
        .set({ status: "cancelled", secondsLeft: null })
        .where(eq(finals.id, id))
        .returning();
      return this.listing(changed);
    }
    return this.listing(row);
  }

  /** Stops the render in progress; it will start again with the server. */
  async close(): Promise<void> {
    this.stopped = true;
    this.running?.abort.abort(new Error("stopped"));
    await this.work;
  }

  listing(row: Row): FinalListing {
    const size = sizeAt(row.document.plate, row.percent);
    const live = this.running?.id === row.id ? this.running.live : null;
    return {
      id: row.id,
      shotId: row.shotId,
      status: row.status,
      percent: row.percent,
      samples: row.samples,
      samplesDone: live?.samplesDone ?? row.samplesDone,
      secondsLeft: live?.secondsLeft ?? row.secondsLeft,
      seconds: row.seconds,
      message: row.message,
      createdAt: row.createdAt.toISOString(),
      ...size,
    };
  }

  private wake(): void {
    this.work = this.work.then(() => this.drain());
  }

  private async drain(): Promise<void> {
    while (!this.stopped) {
      const [next] = await this.db
        .select()
        .from(finals)
        .where(or(eq(finals.status, "waiting")))
        .orderBy(asc(finals.createdAt))
        .limit(1);
      if (!next) return;
      await this.render(next);
    }
  }

  private async render(row: Row): Promise<void> {
    const abort = new AbortController();
    const live = { samplesDone: 0, secondsLeft: null as number | null };
    this.running = { id: row.id, abort, live };
    const started = Date.now();
    try {
      await this.db.update(finals).set({ status: "running" }).where(eq(finals.id, row.id));
      const shot = row.document;
      const plate = plateOf(shot, await this.assets.get(shot.plate.codes));
      const models = await loadModels(shot, this.assets);
      const passes = await renderShot(shot, plate, models, {
        percent: row.percent,
        samples: row.samples,
        threads: Math.max(1, availableParallelism()),
        signal: abort.signal,
        onProgress: (p) => {
          live.samplesDone = p.samples;
          live.secondsLeft = p.secondsLeft;
        },
      });
      const profile = shot.plate.profile ? await this.assets.get(shot.plate.profile) : null;
      const output = await outputFiles(plateAt(plate, row.percent), passes, profile);
      const files = {} as FinalFiles;
      for (const key of ["picture", "prop", "ratio", "added"] as const) files[key] = await this.assets.put(output[key]);
      await this.db
        .update(finals)
        .set({
          status: "done",
          files,
          samplesDone: row.samples,
          secondsLeft: null,
          seconds: (Date.now() - started) / 1000,
        })
        .where(eq(finals.id, row.id));
    } catch (error) {
      if (!abort.signal.aborted) {
        await this.db
          .update(finals)
          .set({ status: "failed", message: (error as Error).message, secondsLeft: null })
          .where(eq(finals.id, row.id));
      }
    } finally {
      this.running = null;
    }
  }
}
