import { open } from "node:fs/promises";
import { asc, eq } from "drizzle-orm";
import type { KeptFont } from "#core/props/library";
import { isFont } from "#core/props/shapes/fontFile";
import { fonts } from "./db/schema.ts";
import { ApiError, notFound } from "./errors.ts";
import type { Received } from "./receive.ts";
import type { Services } from "./services.ts";

/** Fonts for lettering that are kept for every shot. */

export async function listFonts({ db }: Pick<Services, "db">): Promise<KeptFont[]> {
  return db.select({ hash: fonts.hash, name: fonts.name }).from(fonts).orderBy(asc(fonts.createdAt));
}

/** Keeps a font's file under its name without the ending. Throws ApiError 422 where the file is none. */
export async function keepFont({ db, assets }: Services, { path, hash, name: fileName }: Received): Promise<KeptFont> {
  const file = await open(path);
  const head = new Uint8Array(4);
  await file.read(head, 0, 4, 0).finally(() => file.close());
  if (!isFont(head))
    throw new ApiError(
      422,
      "font-refused",
      `“${fileName}” is no font that can be read.`,
      "Choose a TrueType, OpenType or WOFF file (not WOFF2).",
    );
  const name = fileName.replace(/\.[^.]*$/, "");
  const font = { hash: await assets.take(path, hash), name };
  await db.insert(fonts).values(font).onConflictDoUpdate({ target: fonts.hash, set: { name } });
  assets.settle([hash]);
  return font;
}

/** Lets go of a font; lettering keeps its outline. */
export async function deleteFont({ db }: Pick<Services, "db">, hash: string): Promise<void> {
  const gone = await db.delete(fonts).where(eq(fonts.hash, hash)).returning({ hash: fonts.hash });
  if (gone.length === 0) throw notFound("The font");
}
