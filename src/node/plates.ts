import { inflateSync } from "node:zlib";
import sharp from "sharp";
import type { Metadata, OutputInfo } from "sharp";
import { codesOf } from "#core/image/differences";
import type { PlateEncoding } from "#core/image/profile";
import { parseProfile, srgbEncoding } from "#core/image/profile";
import { PLATE_FORMAT_NAMES, isHeif, plateKind } from "#core/plate/formats";
import type { Exif } from "./exif.ts";
import { readExif } from "./exif.ts";
import { openFloatPlate } from "./floatPlates.ts";
import { MAX_PIXELS, PlateError, checkSize, damaged } from "./plateError.ts";
import { checkTiff, openFloatTiff } from "./tiffPlates.ts";

export interface OpenedPlate {
  width: number;
  height: number;
  encoding: PlateEncoding;
  /** Interleaved RGB codes, upright. */
  codes: Uint8Array | Uint16Array;
  profile: Uint8Array | null;
  exif: Exif;
  notices: string[];
}

/** Colour spaces whose codes are red, green and blue by the file's profile, or grey. */
const OWN_CODES = ["srgb", "rgb", "rgb16", "b-w", "grey16"];

function unknownKind(bytes: Uint8Array, fileName: string): PlateError {
  if (isHeif(bytes))
    return new PlateError(
      `“${fileName}” is a HEIF picture, as telephones take them, and cannot be read.`,
      "Save it as JPEG, or as TIFF of 16 bits, and drop that.",
    );
  return new PlateError(
    `“${fileName}” is no ${PLATE_FORMAT_NAMES} picture, whatever its name says.`,
    "Save the photo as one of these (a camera's raw file: developed, as TIFF of 16 bits) and drop it again.",
  );
}

/** The file's EXIF; of a WebP file its block by itself, behind the mark that some put before it. */
function exifOf(bytes: Uint8Array, { format, exif }: Metadata): Promise<Exif> {
  if (format !== "webp") return readExif(bytes);
  return readExif(exif?.subarray(exif.toString("latin1", 0, 4) === "Exif" ? 6 : 0) ?? new Uint8Array(0));
}

/**
 * Decodes a picture of any of `PLATE_FORMATS` once: upright by its EXIF orientation, codes as stored, with the encoding that
 * its profile gives them. Judged by content, never by name. Throws PlateError.
 */
export async function openPlate(bytes: Uint8Array, fileName: string): Promise<OpenedPlate> {
  const kind = plateKind(bytes);
  if (kind === null) throw unknownKind(bytes, fileName);
  if (kind === "exr" || kind === "hdr") return openFloatPlate(bytes, fileName);
  if (kind === "png") checkPngText(bytes, fileName);
  let meta: Metadata;
  try {
    meta = await sharp(bytes, { limitInputPixels: false }).metadata();
  } catch {
    throw damaged(fileName);
  }
  checkSize(meta.width, meta.height, fileName);
  const notices: string[] = [];
  if ((meta.pages ?? 1) > 1) notices.push(`The file holds ${meta.pages} pictures; the first is the plate.`);
  if (kind === "tiff") {
    notices.push(...checkTiff(bytes, meta, fileName));
    if (meta.depth === "float" || meta.depth === "double") {
      const plate = await openFloatTiff(bytes, meta, fileName);
      return { ...plate, exif: await readExif(bytes), notices: [...notices, ...plate.notices] };
    }
  }
  const bits: 8 | 16 = meta.depth === "ushort" ? 16 : 8;
  let encoding: PlateEncoding | null = meta.icc ? parseProfile(meta.icc, bits) : srgbEncoding(bits);
  let profile: Uint8Array | null = meta.icc ? new Uint8Array(meta.icc) : null;
  const convert = encoding === null || !OWN_CODES.includes(meta.space);
  if (convert) {
    const why =
      encoding === null
        ? "The colour profile is of a kind that only goes one way"
        : "The picture is not in red, green and blue";
    notices.push(`${why}, so the plate was converted to sRGB; the finished picture will be sRGB.`);
    encoding = srgbEncoding(bits);
    profile = null;
  }
  if (meta.hasAlpha) notices.push("The plate has transparency; it was laid over black.");
  if (meta.space === "b-w" || meta.space === "grey16") notices.push("The plate is grey; its three channels are alike.");
  const decode = (failOn: "warning" | "error") => {
    const image = sharp(bytes, { limitInputPixels: MAX_PIXELS, failOn, ignoreIcc: !convert }).rotate();
    if (meta.hasAlpha) image.flatten({ background: "#000000" });
    return image
      .toColourspace(bits === 16 ? "rgb16" : "srgb")
      .removeAlpha()
      .raw({ depth: bits === 16 ? "ushort" : "uchar" })
      .toBuffer({ resolveWithObject: true });
  };
  let decoded: { data: Buffer; info: OutputInfo };
  try {
    decoded = await decode("warning").catch(async () => {
      const whole = await decode("error");
      notices.push("The file's data is not quite right in places: look the plate over before you work on it.");
      return whole;
    });
  } catch {
    throw damaged(fileName);
  }
  const { data, info } = decoded;
  let codes = codesOf(data, bits);
  if (info.channels === 1) {
    const grey = codes;
    codes = bits === 16 ? new Uint16Array(grey.length * 3) : new Uint8Array(grey.length * 3);
    for (let i = 0; i < grey.length; i++) codes.fill(grey[i], i * 3, i * 3 + 3);
  }
  return {
    width: info.width,
    height: info.height,
    encoding: encoding!,
    codes,
    profile,
    exif: await exifOf(bytes, meta),
    notices,
  };
}

const MAX_TEXT = 4 * 1024 * 1024;

/** Refuses a PNG whose packed profile or text unpacks to more than any has: a few bytes can become gigabytes. */
function checkPngText(bytes: Uint8Array, fileName: string): void {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  for (let at = 8; at + 12 <= bytes.length;) {
    const length = view.getUint32(at);
    const type = String.fromCharCode(...bytes.subarray(at + 4, at + 8));
    if (length > bytes.length - at - 12) throw damaged(fileName);
    if (type === "iCCP" || type === "zTXt" || type === "iTXt") {
      const body = bytes.subarray(at + 8, at + 8 + length);
      const name = body.indexOf(0);
      // iTXt: flag, method, language and translated keyword come before the text.
      const packed = type !== "iTXt" || body[name + 1] === 1;
      const text = type === "iTXt" ? body.indexOf(0, body.indexOf(0, name + 3) + 1) + 1 : name + 2;
      if (packed && unpacksBeyond(body.subarray(text))) {
        throw new PlateError(
          `“${fileName}” holds ${type === "iCCP" ? "a colour profile" : "text"} of more than ${MAX_TEXT / 1024 ** 2} MB.`,
          "Save the picture anew from a program that shows it, and drop that.",
        );
      }
    }
    at += length + 12;
  }
}

function unpacksBeyond(packed: Uint8Array): boolean {
  try {
    inflateSync(packed, { maxOutputLength: MAX_TEXT });
    return false;
  } catch (error) {
    // What cannot be unpacked at all is left out by the reader.
    return (error as NodeJS.ErrnoException).code === "ERR_BUFFER_TOO_LARGE";
  }
}
