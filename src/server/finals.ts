import { randomUUID } from "node:crypto";
import { availableParallelism } from "node:os";
import path from "node:path";
import { asc, desc, eq } from "drizzle-orm";
import sharp from "sharp";
import { linearToCode } from "#core/colour/srgb";
import type { DecodedPlate } from "#core/comp/composite";
import { compositeLinear } from "#core/comp/composite";
import { importGlb } from "#core/exchange/gltf";
import { sizeAt } from "#core/image/resize";
import type { Model } from "#core/props/model";
import type { FinalListing, QueueMove, QueuedFinal } from "#core/shot/api";
import type { Shot } from "#core/shot/schema";
import { parseShot } from "#core/shot/schema";
import type { Passes } from "#core/trace/film";
import { decodeTexture } from "#node/images";
import { outputFiles, plateAt, plateOf, plateRows, renderShot } from "#node/renderShot";
import type { AssetStore } from "./assets.ts";
import { BandFolder } from "./bands.ts";
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

/** What is seen of a render in progress. */
interface Running {
  id: string;
  abort: AbortController;
  samplesDone: number;
  secondsLeft: number | null;
  /** A small picture of the finished bands over the plate. */
  preview: { width: number; height: number; pixels: Uint8Array } | null;
}

/** Why a render is stopped before its end. */
type Stop = "cancelled" | "paused" | "stopped";

const PREVIEW_WIDTH = 480;

/** Final renders, one after the other, on worker threads. Finished bands are kept, so that a render goes on where it was. */
export class FinalQueue {
  private running: Running | null = null;
  private stopped = false;
  private work: Promise<void> = Promise.resolve();

  constructor(
    private readonly db: Database,
    private readonly assets: AssetStore,
    /** Where unfinished renders keep their bands. */
    private readonly folder: string,
  ) {}

