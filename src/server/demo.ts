import { sql } from "drizzle-orm";
import { openPlate } from "#node/plates";
import { demoFile, demoShot } from "../demo/shot.ts";
import { storePlate } from "./app.ts";
import type { AssetStore } from "./assets.ts";
import type { Database } from "./db/open.ts";
import { shots } from "./db/schema.ts";
import { createShot } from "./shots.ts";

/** Puts the demo shot into a database that has no shots yet. */
export async function seedDemo(db: Database, assets: AssetStore): Promise<void> {
  const [{ count }] = await db.select({ count: sql<number>`count(*)::int` }).from(shots);
  if (count > 0) return;
  const jpeg = await demoFile("plate.jpg");
  const plate = await openPlate(jpeg, "quay.jpg");
  const info = await storePlate(assets, jpeg, "quay.jpg", plate);
  const buoy = await assets.put(await demoFile("buoy.glb"));
  await createShot(db, await demoShot(info, plate.codes as Uint8Array, buoy));
}
