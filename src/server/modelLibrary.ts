import { rm } from "node:fs/promises";
import { desc, eq } from "drizzle-orm";
import type { KeepModel, KeptModel, KeptModelDetails, NewerFile } from "#core/props/library";
import { models } from "./db/schema.ts";
import { ApiError, notFound } from "./errors.ts";
import type { Services } from "./services.ts";

/** Models kept for every shot: their files stay when the shots that brought them in go. */

type Row = typeof models.$inferSelect;

const listed = (row: Row, usedIn: KeptModel["usedIn"]): KeptModel => {
  const { hash, fileName, reading, triangles, size, materials, picture, details } = row;
  return { hash, fileName, reading, triangles, size, materials, picture, ...details, usedIn };
};

export async function listModels({ db, shots }: Services): Promise<KeptModel[]> {
  const rows = await db.select().from(models).orderBy(desc(models.createdAt));
  const users = await shots.usersOf(rows.map((row) => row.hash));
  return rows.map((row) => listed(row, users.get(row.hash) ?? []));
}

/** Terms of the kept models, by the hash of their file. */
export async function licencesOf({ db }: Pick<Services, "db">): Promise<Record<string, string>> {
  const rows = await db.select({ hash: models.hash, details: models.details }).from(models);
  return Object.fromEntries(rows.map(({ hash, details }) => [hash, details.licence]));
}

/**
 * Keeps a model with its picture. One that is kept already stays as its user describes it; only how it is read is taken
 * anew. Throws ApiError where its file is not in the store.
 */
export async function keepModel(services: Services, { hash, fileName, name, reading }: KeepModel): Promise<KeptModel> {
  const { db, assets, reader, shots } = services;
  if (!assets.has(hash)) throw notFound("The model's file");
  const to = await assets.newPath();
  try {
    const { picture, copyright, ...read } = await reader.read("portrait", assets.pathOf(hash), fileName, {
      to,
      reading,
    });
    const kept = { fileName, reading, ...read, picture: await assets.take(to, picture.hash) };
    const details: KeptModelDetails = { name, tags: [], licence: copyright, source: "" };
    const [row] = await db
      .insert(models)
      .values({ hash, ...kept, details })
      .onConflictDoUpdate({ target: models.hash, set: kept })
      .returning();
    assets.settle([hash, row.picture]);
    return listed(row, (await shots.usersOf([hash])).get(hash)!);
  } finally {
    await rm(to, { force: true });
  }
}

export async function describeModel(services: Services, hash: string, details: KeptModelDetails): Promise<KeptModel> {
  const [row] = await services.db.update(models).set({ details }).where(eq(models.hash, hash)).returning();
  if (!row) throw notFound("The model");
  return listed(row, (await services.shots.usersOf([hash])).get(hash)!);
}

/** Lets go of a kept model; shots that have it keep it. */
export async function deleteModel({ db }: Services, hash: string): Promise<void> {
  const gone = await db.delete(models).where(eq(models.hash, hash)).returning({ hash: models.hash });
  if (gone.length === 0) throw notFound("The model");
}

/**
 * A newer file takes an older one's place in every shot but one, and in the library with what its user said of it. Names
 * of the shots that were changed.
 */
export async function replaceModel(services: Services, older: string, newer: NewerFile): Promise<{ shots: string[] }> {
  const { db, assets, shots } = services;
  if (!assets.has(newer.hash)) throw notFound("The newer file");
  if (newer.hash === older)
    throw new ApiError(422, "same-file", "This is the same file as before.", "Choose the newer one.");
  const [row] = await db.select().from(models).where(eq(models.hash, older));
  const changed = await shots.takeNewerFile(older, newer);
  if (row) {
    const { hash, fileName, reading } = newer;
    await keepModel(services, { hash, fileName, name: row.details.name, reading });
    await db.update(models).set({ details: row.details }).where(eq(models.hash, hash));
    await db.delete(models).where(eq(models.hash, older));
  }
  return { shots: changed };
}
