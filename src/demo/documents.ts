import { createHash } from "node:crypto";
import { importGlb } from "#core/exchange/gltf";
import type { PlateInfo } from "#core/plate/schema";
import type { Model } from "#core/props/model";
import { dropToFloor } from "#core/props/transform";
import { modelsOf } from "#core/shot/assets";
import type { Shot } from "#core/shot/schema";
import { decodeTexture } from "#node/images";
import { openPlate } from "#node/plates";
import { plateOf } from "#node/plateRows";
import { netloftShot, slipwayShot } from "./otherShots.ts";
import { demoFile, demoShot } from "./shot.ts";
import { boatPlace } from "./slipway.ts";

/** The demo documents as they ship, with what they need. */

export const DEMO_PLACES = { quay: "with-buoy.jpg", netloft: "with-props.jpg", slipway: "with-boat.jpg" } as const;
export type DemoPlace = keyof typeof DEMO_PLACES;

/** A demo document as the application makes it, with its plate and models. */
export async function documentOf(place: DemoPlace) {
  const files = new Map<string, Uint8Array>();
  const keep = async (name: string) => {
    const bytes = await demoFile(name, place);
    const hash = createHash("sha256").update(bytes).digest("hex");
    files.set(hash, bytes);
    return hash;
  };
  const opened = await openPlate(await demoFile("plate.jpg", place), `${place}.jpg`);
  const info: PlateInfo = {
    asset: await keep("plate.jpg"),
    codes: "0".repeat(64),
    fileName: `${place}.jpg`,
    width: opened.width,
    height: opened.height,
    encoding: opened.encoding,
    profile: null,
    exif: opened.exif,
    owner: "",
    licence: "",
    drawing: false,
  };
  const codes = opened.codes as Uint8Array;
  let shot: Shot;
  if (place === "quay") shot = await demoShot(info, codes, await keep("buoy.glb"));
  else if (place === "netloft")
    shot = await netloftShot(info, codes, { kettle: await keep("kettle.glb"), float: await keep("float.glb") });
  else {
    const boat = await keep("boat.glb");
    const { model } = await importGlb(files.get(boat)!, decodeTexture);
    shot = await slipwayShot(info, codes, boat, dropToFloor(boatPlace, model));
  }
  const models = new Map<string, Model>();
  for (const hash of modelsOf(shot)) models.set(hash, (await importGlb(files.get(hash)!, decodeTexture)).model);
  return { shot, plate: plateOf(shot, codes), models };
}
