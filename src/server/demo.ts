import { sql } from "drizzle-orm";
import { importGlb } from "#core/exchange/gltf";
import type { PlateInfo } from "#core/plate/schema";
import { plainReading } from "#core/props/schema";
import { dropToFloor } from "#core/props/transform";
import { decodeTexture } from "#node/images";
import { unpackCodes } from "#node/packedCodes";
import { netloftShot, slipwayShot } from "../demo/otherShots.ts";
import { demoFile, demoShot } from "../demo/shot.ts";
import { boatPlace } from "../demo/slipway.ts";
import { describeModel, keepModel } from "./modelLibrary.ts";
import { shots } from "./db/schema.ts";
import type { Services } from "./services.ts";
import { storePlate } from "./storePlate.ts";

/** Puts the demo's three shots into a database that has no shots yet. */
export async function seedDemo(services: Services): Promise<void> {
  const { db, assets, shots: store } = services;
  const [{ count }] = await db.select({ count: sql<number>`count(*)::int` }).from(shots);
  if (count > 0) return;
  const open = async (place: string) => {
    const hash = await assets.put(await demoFile("plate.jpg", place));
    return (await storePlate(services, { path: assets.pathOf(hash), hash, name: `${place}.jpg` })).info;
  };
  const put = async (name: string, place: string) => assets.put(await demoFile(name, place));
  // The last one is listed first.
  const slipway = await open("slipway");
  const boat = await demoFile("boat.glb", "slipway");
  const { model } = await importGlb(boat, decodeTexture);
  const boatHash = await assets.put(boat);
  const codesOf = async (info: PlateInfo) => unpackCodes(await assets.get(info.codes), info);
  await store.create(await slipwayShot(slipway, await codesOf(slipway), boatHash, dropToFloor(boatPlace, model)));
  const loft = await open("netloft");
  const props = { kettle: await put("kettle.glb", "netloft"), float: await put("float.glb", "netloft") };
  await store.create(await netloftShot(loft, await codesOf(loft), props));
  const quay = await open("quay");
  const buoy = await put("buoy.glb", "quay");
  await store.create(await demoShot(quay, await codesOf(quay), buoy));
  // Their pictures take a while, and nothing waits for them.
  void keepDemoModels(services, [
    ["boat.glb", boatHash, "rowing boat", ["boat", "wood"]],
    ["float.glb", props.float, "glass float", ["glass", "fishing"]],
    ["kettle.glb", props.kettle, "copper kettle", ["metal", "kitchen"]],
    ["buoy.glb", buoy, "lamp buoy", ["metal", "harbour"]],
  ]).catch(() => undefined);
}

type DemoModel = [fileName: string, hash: string, name: string, tags: string[]];

async function keepDemoModels(services: Services, list: DemoModel[]): Promise<void> {
  for (const [fileName, hash, name, tags] of list) {
    await keepModel(services, { hash, fileName, name, reading: plainReading() });
    const source = "made up for the demo of Red Harbor";
    await describeModel(services, hash, { name, tags, licence: "CC0", source });
  }
}
