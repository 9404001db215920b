import { createHash, randomUUID } from "node:crypto";
import { and, asc, count, desc, eq, gt, lte, max, sql } from "drizzle-orm";
import type { OpenShot, Save, ShotListing, TakeListing } from "#core/shot/api";
import { assetsOf } from "#core/shot/assets";
import type { Edit, Step, Work } from "#core/shot/edits";
import { makeEdit, stepId, stepPatches, takeStep } from "#core/shot/edits";
import type { NewerFile } from "#core/props/library";
import { hasFile, takeNewerFile } from "#core/shot/newerFile";
import type { Shot } from "#core/shot/schema";
import { parseShot } from "#core/shot/schema";
import type { AssetStore } from "./assets.ts";
import type { Database } from "./db/open.ts";
import { finals, plates, shots, steps, takes } from "./db/schema.ts";
import { ApiError, notFound } from "./errors.ts";

/** Steps after which the document itself is written. */
const WRITE_EVERY = 256;
/** Steps that are kept for rebasing stale work. */
const KEEP_STEPS = 2000;
/** Shots whose work is held in memory. */
const HELD = 24;

/** A shot's work as it is now. */
interface Held {
  work: Work;
  revision: number;
  /** The revision that the document in the database is of. */
  written: number;
  updatedAt: Date;
}

/** Patches that touch everything: for work that is older than what is known. */
const ALL: Edit["forward"] = [{ op: "replace", path: [] as unknown as [string], value: null }];

/** Shots and their takes in the database: each step is written at once, the whole document now and then. */
export class ShotStore {
  private readonly held = new Map<string, Held>();
  /** The end of the work on each shot, so that its saves come one after the other. */
  private readonly queues = new Map<string, Promise<unknown>>();

  constructor(
    private readonly db: Database,
    private readonly assets: AssetStore,
  ) {}

  async list(): Promise<ShotListing[]> {
    const rendered = this.db
      .select({ shotId: finals.shotId, finals: count().as("finals") })
      .from(finals)
      .where(eq(finals.status, "done"))
      .groupBy(finals.shotId)
      .as("rendered");
    const stepped = this.db
      .select({
        shotId: steps.shotId,
        newest: max(steps.createdAt).as("newest"),
        last: max(steps.revision).as("last"),
      })
      .from(steps)
      .groupBy(steps.shotId)
      .as("stepped");
    const rows = await this.db
      .select({
        id: shots.id,
        updatedAt: shots.updatedAt,
        document: shots.document,
        finals: rendered.finals,
        newest: stepped.newest,
        revision: shots.revision,
        last: stepped.last,
      })
      .from(shots)
      .leftJoin(rendered, eq(rendered.shotId, shots.id))
      .leftJoin(stepped, eq(stepped.shotId, shots.id));
    const listed = await Promise.all(
      rows.map(async ({ id, document, updatedAt, finals: done, newest, revision, last }) => {
        const shot = (last ?? 0) > revision ? (await this.hold(id)).work.shot : document;
        const at = newest && newest > updatedAt ? newest : updatedAt;
        return {
          id,
          finals: done ?? 0,
          name: shot.name,
          updatedAt: at.toISOString(),
          width: shot.plates.main.width,
          height: shot.plates.main.height,
          edges: Object.keys(shot.edges).length,
          props: Object.keys(shot.props).length,
          solved: shot.solved !== null,
        };
      }),
    );
    return listed.sort((a, b) => b.updatedAt.localeCompare(a.updatedAt));
  }

  /** Stores a new shot. Throws if its document is not valid: what is accepted must open again. */
  async create(shot: Shot): Promise<string> {
    const id = randomUUID();
    const document = parseShot(shot);
    await this.db.insert(shots).values({ id, name: shot.name, revision: 0, document, undo: [], redo: [] });
    this.assets.settle(assetsOf(document));
    return id;
  }

  /** Every shot's id with its document as it is now. */
  private async all(): Promise<{ id: string; shot: Shot }[]> {
    const ids = await this.db.select({ id: shots.id }).from(shots);
    return Promise.all(ids.map(async ({ id }) => ({ id, shot: (await this.hold(id)).work.shot })));
  }

