import { isExr } from "../image/exrCheck.ts";
import { isHdr } from "../image/hdr.ts";
import { isTiff } from "../image/tiff.ts";

/** Kinds of files that become a plate: what they are called, what a page asks the disk for, and how their first bytes tell them. */
interface PlateFormat {
  label: string;
  accept: string;
  is: (bytes: Uint8Array) => boolean;
}

const starts =
  (...head: number[]) =>
  (bytes: Uint8Array) =>
    head.every((x, i) => bytes[i] === x);
const text = (bytes: Uint8Array, at: number) => String.fromCharCode(...bytes.subarray(at, at + 4));

export const PLATE_FORMATS = {
  jpeg: { label: "JPEG", accept: "image/jpeg", is: starts(0xff, 0xd8, 0xff) },
  png: { label: "PNG", accept: "image/png", is: starts(0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a) },
  tiff: { label: "TIFF", accept: "image/tiff", is: isTiff },
  webp: { label: "WebP", accept: "image/webp", is: (b) => text(b, 0) === "RIFF" && text(b, 8) === "WEBP" },
  exr: { label: "EXR", accept: ".exr", is: isExr },
  hdr: { label: "HDR", accept: ".hdr", is: isHdr },
} satisfies Record<string, PlateFormat>;
export type PlateKind = keyof typeof PLATE_FORMATS;

/** Kind of a file by its content; null for what becomes no plate. */
export function plateKind(bytes: Uint8Array): PlateKind | null {
  const kinds = Object.keys(PLATE_FORMATS) as PlateKind[];
  return kinds.find((kind) => PLATE_FORMATS[kind].is(bytes)) ?? null;
}

const labels = Object.values(PLATE_FORMATS).map(({ label }) => label);

/** "JPEG, PNG, … or HDR" */
export const PLATE_FORMAT_NAMES = `${labels.slice(0, -1).join(", ")} or ${labels.at(-1)}`;

/** What a file field of plates accepts. */
export const PLATE_ACCEPT = Object.values(PLATE_FORMATS)
  .map(({ accept }) => accept)
  .join(",");

/** True for a HEIF picture, as telephones take them, AVIF among them (ISO/IEC 23008-12). */
export const isHeif = (b: Uint8Array): boolean =>
  text(b, 4) === "ftyp" && ["heic", "heix", "heim", "heis", "mif1", "msf1", "avif", "avis"].includes(text(b, 8));
