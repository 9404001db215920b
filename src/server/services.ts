import path from "node:path";
import { AssetStore } from "./assets.ts";
import { openDatabase } from "./db/open.ts";
import type { Database } from "./db/open.ts";
import { FinalQueue } from "./finals.ts";
import { Previews } from "./previews.ts";
import { Reader } from "./reader.ts";
import { Room } from "./room.ts";
import { ShotStore, hashesIn } from "./shots.ts";
import { Works } from "./works.ts";

/** Everything that answers requests, over one data folder. */
export interface Services {
  db: Database;
  assets: AssetStore;
  shots: ShotStore;
  finals: FinalQueue;
  reader: Reader;
  previews: Previews;
  room: Room;
  works: Works;
  /** Deletes files that nothing needs any more. */
  sweep: () => Promise<void>;
  close: () => Promise<void>;
}

const MINUTES = 60_000;

/** Opens a data folder; `inMemory` keeps the database in memory alone. */
export async function openServices(folder: string, inMemory = false): Promise<Services> {
  const room = new Room(folder);
  room.prepareStart();
  const { db, close } = await openDatabase(inMemory ? null : folder, room);
  const assets = new AssetStore(path.join(folder, "assets"));
  const reader = new Reader();
  const shots = new ShotStore(db, assets);
  const finals = new FinalQueue(db, assets, shots, path.join(folder, "finals"), room);
  const previews = new Previews(path.join(folder, "small"), assets, reader);
  const works = new Works(path.join(folder, "works"));
  const sweep = async () => {
    await assets.sweep(await hashesIn(db));
    await previews.sweep();
    await finals.sweep();
    await works.sweep();
  };
  const timer = setInterval(() => {
    void room.keepBallast();
    if (room.has()) void shots.writeAll().catch(() => undefined);
    void sweep().catch(() => undefined);
  }, 20 * MINUTES);
  timer.unref();
  return {
    db,
    assets,
    shots,
    finals,
    reader,
    previews,
    room,
    works,
    sweep,
    close: async () => {
      clearInterval(timer);
      reader.close();
      await finals.close();
      await works.close();
      if (room.has()) await shots.writeAll().catch(() => undefined);
      await close();
    },
  };
}
