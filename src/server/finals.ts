import type { ChildProcess } from "node:child_process";
import { fork } from "node:child_process";
import { randomUUID } from "node:crypto";
import { readdir, rm } from "node:fs/promises";
import { fileURLToPath } from "node:url";
import path from "node:path";
import { asc, desc, eq } from "drizzle-orm";
import sharp from "sharp";
import { sizeAt } from "#core/image/resize";
import { modelsOf } from "#core/shot/assets";
import type { FinalListing, FinalRequest, QueueMove, QueuedFinal } from "#core/shot/api";
import type { RenderChoice } from "#core/render/schema";
import type { RenderedParts } from "#core/shot/stale";
import { renderedParts } from "#core/shot/stale";
import type { Shot } from "#core/shot/schema";
import { parseShot } from "#core/shot/schema";
import { HEAVY_PROCESS } from "#node/typescript";
import type { AssetStore } from "./assets.ts";
import type { Database } from "./db/open.ts";
import type { FinalFiles } from "./db/schema.ts";
import { finals } from "./db/schema.ts";
import { ApiError, notFound } from "./errors.ts";
import type { FinalReport } from "#node/finalFiles";
import type { FinalMessage, FinalOrder } from "./finalProcess.ts";
import type { Room } from "./room.ts";
import type { FinalPaths } from "./workProcess.ts";
import type { ShotStore } from "./shots.ts";

type Row = typeof finals.$inferSelect;

const processPath = fileURLToPath(new URL("./finalProcess.ts", import.meta.url));

/** How often the room on the disk and the progress of a render are looked at. */
const LOOK_MS = 2000;
/** A render that gives no sign of life for so long gets nowhere. */
const SILENT_MS = 60_000;
/** Room beyond the reserve that a render's bands and files want. */
const RENDER_BYTES = 16 * 1024 * 1024;

/** Finals of which is remembered what they are of. */
const LISTED = 1000;

/** What is seen of a render in progress. */
interface Running {
  id: string;
  abort: AbortController;
  samplesDone: number;
  secondsLeft: number | null;
  writing: boolean;
  /** When it last gave a sign of life. */
  heard: number;
  /** A small picture as far as it has grown. */
  preview: { width: number; height: number; pixels: Uint8Array } | null;
}

/** Why a render is stopped before its end. */
type Stop = "cancelled" | "paused" | "stopped" | "no-room" | "silent";

const SILENT =
  "Nothing came of it for a minute, so the next one was let run. Look for a prop with broken or enormous geometry, hide it, and retry.";

/** How a row is rendered: its settings, or what older rows had of them. */
function choiceOf(row: Row): RenderChoice {
  const shot = parseShot(row.document);
  return { ...shot.render, passes: [], ...row.settings, percent: row.percent, samples: row.samples };
}

/** Final renders, one after the other, each in a process of its own. Finished bands are kept, so that a render goes on where it was. */
export class FinalQueue {
  private running: Running | null = null;
  /** What the finals that were listed are of: their documents change in the comp alone. */
  private readonly known = new Map<
    string,
    { of: RenderedParts; plate: { width: number; height: number; codes: string } }
  >();
  private stopped = false;
  private work: Promise<void> = Promise.resolve();

  constructor(
    private readonly db: Database,
    private readonly assets: AssetStore,
    private readonly shots: ShotStore,
    /** Where unfinished renders keep their bands. */
    private readonly folder: string,
    private readonly room: Room,
    /** What runs a render, and how long it may give no sign of life. */
    private readonly runs = { process: processPath, silentMs: SILENT_MS },
  ) {}

  /** Deletes the bands of renders that are over or gone. */
  async sweep(): Promise<void> {
    const rows = await this.db.select({ id: finals.id, status: finals.status }).from(finals);
    const open = new Set(
      rows.filter((r) => ["waiting", "running", "paused", "failed"].includes(r.status)).map((r) => r.id),
    );
    for (const name of await readdir(this.folder).catch(() => [])) {
      if (!open.has(name)) await rm(path.join(this.folder, name), { recursive: true, force: true });
    }
  }

  /** Takes up what a stopped or killed server left. */
  async resume(): Promise<void> {
    await this.db.update(finals).set({ status: "waiting" }).where(eq(finals.status, "running"));
    this.wake();
  }

