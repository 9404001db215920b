import { appendFile } from "node:fs/promises";
import path from "node:path";
import { PGlite } from "@electric-sql/pglite";

/** Two segments of log at rest, written over again and again, instead of five. PGlite takes no settings at its start. */
const SETTINGS = "\nmin_wal_size = 32MB\nmax_wal_size = 48MB\n";

/**
 * Makes the folder of a new database, in a process of its own: the making takes half a gigabyte, which the server would
 * keep for as long as it runs.
 */
const [folder] = process.argv.slice(2);
const pg = new PGlite(folder);
await pg.query("select 1");
await pg.close();
await appendFile(path.join(folder, "postgresql.conf"), SETTINGS);
