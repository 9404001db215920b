import exifr from "exifr";
import { storable } from "#core/text/storable";

/** What a photograph says of itself; null for each that it does not. */
export interface Exif {
  camera: string | null;
  lens: string | null;
  focalMm: number | null;
  equivalentMm: number | null;
  taken: string | null;
  orientation: number | null;
  exposure: { seconds: number; aperture: number; iso: number } | null;
  place: { latitude: number; longitude: number } | null;
  zoneMinutes: number | null;
}

export const NO_EXIF: Exif = {
  camera: null,
  lens: null,
  focalMm: null,
  equivalentMm: null,
  taken: null,
  orientation: null,
  exposure: null,
  place: null,
  zoneMinutes: null,
};

/** Reads the EXIF of a JPEG, PNG or TIFF file, or a block of EXIF by itself (a TIFF file, by EXIF 2.31). */
export async function readExif(bytes: Uint8Array): Promise<Exif> {
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
function exposureOf(tags: Record<string, unknown>): Exif["exposure"] {
  const within = (value: unknown, low: number, high: number) =>
    typeof value === "number" && value >= low && value <= high ? value : null;
  const seconds = within(tags.ExposureTime, 1e-6, 86_400);
  const aperture = within(tags.FNumber, 0.3, 1000);
  const iso = within(tags.ISO ?? tags.ISOSpeedRatings, 1, 10_000_000);
  return seconds && aperture && iso ? { seconds, aperture, iso } : null;
}

/** A place on the globe; null for what is none, and for 0° N 0° E, which cameras without a fix write. */
function placeOf(latitude: unknown, longitude: unknown): Exif["place"] {
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