  /** Which shots have a model's file among their props, by its hash. */
  async usersOf(hashes: readonly string[]): Promise<Map<string, { id: string; name: string }[]>> {
    const all = await this.all();
    return new Map(
      hashes.map((hash) => [
        hash,
        all.flatMap(({ id, shot }) => (hasFile(shot, hash) ? [{ id, name: shot.name }] : [])),
      ]),
    );
  }

  /** Puts a newer file in the place of an older one, as an edit of every shot that has it but one. Names of the shots. */
  async takeNewerFile(older: string, { hash, fileName, reading, except }: NewerFile): Promise<string[]> {
    const changed: string[] = [];
    for (const { id } of await this.db.select({ id: shots.id }).from(shots)) {
      if (id === except) continue;
      await this.inTurn(id, async () => {
        const held = await this.hold(id);
        const edit = makeEdit(held.work.shot, randomUUID(), `Newer file ${fileName}`.slice(0, 120), (draft) =>
          takeNewerFile(draft, older, { asset: hash, fileName, reading }),
        );
        if (!edit) return;
        await this.take(id, held, [{ kind: "do", edit }]);
        changed.push(held.work.shot.name);
      });
    }
    return changed;
  }

  async open(id: string): Promise<OpenShot> {
    const { work, revision } = await this.hold(id);
    return { id, revision, ...work };
  }

  /** Deletes a shot; the files that only it named are given back. */
  async delete(id: string): Promise<void> {
    await this.inTurn(id, async () => {
      const before = await hashesIn(this.db, id);
      const gone = await this.db.delete(shots).where(eq(shots.id, id)).returning({ id: shots.id });
      this.held.delete(id);
      if (gone.length === 0) throw notFound("The shot");
      const still = await hashesIn(this.db);
      this.assets.settle(before);
      await this.assets.drop([...before].filter((hash) => !still.has(hash)));
    });
  }

  /**
   * Takes steps onto the revision they were made on. Steps that had arrived before (the answer was lost) are not taken
   * again. 409 with the present state if others changed the shot since.
   */
  save(id: string, { revision, steps: sent }: Save): Promise<{ revision: number }> {
    return this.inTurn(id, async () => {
      const held = await this.hold(id);
      const since = revision === held.revision ? [] : await this.stepsAfter(id, revision);
      const known = new Set(since.map((s) => s.stepId));
      const taken = sent.filter((s) => known.has(stepId(s))).map(stepId);
      const mine = new Set(taken);
      const others = since.filter((s) => !mine.has(s.stepId));
      const complete = since.length === held.revision - revision;
      if (others.length > 0 || !complete) {
        throw new ApiError(
          409,
          "stale",
          "The shot was changed elsewhere since.",
          "Your work is put onto the newer state, or kept as a take.",
          {
            id,
            revision: held.revision,
            ...held.work,
            taken,
            theirs: complete ? others.flatMap(patchesOf) : ALL,
          },
        );
      }
      return this.take(
        id,
        held,
        sent.filter((s) => !mine.has(stepId(s))),
      );
    });
  }

  /** Brings every document in the database up to its newest step. */
  async writeAll(): Promise<void> {
    for (const [id, held] of this.held) await this.inTurn(id, () => this.write(id, held));
  }

  private async take(id: string, held: Held, fresh: Step[]): Promise<{ revision: number }> {
    const rows: (typeof steps.$inferInsert)[] = [];
    let { work } = held;
    const before = work.shot;
    try {
      for (const step of fresh) {
        const patches = step.kind === "do" ? null : stepPatches(work, step);
        work = takeStep(work, step);
        const revision = held.revision + rows.length + 1;
        rows.push({ shotId: id, revision, stepId: stepId(step), step, patches });
      }
      work = { ...work, shot: parseShot(work.shot) };
    } catch (error) {
      throw misfit(`The change does not fit the shot: ${(error as Error).message.replace(/\.?$/, ".")}`);
    }
    if (rows.length === 0) return { revision: held.revision };
    if (pixelsOf(before.plates) !== pixelsOf(work.shot.plates)) {
      if (!(await this.knowsPlates(work.shot)))
        throw misfit(
          "The plate's pixels are not those of a file that was read here; take it as another version of the plate.",
        );
      // The way back leads to those that are left.
      await this.knowPlates(before);
    }
    this.checkAssets(work.shot, assetsOf(held.work.shot));
    await this.db.insert(steps).values(rows);
    this.assets.settle(assetsOf(work.shot));
    held.work = work;
    held.revision += rows.length;
    held.updatedAt = new Date();
    if (held.revision - held.written >= WRITE_EVERY) await this.write(id, held);
    return { revision: held.revision };
  }

