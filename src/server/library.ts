import { randomUUID } from "node:crypto";
import { asc, eq } from "drizzle-orm";
import type { Yardstick } from "#core/match/yardsticks";
import { FIRST_YARDSTICKS } from "#core/match/yardsticks";
import type { LensKit } from "#core/optics/lensKit";
import type { KeptLensKit } from "#core/shot/api";
import type { Database } from "./db/open.ts";
import { lensKits, yardsticks } from "./db/schema.ts";
import { notFound } from "./errors.ts";

/** What is kept across shots: lens kits and yardsticks. */

export async function listKits(db: Database): Promise<KeptLensKit[]> {
  const rows = await db.select().from(lensKits).orderBy(asc(lensKits.updatedAt));
  return rows.map(({ id, document }) => ({ id, kit: document }));
}

/** Keeps a kit, anew where `id` is null. */
export async function keepKit(db: Database, id: string | null, kit: LensKit): Promise<KeptLensKit> {
  if (id === null) {
    const [row] = await db.insert(lensKits).values({ id: randomUUID(), document: kit }).returning();
    return { id: row.id, kit: row.document };
  }
  const [row] = await db
    .update(lensKits)
    .set({ document: kit, updatedAt: new Date() })
    .where(eq(lensKits.id, id))
    .returning();
  if (!row) throw notFound("The lens kit");
  return { id: row.id, kit: row.document };
}

export async function deleteKit(db: Database, id: string): Promise<void> {
  const gone = await db.delete(lensKits).where(eq(lensKits.id, id)).returning({ id: lensKits.id });
  if (gone.length === 0) throw notFound("The lens kit");
}

const OWN = "own";

export async function openYardsticks(db: Database): Promise<Yardstick[]> {
  const [row] = await db.select().from(yardsticks).where(eq(yardsticks.id, OWN));
  return row?.list ?? FIRST_YARDSTICKS;
}

export async function keepYardsticks(db: Database, list: Yardstick[]): Promise<void> {
  await db.insert(yardsticks).values({ id: OWN, list }).onConflictDoUpdate({ target: yardsticks.id, set: { list } });
}