  async add(shotId: string, request: FinalRequest): Promise<FinalListing> {
    const { shot } = await this.shots.open(shotId);
    if (!shot.solved) {
      throw new ApiError(
        422,
        "no-camera",
        "The shot has no camera yet.",
        "Mark edges along two directions until the camera is solved.",
      );
    }
    const settings = { ...shot.render, ...request };
    const { percent, samples } = settings;
    const [row] = await this.db
      .insert(finals)
      .values({
        id: randomUUID(),
        shotId,
        status: "waiting",
        place: Date.now(),
        percent,
        samples,
        settings,
        document: shot,
      })
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
      await rm(this.folderOf(id), { recursive: true, force: true });
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
    const { of, plate } = this.knownOf(row);
    const live = this.running?.id === row.id ? this.running : null;
    return {
      id: row.id,
      shotId: row.shotId,
      status: row.status,
      percent: row.percent,
      samples: row.samples,
      samplesDone: live?.samplesDone ?? row.samplesDone,
      secondsLeft: live?.secondsLeft ?? row.secondsLeft,
      writing: live?.writing ?? false,
      seconds: row.seconds,
      message: row.message,
      createdAt: row.createdAt.toISOString(),
      settings: choiceOf(row),
      noise: row.noise,
      files: Object.keys(row.files ?? {}),
      notices: row.notices,
      ...sizeAt(plate, row.percent),
      plate: plate.codes,
      of,
    };
  }

