import * as v from "valibot";
import { whole } from "../schema/fields.ts";
import { textUpTo } from "../text/storable.ts";

/** What is handed over, and how it is named and sized. */

/** Every exporter by id, with what it writes. */
export const EXPORTS = {
  png: { label: "Picture, PNG", note: "8 or 16 bits, in the plate's own profile" },
  jpeg: { label: "Picture, JPEG", note: "for looking at" },
  tiff: { label: "Picture, TIFF", note: "16 bits" },
  object: { label: "Object, shadow, reflection, mattes", note: "PNGs with alpha at full size" },
  ora: { label: "Layers for a paint program", note: "OpenRaster: plate, shadow, light, object, grain and look" },
  exr: {
    label: "Layers for a compositor",
    note: "one OpenEXR, linear Rec. 709: picture, plate, shadow, reflection, object, depth and all rendered layers",
  },
  st: { label: "Lens, ST maps", note: "EXR pair: undistort and redistort" },
  camera: { label: "Camera", note: "JSON and CSV" },
  glb: { label: "Scene, glTF", note: "GLB: camera, set, props, lights" },
  usda: { label: "Scene, USD", note: "text: camera, set, props, lights" },
  obj: { label: "Set and props, OBJ", note: "with its MTL" },
  compare: { label: "Before and after", note: "one HTML file with a slider" },
  takes: { label: "Contact sheet of takes", note: "HTML" },
  match: { label: "Match report", note: "HTML: camera, marks, sizes, light" },
  sit: { label: "Sit report", note: "HTML and PDF: what still gives the composite away" },
  bundle: { label: "The shot as one file", note: "zip: document, plate, models, takes; read back as it was" },
} as const;
export type ExportId = keyof typeof EXPORTS;
export const EXPORT_IDS = Object.keys(EXPORTS) as ExportId[];

/** What people ask for together. */
export const PRESETS: Record<string, { label: string; exports: readonly ExportId[] }> = {
  paint: { label: "for a paint program", exports: ["ora", "object", "png"] },
  compositor: { label: "for a compositor", exports: ["exr", "st", "camera"] },
  scene: { label: "for a 3D program", exports: ["glb", "usda", "obj", "camera", "st"] },
  client: { label: "for the client", exports: ["jpeg", "compare", "sit"] },
  all: { label: "all of it", exports: EXPORT_IDS },
};

export const HandOverSchema = v.object({
  exports: v.pipe(
    v.array(v.picklist(EXPORT_IDS)),
    v.minLength(1, "is empty: choose what to hand over"),
    v.maxLength(30),
  ),
  /** {shot}, {what}, {width}, {height}, {date} are filled in. */
  pattern: v.pipe(
    textUpTo(120),
    v.check((p) => p.includes("{what}"), "must contain {what}, or files have one name"),
  ),
  /** Of the render's side, for pictures. */
  percent: whole(10, 200),
  bits: v.picklist([8, 16]),
  quality: whole(40, 100),
  float: v.boolean(),
  /** Pixels of the render; null for all of it. */
  region: v.nullable(
    v.object({ x: whole(0, 65535), y: whole(0, 65535), width: whole(1, 65535), height: whole(1, 65535) }),
  ),
});
export type HandOverChoice = v.InferOutput<typeof HandOverSchema>;

export const newHandOver = (): HandOverChoice => ({
  exports: [...PRESETS.client.exports],
  pattern: "{shot}-{what}",
  percent: 100,
  bits: 8,
  quality: 92,
  float: false,
  region: null,
});

/** A file's name by the pattern, with nothing in it that a disk would not take. */
export function fileName(
  pattern: string,
  parts: { shot: string; what: string; width: number; height: number; date: string },
  ending: string,
): string {
  const filled = pattern.replace(/\{(shot|what|width|height|date)\}/g, (_, key: keyof typeof parts) =>
    String(parts[key]),
  );
  const plain = filled
    .normalize("NFC")
    .replace(/[^\p{L}\p{N}._-]+/gu, "-")
    .replace(/^[-.]+|[-.]+$/g, "");
  return `${plain || "file"}.${ending}`;
}
