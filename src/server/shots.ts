import { randomUUID } from "node:crypto";
import { and, asc, desc, eq, gt, sql } from "drizzle-orm";
import type { OpenShot, Save, ShotListing, TakeListing } from "#core/shot/api";
import type { Edit, Work } from "#core/shot/edits";
import { stepPatches, takeStep } from "#core/shot/edits";
import type { Shot } from "#core/shot/schema";
import { parseShot } from "#core/shot/schema";
import type { Database } from "./db/open.ts";
import { changes, finals, shots, takes } from "./db/schema.ts";
import { ApiError, notFound } from "./errors.ts";

/** Shots and their takes in the database. */

export async function listShots(db: Database): Promise<ShotListing[]> {
  const rows = await db
    .select({
      id: shots.id,
      name: shots.name,
      updatedAt: shots.updatedAt,
      document: shots.document,
      finals: sql<number>`(select count(*)::int from ${finals} where ${finals.shotId} = ${shots.id} and ${finals.status} = 'done')`,
    })
    .from(shots)
    .orderBy(desc(shots.updatedAt));
  return rows.map(({ document, updatedAt, ...row }) => ({
    ...row,
    updatedAt: updatedAt.toISOString(),
    width: document.plate.width,
    height: document.plate.height,
    edges: Object.keys(document.edges).length,
    props: Object.keys(document.props).length,
    solved: document.solved !== null,
  }));
}

export async function createShot(db: Database, shot: Shot): Promise<string> {
  const id = randomUUID();
  await db.insert(shots).values({ id, name: shot.name, revision: 0, document: shot, undo: [], redo: [] });
  return id;
}

export async function openShot(db: Database, id: string): Promise<OpenShot> {
  const [row] = await db.select().from(shots).where(eq(shots.id, id));
  if (!row) throw notFound("The shot");
  return { id, revision: row.revision, ...workOf(row) };
}

/** A row's work. The history of a document that was migrated does not fit it any more and is dropped. */
function workOf(row: { document: Shot; undo: Edit[]; redo: Edit[] }): Work {
  const shot = parseShot(row.document);
  return row.document.version === shot.version
    ? { shot, undo: row.undo, redo: row.redo }
    : { shot, undo: [], redo: [] };
}

export async function deleteShot(db: Database, id: string): Promise<void> {
  const gone = await db.delete(shots).where(eq(shots.id, id)).returning({ id: shots.id });
  if (gone.length === 0) throw notFound("The shot");
}

/** Applies steps to the revision they were made on; 409 with the present state if that is no longer the newest. */
export async function saveSteps(db: Database, id: string, save: Save): Promise<{ revision: number }> {
  return db.transaction(async (tx) => {
    const [row] = await tx.select().from(shots).where(eq(shots.id, id)).for("update");
    if (!row) throw notFound("The shot");
    if (row.revision !== save.revision) {
      const since = await tx
        .select()
        .from(changes)
        .where(and(eq(changes.shotId, id), gt(changes.revision, save.revision)))
        .orderBy(asc(changes.revision));
      throw new ApiError(
        409,
        "stale",
        "The shot was changed elsewhere since.",
        "Your work is put onto the newer state, or kept as a take.",
        {
          id,
          revision: row.revision,
          ...workOf(row),
          theirs: since.flatMap((c) => c.patches),
        },
      );
    }
    let work = workOf(row);
    const patches: Edit["forward"] = [];
    try {
      for (const step of save.steps) {
        patches.push(...stepPatches(work, step));
        work = takeStep(work, step);
      }
      work = { ...work, shot: parseShot(work.shot) };
    } catch (error) {
      throw new ApiError(
        422,
        "does-not-fit",
        `The change does not fit the shot: ${(error as Error).message}`,
        "Undo the last change, or reload the page.",
      );
    }
    const revision = row.revision + 1;
    await tx
      .update(shots)
      .set({ ...work, document: work.shot, name: work.shot.name, revision, updatedAt: new Date() })
      .where(eq(shots.id, id));
    await tx.insert(changes).values({ shotId: id, revision, patches });
    await tx.delete(changes).where(and(eq(changes.shotId, id), sql`${changes.revision} <= ${revision - 2000}`));
    return { revision };
  });
}

export async function listTakes(db: Database, shotId: string): Promise<TakeListing[]> {
  const rows = await db.select().from(takes).where(eq(takes.shotId, shotId)).orderBy(desc(takes.createdAt));
  return rows.map(listed);
}

const listed = (t: { id: string; name: string; thumbnail: string | null; createdAt: Date }): TakeListing => ({
  id: t.id,
  name: t.name,
  thumbnail: t.thumbnail,
  createdAt: t.createdAt.toISOString(),
});

export async function keepTake(
  db: Database,
  shotId: string,
  name: string,
  document: Shot,
  thumbnail: string | null = null,
): Promise<TakeListing> {
  await openShot(db, shotId);
  const [row] = await db.insert(takes).values({ id: randomUUID(), shotId, name, document, thumbnail }).returning();
  return listed(row);
}

export async function renameTake(db: Database, id: string, name: string): Promise<TakeListing> {
  const [row] = await db.update(takes).set({ name }).where(eq(takes.id, id)).returning();
  if (!row) throw notFound("The take");
  return listed(row);
}

export async function deleteTake(db: Database, id: string): Promise<void> {
  const gone = await db.delete(takes).where(eq(takes.id, id)).returning({ id: takes.id });
  if (gone.length === 0) throw notFound("The take");
}

export async function openTake(db: Database, id: string): Promise<Shot> {
  const [row] = await db.select().from(takes).where(eq(takes.id, id));
  if (!row) throw notFound("The take");
  return parseShot(row.document);
}