  private knownOf(row: Row): { of: RenderedParts; plate: { width: number; height: number; codes: string } } {
    const known = this.known.get(row.id);
    if (known) return known;
    if (this.known.size >= LISTED) this.known.clear();
    // A final may be of a document of an older version.
    const shot = parseShot(row.document);
    const { width, height, codes } = shot.plates.main;
    const found = { of: renderedParts(shot), plate: { width, height, codes } };
    this.known.set(row.id, found);
    return found;
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

  private folderOf(id: string): string {
    return path.join(this.folder, id);
  }

  private wake(): void {
    this.work = this.work.then(() => this.drain());
  }

  private async drain(): Promise<void> {
    while (!this.stopped) {
      // With a full disk nothing is begun; it goes on by itself.
      if (!this.room.has(RENDER_BYTES)) {
        await new Promise((resolve) => setTimeout(resolve, LOOK_MS).unref());
        continue;
      }
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
    const { id, samplesDone } = row;
    const running: Running = {
      id,
      abort,
      samplesDone,
      secondsLeft: null,
      writing: false,
      heard: Date.now(),
      preview: null,
    };
    this.running = running;
    const started = Date.now();
    const folder = this.folderOf(row.id);
    try {
      await this.db.update(finals).set({ status: "running", message: null }).where(eq(finals.id, row.id));
      const order = this.orderOf(row, folder);
      const report = await this.runProcess(order, running);
      const files: FinalFiles = {};
      for (const [key, name] of Object.entries(report.files))
        files[key] = await this.assets.take(path.join(order.target, name));
      await this.db
        .update(finals)
        .set({
          status: "done",
          files,
          noise: report.noise,
          notices: report.notices,
          samplesDone: row.samples,
          secondsLeft: null,
          seconds: (row.seconds ?? 0) + (Date.now() - started) / 1000,
        })
        .where(eq(finals.id, row.id));
      await rm(folder, { recursive: true, force: true });
    } catch (error) {
      // What was rendered so far counts towards the time that the whole takes.
      const seconds = (row.seconds ?? 0) + (Date.now() - started) / 1000;
      const reached = { samplesDone: running.samplesDone, seconds, secondsLeft: null };
      const why = abort.signal.aborted ? (abort.signal.reason as Stop) : null;
      if (why === "no-room") {
        await this.db
          .update(finals)
          .set({ ...reached, status: "waiting", message: "The disk is full: it goes on by itself once there is room." })
          .where(eq(finals.id, row.id));
      } else if (why === "silent") {
        await this.db
          .update(finals)
          .set({ ...reached, status: "failed", message: SILENT })
          .where(eq(finals.id, row.id));
      } else if (why) await this.db.update(finals).set(reached).where(eq(finals.id, row.id));
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

  /**
   * A finished render and where its files lie, with the shot's comp of now if that is given. Throws for one that is not done,
   * and for one of another version of the plate than the comp is meant for.
   */
  async pathsOf(id: string, now: Pick<Shot, "comp" | "plates"> | null = null): Promise<FinalPaths> {
    const row = await this.find(id);
    if (row.status !== "done" || !row.files)
      throw new ApiError(422, "not-done", "The final is not finished.", "Wait for it, or look at another.");
    const { shot, choice, codes, profile, models } = this.orderOf(row, "");
    const files = Object.fromEntries(Object.entries(row.files).map(([name, hash]) => [name, this.assets.pathOf(hash)]));
    if (now && now.plates.main.codes !== shot.plates.main.codes)
      throw new ApiError(
        409,
        "other-plate",
        "The final is of another version of the plate.",
        "Render it anew, or take the version back.",
      );
    return { shot: now ? { ...shot, comp: now.comp } : shot, choice, codes, profile, models, files };
  }

  /** A shot without a render: what can be handed over of it needs no picture. */
  pathsOfShot(shot: Shot): FinalPaths {
    const models: Record<string, string> = {};
    for (const hash of modelsOf(shot)) models[hash] = this.assets.pathOf(hash);
    const { codes, profile } = shot.plates.main;
    return {
      shot,
      choice: shot.render,
      codes: this.assets.pathOf(codes),
      profile: profile ? this.assets.pathOf(profile) : null,
      models,
      files: {},
    };
  }

  /** Keeps a file with a render. Returns its hash. */
  async keepFile(id: string, name: string, file: string): Promise<string> {
    const hash = await this.assets.take(file);
    const { files } = await this.find(id);
    await this.db
      .update(finals)
      .set({ files: { ...files, [name]: hash } })
      .where(eq(finals.id, id));
    return hash;
  }

  /** Takes the files of a picture that was finished again, and the document that they are of. */
  async finishedAgain(
    id: string,
    shot: Shot,
    written: Record<string, string>,
    pathOf: (name: string) => string,
  ): Promise<void> {
    const { files, document } = await this.find(id);
    const taken: FinalFiles = { ...files };
    for (const [name, file] of Object.entries(written)) taken[name] = await this.assets.take(pathOf(file));
    await this.db
      .update(finals)
      .set({ files: taken, document: { ...document, comp: shot.comp } })
      .where(eq(finals.id, id));
  }

  private orderOf(row: Row, folder: string): FinalOrder {
    const shot = parseShot(row.document);
    const models: Record<string, string> = {};
    for (const hash of modelsOf(shot)) models[hash] = this.assets.pathOf(hash);
    return {
      id: row.id,
      shot,
      choice: choiceOf(row),
      codes: this.assets.pathOf(shot.plates.main.codes),
      profile: shot.plates.main.profile ? this.assets.pathOf(shot.plates.main.profile) : null,
      models,
      bands: path.join(folder, "bands"),
      target: path.join(folder, "files"),
    };
  }

  /** Runs a render's process to its end. Throws when it fails or is stopped. */
  private runProcess(order: FinalOrder, running: Running): Promise<FinalReport> {
    return new Promise((resolve, reject) => {
      const child: ChildProcess = fork(this.runs.process, {
        execArgv: HEAVY_PROCESS,
        serialization: "advanced",
      });
      let report: FinalReport | null = null;
      let failure: string | null = null;
      const kill = () => child.kill("SIGKILL");
      running.abort.signal.addEventListener("abort", kill);
      if (running.abort.signal.aborted) kill();
      const look = setInterval(() => {
        if (!this.room.has()) running.abort.abort("no-room" satisfies Stop);
        else if (Date.now() - running.heard > this.runs.silentMs) running.abort.abort("silent" satisfies Stop);
      }, LOOK_MS);
      child.on("message", (message: FinalMessage) => {
        if (message.kind !== "progress" || message.samples > running.samplesDone) running.heard = Date.now();
        if (message.kind === "progress") {
          running.samplesDone = message.samples;
          running.secondsLeft = message.secondsLeft;
        } else if (message.kind === "writing") {
          running.secondsLeft = message.secondsLeft;
          running.writing = true;
        } else if (message.kind === "rows") {
          const { width, height, v0, pixels } = message;
          running.preview ??= { width, height, pixels: new Uint8Array(width * height * 3) };
          running.preview.pixels.set(pixels, v0 * width * 3);
        } else if (message.kind === "done") report = message.report;
        else if (message.kind === "failed") failure = message.message;
      });
      child.on("error", reject);
      child.on("exit", (code, signal) => {
        clearInterval(look);
        running.abort.signal.removeEventListener("abort", kill);
        if (report && !running.abort.signal.aborted) resolve(report);
        else if (failure) reject(new Error(failure));
        else if (running.abort.signal.aborted) reject(new Error("stopped"));
        else {
          const why = signal ? `was ended by ${signal}` : `ended with code ${code}`;
          reject(
            new Error(
              `The render's process ${why}, perhaps for want of memory. What is finished is kept: retry, or make the size smaller.`,
            ),
          );
        }
      });
      child.send(order);
    });
  }
}
