import { inflateSync } from "node:zlib";
import exifr from "exifr";
import sharp from "sharp";
import type { Metadata, OutputInfo } from "sharp";
import { codesOf } from "#core/image/differences";
import type { PlateEncoding } from "#core/image/profile";
import { storable } from "#core/text/storable";
import { parseProfile, srgbEncoding } from "#core/image/profile";
import { isFloatPlate, openFloatPlate } from "./floatPlates.ts";

/** Why a plate was refused: what is wrong, and what to do. */
export class PlateError extends Error {
  constructor(
    message: string,
    readonly hint: string,
  ) {
    super(message);
  }
}

export interface OpenedPlate {
  width: number;
  height: number;
  encoding: PlateEncoding;
  /** Interleaved RGB codes, upright. */
  codes: Uint8Array | Uint16Array;
  profile: Uint8Array | null;
  exif: {
    camera: string | null;
    lens: string | null;
    focalMm: number | null;
    equivalentMm: number | null;
    taken: string | null;
    orientation: number | null;
    exposure: { seconds: number; aperture: number; iso: number } | null;
    place: { latitude: number; longitude: number } | null;
    zoneMinutes: number | null;
  };
  notices: string[];
}

const MAX_PIXELS = 64_000_000;

/** Refuses what is larger than plates may be, or a thumbnail. Throws PlateError. */
export function checkSize(w: number, h: number, fileName: string): void {
  if (w * h > MAX_PIXELS) {
    throw new PlateError(
      `“${fileName}” has ${w} × ${h} pixels, ${Math.round((w * h) / 1e6)} megapixels; plates may have 64.`,
      "Save it smaller, at most 8000 × 8000, and drop it again.",
    );
  }
  if (w < 64 || h < 64) {
    throw new PlateError(`“${fileName}” is only ${w} × ${h} pixels.`, "Drop the full-size photo, not its thumbnail.");
  }
}

const isJpeg = (b: Uint8Array) => b[0] === 0xff && b[1] === 0xd8 && b[2] === 0xff;
const isPng = (b: Uint8Array) => [0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a].every((x, i) => b[i] === x);

/**
 * Decodes a JPEG, PNG, EXR or HDR picture once: upright by its EXIF orientation, codes as stored, with the encoding that its profile
 * gives them. Judged by content, never by name. Throws PlateError.
 */
export async function openPlate(bytes: Uint8Array, fileName: string): Promise<OpenedPlate> {
  if (isFloatPlate(bytes)) return openFloatPlate(bytes, fileName);
  if (!isJpeg(bytes) && !isPng(bytes)) {
    throw new PlateError(
      `“${fileName}” is neither a JPEG, a PNG, an EXR nor an HDR picture, whatever its name says.`,
      "Save the photo as one of these and drop it again.",
    );
  }
  checkPngText(bytes, fileName);
  let meta: Metadata;
  try {
    meta = await sharp(bytes, { limitInputPixels: false }).metadata();
  } catch {
    throw damaged(fileName);
  }
  checkSize(meta.width, meta.height, fileName);
  const notices: string[] = [];
  const bits: 8 | 16 = meta.depth === "ushort" ? 16 : 8;
  let encoding: PlateEncoding | null = meta.icc ? parseProfile(meta.icc, bits) : srgbEncoding(bits);
  let profile: Uint8Array | null = meta.icc ? new Uint8Array(meta.icc) : null;
  const convert = encoding === null || meta.space === "cmyk";
  if (convert) {
    notices.push(
      "The colour profile is of a kind that only goes one way, so the plate was converted to sRGB; the finished picture will be sRGB.",
    );
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
    exif: await readExif(bytes),
    notices,
  };
}

const MAX_TEXT = 4 * 1024 * 1024;

/** Refuses a PNG whose packed profile or text unpacks to more than any has: a few bytes can become gigabytes. */
function checkPngText(bytes: Uint8Array, fileName: string): void {
  if (!isPng(bytes)) return;
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

const damaged = (fileName: string) =>
  new PlateError(
    `“${fileName}” is damaged or cut short and cannot be decoded.`,
    "Copy it again from the camera or card and drop it once more.",
  );

async function readExif(bytes: Uint8Array): Promise<OpenedPlate["exif"]> {
  let tags: Record<string, unknown> = {};
  try {
    tags =
      ((await exifr.parse(Buffer.from(bytes), { translateValues: false, reviveValues: false })) as
        Record<string, unknown> | undefined) ?? {};
  } catch {
    // No readable EXIF is no reason to refuse a photo.
  }
  const text = (value: unknown) => (typeof value === "string" ? storable(value).trim() || null : null);
  // Beyond that it is no focal length of a photograph but a damaged field.
  const positive = (value: unknown) => (typeof value === "number" && value >= 0.01 && value <= 100_000 ? value : null);
  const camera = [text(tags.Make), text(tags.Model)].filter((x) => x !== null).join(" ");
  const taken = text(tags.DateTimeOriginal);
  return {
    camera: camera.slice(0, 400) || null,
    lens: text(tags.LensModel),
    focalMm: positive(tags.FocalLength),
    equivalentMm: positive(tags.FocalLengthIn35mmFormat ?? tags.FocalLengthIn35mmFilm),
    taken: taken ? taken.replace(/^(\d{4}):(\d\d):(\d\d)/, "$1-$2-$3") : null,
    orientation: positive(tags.Orientation),
    exposure: exposureOf(tags),
    place: placeOf(tags.latitude, tags.longitude),
    zoneMinutes: zoneOf(text(tags.OffsetTimeOriginal ?? tags.OffsetTime)),
  };
}

/** Seconds, f-number and speed; null where one is missing or is none. */
function exposureOf(tags: Record<string, unknown>): OpenedPlate["exif"]["exposure"] {
  const within = (value: unknown, low: number, high: number) =>
    typeof value === "number" && value >= low && value <= high ? value : null;
  const seconds = within(tags.ExposureTime, 1e-6, 86_400);
  const aperture = within(tags.FNumber, 0.3, 1000);
  const iso = within(tags.ISO ?? tags.ISOSpeedRatings, 1, 10_000_000);
  return seconds && aperture && iso ? { seconds, aperture, iso } : null;
}

/** A place on the globe; null for what is none, and for 0° N 0° E, which cameras without a fix write. */
function placeOf(latitude: unknown, longitude: unknown): OpenedPlate["exif"]["place"] {
  if (typeof latitude !== "number" || typeof longitude !== "number") return null;
  if (!(Math.abs(latitude) <= 90 && Math.abs(longitude) <= 180) || (latitude === 0 && longitude === 0)) return null;
  return { latitude, longitude };
}

/** Minutes ahead of universal time, of +HH:MM (EXIF 2.31). */
function zoneOf(text: string | null): number | null {
  const [, sign, hours, minutes] = /^([+-])(\d\d):(\d\d)$/.exec(text ?? "") ?? [];
  if (!sign) return null;
  const ahead = (sign === "-" ? -1 : 1) * (Number(hours) * 60 + Number(minutes));
  return Math.abs(ahead) <= 840 ? ahead : null;
}
