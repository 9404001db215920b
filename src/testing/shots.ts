import { srgbEncoding } from "#core/image/profile";
import type { PlateInfo } from "#core/plate/schema";
import type { Shot } from "#core/shot/schema";
import { newShot } from "#core/shot/schema";

/** A plate without a file behind it. */
export const testPlate = (width: number, height: number): PlateInfo => ({
  asset: "0".repeat(64),
  codes: "0".repeat(64),
  fileName: "a.png",
  width,
  height,
  encoding: srgbEncoding(8),
  profile: null,
  exif: { camera: null, lens: null, focalMm: null, equivalentMm: null, taken: null, orientation: null },
  owner: "",
  licence: "",
  drawing: false,
});

export const testShot = (width = 640, height = 480): Shot => newShot("Test", testPlate(width, height));
