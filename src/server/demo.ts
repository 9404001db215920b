import { sql } from "drizzle-orm";
import { importGlb } from "#core/exchange/gltf";
import { dropToFloor } from "#core/props/transform";
import { decodeTexture } from "#node/images";
import { openPlate } from "#node/plates";
import { netloftShot, slipwayShot } from "../demo/otherShots.ts";
import { demoFile, demoShot } from "../demo/shot.ts";
import { boatPlace } from "../demo/slipway.ts";
import { storePlate } from "./app.ts";
import type { AssetStore } from "./assets.ts";
import type { Database } from "./db/open.ts";
import { shots } from "./db/schema.ts";
import { createShot } from "./shots.ts";

/** Puts the demo's three shots into a database that has no shots yet. */
export async function seedDemo(db: Database, assets: AssetStore): Promise<void> {
  const [{ count }] = await db.select({ count: sql<number>`count(*)::int` }).from(shots);
  if (count > 0) return;
  const open = async (place: string) => {
    const jpeg = await demoFile("plate.jpg", place);
    const plate = await openPlate(jpeg, `${place}.jpg`);
    return { plate, info: await storePlate(assets, jpeg, `${place}.jpg`, plate) };
  };
  const put = async (name: string, place: string) => assets.put(await demoFile(name, place));
  // The last one is listed first.
  const slipway = await open("slipway");
  const boat = await demoFile("boat.glb", "slipway");
  const { model } = await importGlb(boat, decodeTexture);
  await createShot(db, slipwayShot(slipway.info, await assets.put(boat), dropToFloor(boatPlace, model)));
  const loft = await open("netloft");
  const props = { kettle: await put("kettle.glb", "netloft"), float: await put("float.glb", "netloft") };
  await createShot(db, netloftShot(loft.info, props));
  const quay = await open("quay");
  const buoy = await put("buoy.glb", "quay");
  await createShot(db, await demoShot(quay.info, quay.plate.codes as Uint8Array, buoy));
}
