import { fork } from "node:child_process";
import { existsSync } from "node:fs";
import { mkdir, rename, rm } from "node:fs/promises";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { PGlite } from "@electric-sql/pglite";
import { drizzle } from "drizzle-orm/pglite";
import type { PgliteDatabase } from "drizzle-orm/pglite";
import { migrate } from "drizzle-orm/pglite/migrator";
import { IMPORT_TYPESCRIPT } from "#node/typescript";
import type { Room } from "../room.ts";
import * as schema from "./schema.ts";

export type Database = PgliteDatabase<typeof schema>;

const migrations = fileURLToPath(new URL("../../../drizzle", import.meta.url));

const LOOK_MS = 5_000;
const MB = 1024 * 1024;
/** Log since the last checkpoint after which there is one: it decides how large the log on the disk grows. */
const LOG_BYTES = 12 * MB;
/** Rounds of looking after which old rows are cleared away. */
const VACUUM_EVERY = 120;

/** Opens the database in `folder` (null: in memory) and applies the migrations that it lacks. Nothing is written while `room` has none. */
export async function openDatabase(
  folder: string | null,
  room?: Pick<Room, "has">,
): Promise<{ db: Database; close: () => Promise<void> }> {
  const place = folder === null ? null : path.join(folder, "database");
  if (place && !existsSync(place)) await createFolder(place);
  const pg = place === null ? new PGlite() : new PGlite(place);
  const db = drizzle(pg, { schema });
  await migrate(db, { migrationsFolder: migrations });
  // PGlite runs no checkpoint or vacuum by itself: the log would grow without end.
  let from = await logPosition(pg);
  let rounds = 0;
  let looking = false;
  const look = async () => {
    if (looking || room?.has() === false) return;
    looking = true;
    try {
      const now = await logPosition(pg);
      if (now - from >= LOG_BYTES) {
        await pg.exec("CHECKPOINT");
        from = now;
      }
      if (++rounds % VACUUM_EVERY === 0) await pg.exec("VACUUM ANALYZE");
    } finally {
      looking = false;
    }
  };
  const timer = setInterval(() => void look().catch(() => undefined), LOOK_MS);
  timer.unref();
  return {
    db,
    close: async () => {
      clearInterval(timer);
      await pg.close();
    },
  };
}

/** Bytes of log that were ever written. */
async function logPosition(pg: PGlite): Promise<number> {
  const { rows } = await pg.query<{ at: string }>("select pg_current_wal_insert_lsn() - '0/0'::pg_lsn as at");
  return Number(rows[0].at);
}

/** A new database's folder: there as a whole or not at all, whenever this is killed. */
async function createFolder(place: string): Promise<void> {
  const temporary = `${place}.new`;
  await rm(temporary, { recursive: true, force: true });
  await mkdir(temporary, { recursive: true });
  const child = fork(fileURLToPath(new URL("./createProcess.ts", import.meta.url)), [temporary], {
    execArgv: IMPORT_TYPESCRIPT,
    stdio: ["ignore", "ignore", "pipe", "ipc"],
  });
  let said = "";
  child.stderr!.on("data", (text: Buffer) => (said += String(text)));
  const code = await new Promise((resolve) => child.once("exit", resolve));
  if (code !== 0) {
    await rm(temporary, { recursive: true, force: true });
    throw new Error(`The database could not be made: ${said.slice(-1000)}`);
  }
  await rename(temporary, place);
}