  /** Takes up what a stopped or killed server left. */
  async resume(): Promise<void> {
    await this.db.update(finals).set({ status: "waiting" }).where(eq(finals.status, "running"));
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
      .values({ id: randomUUID(), shotId, status: "waiting", place: Date.now(), percent, samples, document: shot })
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

  /** Finals of all shots: the one that runs, those that wait in their order, then the others, newest first. */
  async queue(): Promise<QueuedFinal[]> {
    const rows = await this.db.select().from(finals).orderBy(desc(finals.createdAt)).limit(200);
    const rank = (row: Row) =>
      row.status === "running" ? 0 : row.status === "waiting" ? 1 : row.status === "paused" ? 2 : 3;
    rows.sort((a, b) => rank(a) - rank(b) || (rank(a) < 3 ? a.place - b.place : 0));
    return rows.map((row) => ({ ...this.listing(row), shotName: row.document.name }));
  }

  async find(id: string): Promise<Row> {
    const [row] = await this.db.select().from(finals).where(eq(finals.id, id));
    if (!row) throw notFound("The final");
    return row;
  }

  /** Changes a final's place or state in the queue. Moves that make no sense for its state leave it as it is. */
  async move(id: string, move: QueueMove): Promise<FinalListing> {
    const row = await this.find(id);
    const open = row.status === "waiting" || row.status === "running";
    if (move === "cancel" && (open || row.status === "paused")) {
      await this.stop(row, "cancelled");
      await this.bandsOf(id).clear();
    }
    if (move === "pause" && open) await this.stop(row, "paused");
    if (
      (move === "resume" && row.status === "paused") ||
      (move === "retry" && ["failed", "cancelled"].includes(row.status))
    ) {
      await this.db.update(finals).set({ status: "waiting", message: null }).where(eq(finals.id, id));
      this.wake();
    }
    if ((move === "earlier" || move === "later") && row.status === "waiting") await this.swap(row, move);
    return this.listing(await this.find(id));
  }

  cancel(id: string): Promise<FinalListing> {
    return this.move(id, "cancel");
  }

  private async stop(row: Row, status: "cancelled" | "paused"): Promise<void> {
    await this.db.update(finals).set({ status, secondsLeft: null }).where(eq(finals.id, row.id));
    if (this.running?.id === row.id) this.running.abort.abort(status);
  }

  /** Changes places with the neighbour among those that wait. */
  private async swap(row: Row, move: "earlier" | "later"): Promise<void> {
    const waiting = await this.db.select().from(finals).where(eq(finals.status, "waiting")).orderBy(asc(finals.place));
    const i = waiting.findIndex((w) => w.id === row.id);
    const other = waiting[move === "earlier" ? i - 1 : i + 1];
    if (!other) return;
    await this.db.update(finals).set({ place: other.place }).where(eq(finals.id, row.id));
    await this.db.update(finals).set({ place: row.place }).where(eq(finals.id, other.id));
  }

  /** Stops the render in progress; it goes on with the next start of the server. */
  async close(): Promise<void> {
    this.stopped = true;
    this.running?.abort.abort("stopped" satisfies Stop);
    await this.work;
  }

  listing(row: Row): FinalListing {
    const size = sizeAt(row.document.plate, row.percent);
    const live = this.running?.id === row.id ? this.running : null;
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

  /** The picture of a render in progress as far as it has grown, as JPEG; null if it is not running. */
  async preview(id: string): Promise<Uint8Array | null> {
    const picture = this.running?.id === id ? this.running.preview : null;
    if (!picture) return null;
    const { width, height, pixels } = picture;
    return sharp(pixels, { raw: { width, height, channels: 3 } })
      .jpeg({ quality: 80 })
      .toBuffer();
  }

  private bandsOf(id: string): BandFolder {
    return new BandFolder(path.join(this.folder, id));
  }

  private wake(): void {
    this.work = this.work.then(() => this.drain());
  }

  private async drain(): Promise<void> {
    while (!this.stopped) {
      const [next] = await this.db
        .select()
        .from(finals)
        .where(eq(finals.status, "waiting"))
        .orderBy(asc(finals.place), asc(finals.createdAt))
        .limit(1);
      if (!next) return;
      await this.render(next);
    }
  }

  private async render(row: Row): Promise<void> {
    const abort = new AbortController();
    const running: Running = { id: row.id, abort, samplesDone: row.samplesDone, secondsLeft: null, preview: null };
    this.running = running;
    const started = Date.now();
    const bands = this.bandsOf(row.id);
    try {
      await this.db.update(finals).set({ status: "running" }).where(eq(finals.id, row.id));
      const shot = parseShot(row.document);
      const full = plateOf(shot, await this.assets.get(shot.plate.codes));
      const plate = plateAt(full, row.percent);
      const models = await loadModels(shot, this.assets);
      running.preview = smallPicture(plate);
      const passes = await renderShot(shot, full, models, {
        percent: row.percent,
        samples: row.samples,
        threads: Math.max(1, availableParallelism()),
        signal: abort.signal,
        keeper: bands,
        onProgress: (p) => {
          running.samplesDone = p.samples;
          running.secondsLeft = Number.isFinite(p.secondsLeft) ? p.secondsLeft : null;
        },
        onBand: (part, band) => grow(running.preview!, plateRows(plate, band), part, band.y0, plate),
      });
      const profile = shot.plate.profile ? await this.assets.get(shot.plate.profile) : null;
      const output = await outputFiles(plate, passes, profile);
      const files = {} as FinalFiles;
      for (const key of ["picture", "prop", "ratio", "added"] as const) files[key] = await this.assets.put(output[key]);
      await this.db
        .update(finals)
        .set({
          status: "done",
          files,
          samplesDone: row.samples,
          secondsLeft: null,
          seconds: (row.seconds ?? 0) + (Date.now() - started) / 1000,
        })
        .where(eq(finals.id, row.id));
      await bands.clear();
    } catch (error) {
      // What was rendered so far counts towards the time that the whole takes.
      const seconds = (row.seconds ?? 0) + (Date.now() - started) / 1000;
      const reached = { samplesDone: running.samplesDone, seconds, secondsLeft: null };
      if (abort.signal.aborted) await this.db.update(finals).set(reached).where(eq(finals.id, row.id));
      else {
        await this.db
          .update(finals)
          .set({ ...reached, status: "failed", message: (error as Error).message })
          .where(eq(finals.id, row.id));
      }
    } finally {
      this.running = null;
    }
  }
}

type Small = NonNullable<Running["preview"]>;

/** The plate in small, as sRGB codes, by nearest pixels. */
function smallPicture(plate: DecodedPlate): Small {
  const width = Math.min(PREVIEW_WIDTH, plate.width);
  const height = Math.max(1, Math.round((width * plate.height) / plate.width));
  const small: Small = { width, height, pixels: new Uint8Array(width * height * 3) };
  lay(small, plate.linear, 0, plate.height, plate);
  return small;
}

/** Lays a finished band over the small picture. */
function grow(
  small: Small,
  rows: DecodedPlate,
  passes: Passes,
  y0: number,
  whole: { width: number; height: number },
): void {
  lay(small, compositeLinear(rows, passes), y0, rows.height, whole);
}

function lay(
  small: Small,
  linear: Float32Array,
  y0: number,
  rows: number,
  whole: { width: number; height: number },
): void {
  for (let v = 0; v < small.height; v++) {
    const y = Math.floor(((v + 0.5) * whole.height) / small.height);
    if (y < y0 || y >= y0 + rows) continue;
    for (let u = 0; u < small.width; u++) {
      const x = Math.floor(((u + 0.5) * whole.width) / small.width);
      const from = ((y - y0) * whole.width + x) * 3;
      for (let k = 0; k < 3; k++) small.pixels[(v * small.width + u) * 3 + k] = linearToCode(linear[from + k], 8);
    }
  }
}