  /** Remembers plates that were read from files, so that shots may take them as versions of their own. */
  async knowPlates({ plates: known }: Pick<Shot, "plates">): Promise<void> {
    await this.db
      .insert(plates)
      .values({ pixels: pixelsOf(known) })
      .onConflictDoNothing();
  }

  private async knowsPlates({ plates: asked }: Shot): Promise<boolean> {
    const found = await this.db
      .select()
      .from(plates)
      .where(eq(plates.pixels, pixelsOf(asked)));
    return found.length > 0;
  }

  /** Throws where a document names files that are not there. */
  private checkAssets(shot: Shot, known: ReadonlySet<string> = new Set()): void {
    for (const hash of assetsOf(shot)) {
      if (!known.has(hash) && !this.assets.has(hash))
        throw misfit("It names a file that is not on the server. Bring the model or picture in again.");
    }
  }

  /** Writes document and history, and lets go of steps that are no longer needed. */
  private async write(id: string, held: Held): Promise<void> {
    if (held.written === held.revision) return;
    const { shot, undo, redo } = held.work;
    const { revision, updatedAt } = held;
    await this.db.transaction(async (tx) => {
      await tx
        .update(shots)
        .set({ document: shot, undo, redo, name: shot.name, revision, updatedAt })
        .where(eq(shots.id, id));
      await tx.delete(steps).where(and(eq(steps.shotId, id), lte(steps.revision, revision - KEEP_STEPS)));
    });
    held.written = revision;
  }

  private stepsAfter(id: string, revision: number) {
    return this.db
      .select()
      .from(steps)
      .where(and(eq(steps.shotId, id), gt(steps.revision, revision)))
      .orderBy(asc(steps.revision));
  }

  /** The work of a shot, from memory or from the database with the steps since its document was written. */
  private async hold(id: string): Promise<Held> {
    const there = this.held.get(id);
    if (there) {
      // The one used last is let go last.
      this.held.delete(id);
      this.held.set(id, there);
      return there;
    }
    const [row] = await this.db.select().from(shots).where(eq(shots.id, id));
    if (!row) throw notFound("The shot");
    let work = workOf(row);
    const later = await this.stepsAfter(id, row.revision);
    for (const { step } of later) work = takeStep(work, step);
    const found: Held = {
      work,
      revision: later.at(-1)?.revision ?? row.revision,
      written: row.revision,
      updatedAt: later.at(-1)?.createdAt ?? row.updatedAt,
    };
    // Another request may have held it meanwhile.
    const held = this.held.get(id) ?? found;
    this.held.set(id, held);
    for (const other of this.held.keys()) {
      if (this.held.size <= HELD) break;
      // What is not written yet can be read from the steps again.
      if (other !== id && !this.queues.has(other)) this.held.delete(other);
    }
    return held;
  }

  private inTurn<T>(id: string, run: () => Promise<T>): Promise<T> {
    const before = this.queues.get(id) ?? Promise.resolve();
    const mine = before.then(run, run);
    const end = mine
      .catch(() => undefined)
      .then(() => {
        if (this.queues.get(id) === end) this.queues.delete(id);
      });
    this.queues.set(id, end);
    return mine;
  }

  async takes(shotId: string): Promise<TakeListing[]> {
    const rows = await this.db.select().from(takes).where(eq(takes.shotId, shotId)).orderBy(desc(takes.createdAt));
    return rows.map(listed);
  }

