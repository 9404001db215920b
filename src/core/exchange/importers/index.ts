import { WebIO } from "@gltf-transform/core";
import { KHRMaterialsClearcoat, KHRMaterialsIOR, KHRTextureTransform } from "@gltf-transform/extensions";
import type { SourceFile } from "../files.ts";
import { baseName, unpacked } from "../files.ts";
import { ModelError } from "../glbCheck.ts";
import { gltf } from "./gltf.ts";
import type { Found, Importer, Tell } from "./kind.ts";
import { obj } from "./obj.ts";
import { ply } from "./ply.ts";
import { stl } from "./stl.ts";

/** Formats that models come in; they are told by what is in a file, never by its name. */
export const IMPORTERS = { gltf, obj, ply, stl } satisfies Record<string, Importer>;
export type ImporterName = keyof typeof IMPORTERS;

const NAMES = Object.keys(IMPORTERS) as ImporterName[];

export interface ModelFiles extends Omit<Found, "content"> {
  /** All of it as one glTF 2.0 file, as it came where it was one. */
  glb: Uint8Array;
  format: ImporterName;
  /** Name of the file that the model was read from. */
  name: string;
}

/** The format of a file; null where it is no model. */
export const formatOf = (bytes: Uint8Array): ImporterName | null =>
  NAMES.find((name) => IMPORTERS[name].recognises(bytes)) ?? null;

/**
 * Reads the model among files that came together, zips opened, into one GLB. Where several are models the format that
 * knows most is taken, of those the largest; the others are named. Throws ModelError with advice.
 */
export async function readModelFiles(given: readonly SourceFile[], tell?: Tell): Promise<ModelFiles> {
  const files = unpacked(given);
  const models = files
    .map((file) => ({ file, format: formatOf(file.bytes) }))
    .filter((m): m is { file: SourceFile; format: ImporterName } => m.format !== null)
    .sort((a, b) => IMPORTERS[b.format].rank - IMPORTERS[a.format].rank || b.file.bytes.length - a.file.bytes.length);
  if (models.length === 0)
    throw new ModelError(
      files.length === 1
        ? `“${baseName(files[0].path)}” is no model that can be read: glTF, GLB, OBJ, PLY, STL, or a zip of them. Export it as one of these.`
        : `None of the ${files.length} files is a model that can be read: glTF, GLB, OBJ, PLY or STL. Export it as one of these.`,
    );
  const [{ file, format }, ...others] = models;
  const { content, ...found } = IMPORTERS[format].read(file, files, tell);
  const glb =
    content instanceof Uint8Array
      ? content
      : await new WebIO()
          .registerExtensions([KHRMaterialsClearcoat, KHRMaterialsIOR, KHRTextureTransform])
          .writeBinary(content);
  const notices = [...found.notices];
  if (others.length > 0) {
    const names = others.map((m) => baseName(m.file.path));
    notices.push(
      `${baseName(file.path)} was read; ${names.slice(0, 5).join(", ")}${names.length > 5 ? ` and ${names.length - 5} more` : ""} came along and were not.`,
    );
  }
  return { ...found, notices, glb, format, name: baseName(file.path) };
}
