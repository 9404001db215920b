import path from "node:path";
import { createApp } from "./app.ts";
import { lockDataFolder } from "./dataFolder.ts";
import { seedDemo } from "./demo.ts";
import { ApiError } from "./errors.ts";
import { openServices } from "./services.ts";
import type { Services } from "./services.ts";
import { Room, noRoom } from "./room.ts";

/** Free bytes without which the database is not even tried to be opened. */
const START_BYTES = 20 * 1024 * 1024;

/** Opens the folder; a full disk is said in a sentence. */
async function openFolder(folder: string): Promise<Services> {
  const room = new Room(folder);
  room.prepareStart();
  const full = () => {
    const { message } = noRoom(folder, room.free(), START_BYTES);
    return new Error(
      `${message.replace("Nothing was saved.", "")}Free some on that disk and start again; nothing is lost.`,
    );
  };
  if (room.free() < START_BYTES) throw full();
  try {
    return await openServices(folder);
  } catch (error) {
    if (room.free() < START_BYTES) throw full();
    throw new Error(
      `The database in ${folder} cannot be opened. Restore the folder from a copy, or set HARBOR_DATA to another one.`,
      { cause: error },
    );
  }
}

/**
 * Starts the server: HARBOR_DATA (default ./data), HARBOR_PORT (4680), HARBOR_HOST (127.0.0.1), HARBOR_HOSTS (names that
 * it answers under besides loopback ones, by commas), HARBOR_DEMO=0 for no demo.
 */
async function main(): Promise<void> {
  const folder = path.resolve(process.env.HARBOR_DATA ?? "data");
  const port = Number(process.env.HARBOR_PORT ?? 4680);
  const host = process.env.HARBOR_HOST ?? "127.0.0.1";
  const names = (process.env.HARBOR_HOSTS ?? "")
    .split(",")
    .map((name) => name.trim())
    .filter(Boolean);
  if (!["127.0.0.1", "localhost", "::1"].includes(host)) {
    throw new Error("HARBOR_HOST must be a loopback address: other machines are not let in yet.");
  }
  const unlock = lockDataFolder(folder);
  process.on("exit", unlock);
  const services = await openFolder(folder);
  await services.assets.clearHalfWritten();
  await services.room.keepBallast();
  if (process.env.HARBOR_DEMO !== "0" && services.room.has()) {
    await seedDemo(services).catch((error: unknown) => {
      // Without room for the demo the rest still works.
      if (!(error instanceof ApiError && error.status === 507)) throw error;
    });
  }
  await services.finals.resume();
  void services.sweep().catch((error: unknown) => console.error(error));
  const server = createApp(services, names).listen(port, host, (error) => {
    if (error) {
      console.error(`Port ${port} cannot be used (${error.message}). Set HARBOR_PORT to another one.`);
      process.exit(1);
    }
    console.log(`Red Harbor is at http://${host}:${port}/ (data in ${folder})`);
  });
  // Longer than any pause in work: a connection closed at the moment it is used again loses what was sent.
  server.keepAliveTimeout = 3_600_000;
  let stopping = false;
  const stop = async () => {
    if (stopping) return;
    stopping = true;
    // Whatever hangs must not keep the server: all that was acknowledged is on the disk.
    setTimeout(() => process.exit(1), 10_000).unref();
    server.close();
    server.closeAllConnections();
    await services.close();
    process.exit(0);
  };
  process.on("SIGINT", () => void stop());
  process.on("SIGTERM", () => void stop());
  // Started by another process that is gone: nobody would stop this one.
  process.on("disconnect", () => void stop());
}

main().catch((error: unknown) => {
  const { message, cause } = error as Error;
  console.error(message);
  if (cause) console.error(cause);
  process.exit(1);
});
