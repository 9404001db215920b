import sharp from "sharp";
import type { Metadata } from "sharp";
import { REC709_PRIMARIES, toRec709 } from "#core/colour/primaries";
import { curveToLinear, parseProfile } from "#core/image/profile";
import { TIFF_TAGS, firstTiffValues, isCameraRaw, tiffPixelAspect } from "#core/image/tiff";
import { keptAsHalves } from "./floatPlates.ts";
import { MAX_PIXELS, PlateError, damaged } from "./plateError.ts";
import type { OpenedPlate } from "./plates.ts";

/** What TIFF files may hold besides a picture of 8 or 16 bits: raw data of a camera, floats, squeezed pixels. */

const DEPTHS = ["uchar", "ushort", "float", "double"];

/** Refuses a TIFF file that is no picture which can be a plate, and returns what has to be said of one that is. Throws PlateError. */
export function checkTiff(bytes: Uint8Array, { depth }: Metadata, fileName: string): string[] {
  if (isCameraRaw(bytes))
    throw new PlateError(
      `“${fileName}” is a camera's raw file, or holds only a small preview as its first picture.`,
      "Develop it, save it as TIFF of 16 bits at full size, and drop that.",
    );
  if (!DEPTHS.includes(depth))
    throw new PlateError(
      `“${fileName}” has channels of a kind that photos do not have (${depth}).`,
      "Save it with 8 or 16 bits a channel, or as floats, and drop it again.",
    );
  const aspect = tiffPixelAspect(bytes);
  if (Math.abs(aspect - 1) <= 1e-3) return [];
  return [
    `By its resolutions the file's pixels are ${aspect.toFixed(3)} times as wide as high; they are taken as square, one for one.`,
  ];
}

/**
 * A TIFF of floats as halves: light by its profile, linear Rec. 709 where it has none; beyond white and below black the
 * profile's curve goes on as it can. Throws PlateError.
 */
export async function openFloatTiff(bytes: Uint8Array, meta: Metadata, fileName: string): Promise<OpenedPlate> {
  const encoding = meta.icc ? parseProfile(meta.icc, 16) : null;
  const decoded = await sharp(bytes, { limitInputPixels: MAX_PIXELS, ignoreIcc: true })
    .rotate()
    .toColourspace("scrgb")
    .removeAlpha()
    .raw({ depth: "float" })
    .toBuffer({ resolveWithObject: true })
    .catch(() => {
      throw damaged(fileName);
    });
  const { width, height, channels } = decoded.info;
  const values = new Float32Array(decoded.data.buffer, decoded.data.byteOffset, width * height * channels);
  const light = (value: number, k: number): number => {
    const curve = encoding?.curves[k];
    if (!curve || !Number.isFinite(value)) return value;
    return Math.sign(value) * curveToLinear(curve, Math.abs(value));
  };
  const plate = keptAsHalves({
    width,
    height,
    at: (x, y, k) => light(values[(y * width + x) * channels + Math.min(k, channels - 1)], k),
    matrix: encoding?.toRec709 ?? toRec709(REC709_PRIMARIES),
    exact: encoding === null && firstTiffValues(bytes).get(TIFF_TAGS.bits) === 16,
  });
  if (meta.icc && !encoding)
    plate.notices.push(
      "The colour profile is of a kind that only goes one way; the floats were taken as linear light of Rec. 709.",
    );
  if (meta.hasAlpha) plate.notices.push("The plate's transparency was left out.");
  return plate;
}
