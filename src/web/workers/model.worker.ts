import { expose, transfer } from "comlink";
import { zipSync } from "fflate";
import { boxGlb } from "#core/exchange/boxGlb";
import type { ImageDecoder } from "#core/exchange/gltf";
import { readAsset } from "#core/exchange/asset";
import { readExr } from "#core/image/exrRead";
import { shrink } from "#core/image/resize";
import type { Slope } from "#core/light/level";
import type { SurroundingsFacts } from "#core/light/surroundings/facts";
import { factsOf } from "#core/light/surroundings/facts";
import type { PictureSpread } from "#core/light/surroundings/known";
import { hasSurroundings, provideSurroundings } from "#core/light/surroundings/known";
import type { Model, Texture } from "#core/props/model";
import type { Skin } from "#core/props/skin";
import { flatPicture, pixelsPerMetre } from "#core/props/skin";
import { decodeImage } from "../decodeImage.ts";
import { lightened } from "./lighten.ts";

/** Most texels along a side of a texture in the interactive view. */
const VIEW_SIDE = 2048;
/** Width of the surroundings there. */
const VIEW_AROUND = 512;
const decodeSmall: ImageDecoder = (bytes, mimeType) => decodeImage(bytes, mimeType, VIEW_SIDE);

/** Memory of a model's lists, each once. */
function listsOf({ meshes, textures, around }: Model): ArrayBuffer[] {
  const lists = [
    ...meshes.flatMap((m) => [m.positions, m.normals, m.indices, m.uvs, m.copies, m.colours]),
    ...textures.map((t) => t.texels),
    around?.pixels,
  ];
  return [...new Set(lists.flatMap((list) => (list ? [list.buffer as ArrayBuffer] : [])))];
}

/** Reads and packs models away from the page, which stays at hand. */
const reading = {
  /**
   * A file from the user's disk, read while it is on its way to the server; with the SHA-256 by which the server will know
   * it. Null for what is no plain GLB, which the server makes one of first.
   */
  async readAhead(file: File): Promise<{ hash: string; model: Model } | null> {
    const bytes = new Uint8Array(await file.arrayBuffer());
    const digest = new Uint8Array(await crypto.subtle.digest("SHA-256", bytes));
    const hash = Array.from(digest, (byte) => byte.toString(16).padStart(2, "0")).join("");
    const read = await reading.read(bytes).catch(() => null);
    // The lists were marked for handing over with `read`'s answer: that of this one hands them over as well.
    return read && transfer({ hash, model: read }, listsOf(read));
  },

  /** A model for the interactive view from its GLB, or from the picture of a look, no heavier than that can draw; its lists are handed over, not copied. */
  async read(bytes: Uint8Array): Promise<Model> {
    const model = await lightened(await readAsset(bytes, decodeSmall));
    if (model.around) {
      const { width, height } = model.around;
      model.around = shrink(model.around, Math.min(width, VIEW_AROUND), Math.min(height, VIEW_AROUND / 2));
    }
    return transfer(model, listsOf(model));
  },

  /** What a picture of the surroundings tells of itself, from its file as it is kept. */
  lookAround(spread: PictureSpread, slope: Slope, bytes: Uint8Array | null): SurroundingsFacts | null {
    if (bytes) provideSurroundings(spread.asset, readExr(bytes, 3));
    return factsOf(spread, slope);
  },

  /** Whether its file must come along to `lookAround`. */
  needsSurroundings: (hash: string): boolean => !hasSurroundings(hash),

  /** Several files as one zip, not pressed together: it only goes to the next room. */
  async pack(files: { path: string; file: File }[]): Promise<Uint8Array> {
    const entries: Record<string, Uint8Array> = {};
    for (const { path, file } of files) entries[path] = new Uint8Array(await file.arrayBuffer());
    const zip = zipSync(entries, { level: 0 });
    return transfer(zip, [zip.buffer]);
  },

  /** A box that wears photographs, as a GLB, and the flat picture of its sides; `flat` is one that was painted elsewhere. */
  async skin(
    skin: Skin,
    photos: Map<string, Uint8Array>,
    flat: Uint8Array | null,
  ): Promise<{ glb: Uint8Array; png: Uint8Array }> {
    let png = flat;
    if (!png) {
      const decoded = new Map<string, Texture>();
      for (const [hash, bytes] of photos) decoded.set(hash, await decodeImage(bytes, ""));
      png = await pngOf(flatPicture(skin, decoded, pixelsPerMetre(skin)));
    }
    const glb = await boxGlb(skin, png);
    return transfer({ glb, png }, [glb.buffer]);
  },
};

async function pngOf({ width, height, texels }: Texture): Promise<Uint8Array> {
  const canvas = new OffscreenCanvas(width, height);
  canvas.getContext("2d")!.putImageData(new ImageData(new Uint8ClampedArray(texels), width, height), 0, 0);
  return new Uint8Array(await (await canvas.convertToBlob({ type: "image/png" })).arrayBuffer());
}

export type ModelReading = typeof reading;
expose(reading);
