import { expose, transfer } from "comlink";
import { zipSync } from "fflate";
import type { ImportedModel } from "#core/exchange/gltf";
import { importGlb } from "#core/exchange/gltf";
import { decodeImage } from "../decodeImage.ts";

/** Reads and packs models away from the page, which stays at hand. */
const reading = {
  /** A GLB as a model; its lists are handed over, not copied. */
  async read(bytes: Uint8Array): Promise<ImportedModel> {
    const imported = await importGlb(bytes, decodeImage);
    const { meshes, textures } = imported.model;
    const lists = [
      ...meshes.flatMap((m) => [m.positions, m.normals, m.indices, m.uvs, m.copies, m.colours]),
      ...textures.map((t) => t.texels),
    ];
    const buffers = new Set(lists.flatMap((list) => (list ? [list.buffer as ArrayBuffer] : [])));
    return transfer(imported, [...buffers]);
  },

  /** Several files as one zip, not pressed together: it only goes to the next room. */
  async pack(files: { path: string; file: File }[]): Promise<Uint8Array> {
    const entries: Record<string, Uint8Array> = {};
    for (const { path, file } of files) entries[path] = new Uint8Array(await file.arrayBuffer());
    const zip = zipSync(entries, { level: 0 });
    return transfer(zip, [zip.buffer]);
  },
};
export type ModelReading = typeof reading;
expose(reading);
