import path from "node:path";
import { fileURLToPath } from "node:url";
import { PGlite } from "@electric-sql/pglite";
import { drizzle } from "drizzle-orm/pglite";
import type { PgliteDatabase } from "drizzle-orm/pglite";
import { migrate } from "drizzle-orm/pglite/migrator";
import * as schema from "./schema.ts";

export type Database = PgliteDatabase<typeof schema>;

const migrations = fileURLToPath(new URL("../../../drizzle", import.meta.url));
const MINUTES = 60_000;

/** Opens the database in `folder` (null: in memory) and applies the migrations that it lacks. */
export async function openDatabase(folder: string | null): Promise<{ db: Database; close: () => Promise<void> }> {
  const pg = folder === null ? new PGlite() : new PGlite(path.join(folder, "database"));
  const db = drizzle(pg, { schema });
  await migrate(db, { migrationsFolder: migrations });
  // PGlite runs no checkpoint or vacuum by itself: the log would grow without end.
  const timer = setInterval(() => void pg.exec("CHECKPOINT; VACUUM ANALYZE;").catch(() => undefined), 10 * MINUTES);
  timer.unref();
  return {
    db,
    close: async () => {
      clearInterval(timer);
      await pg.close();
    },
  };
}