  async keepTake(shotId: string, name: string, document: Shot, thumbnail: string | null = null): Promise<TakeListing> {
    const { shot } = await this.open(shotId);
    if (pixelsOf(shot.plates) !== pixelsOf(document.plates) && !(await this.knowsPlates(document)))
      throw misfit("The take is of another plate.");
    this.checkAssets(document, assetsOf(shot));
    const [row] = await this.db
      .insert(takes)
      .values({ id: randomUUID(), shotId, name, document, thumbnail })
      .returning();
    return listed(row);
  }

  async renameTake(id: string, name: string): Promise<TakeListing> {
    const [row] = await this.db.update(takes).set({ name }).where(eq(takes.id, id)).returning();
    if (!row) throw notFound("The take");
    return listed(row);
  }

  async deleteTake(id: string): Promise<void> {
    const gone = await this.db.delete(takes).where(eq(takes.id, id)).returning({ id: takes.id });
    if (gone.length === 0) throw notFound("The take");
  }

  /** Takes of a shot with their documents, newest first. */
  async takeDocuments(
    shotId: string,
  ): Promise<{ name: string; createdAt: string; thumbnail: string; document: Shot }[]> {
    const rows = await this.db.select().from(takes).where(eq(takes.shotId, shotId)).orderBy(desc(takes.createdAt));
    return rows.map(({ name, createdAt, thumbnail, document }) => ({
      name,
      createdAt: createdAt.toISOString(),
      thumbnail: thumbnail ?? "",
      document: parseShot(document),
    }));
  }

  async openTake(id: string): Promise<Shot> {
    const [row] = await this.db.select().from(takes).where(eq(takes.id, id));
    if (!row) throw notFound("The take");
    return parseShot(row.document);
  }
}

const misfit = (message: string): ApiError =>
  new ApiError(422, "does-not-fit", message, "Undo the last change, or reload the page.");

const patchesOf = (row: typeof steps.$inferSelect): Edit["forward"] =>
  row.patches ?? (row.step.kind === "do" ? row.step.edit.forward : []);

/** What tells the pixels of a document's plates from those of others. */
function pixelsOf(of: Shot["plates"]): string {
  const facts = Object.entries(of).map(([id, { asset, codes, profile, width, height, encoding }]) => {
    const { bits, curves, toRec709 } = encoding;
    return [id, asset, codes, profile, width, height, bits, curves, toRec709];
  });
  return createHash("sha256").update(JSON.stringify(facts)).digest("hex");
}

/** A row's work. The history of a document that was migrated does not fit it any more and is dropped. */
function workOf(row: { document: Shot; undo: Edit[]; redo: Edit[] }): Work {
  const shot = parseShot(row.document);
  return row.document.version === shot.version
    ? { shot, undo: row.undo, redo: row.redo }
    : { shot, undo: [], redo: [] };
}

const listed = (t: { id: string; name: string; thumbnail: string | null; createdAt: Date }): TakeListing => ({
  id: t.id,
  name: t.name,
  thumbnail: t.thumbnail,
  createdAt: t.createdAt.toISOString(),
});

/**
 * Hashes that the database names anywhere, in documents, their history, steps, takes and finals, and kept models: of one
 * shot (without those), or of all.
 * Read from the text of the rows, so that no kind of reference can be forgotten.
 */
export async function hashesIn(db: Database, shotId: string | null = null): Promise<Set<string>> {
  const of = (column: string) => (shotId === null ? sql`` : sql`where ${sql.raw(column)} = ${shotId}`);
  const found = await db.execute<{ hash: string }>(sql`
    select distinct (regexp_matches(t, '[0-9a-f]{64}', 'g'))[1] as hash from (
      select concat(document::text, undo::text, redo::text) as t from shots ${of("id")}
      union all select step::text from steps ${of("shot_id")}
      union all select document::text from takes ${of("shot_id")}
      union all select concat(document::text, files::text) from finals ${of("shot_id")}
      ${shotId === null ? sql`union all select concat(hash, picture) from models union all select hash from fonts` : sql``}
    ) as texts`);
  return new Set(found.rows.map((row) => row.hash));
}
