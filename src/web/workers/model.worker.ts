import { Document, WebIO } from "@gltf-transform/core";
import { expose, transfer } from "comlink";
import { zipSync } from "fflate";
import type { ImportedModel } from "#core/exchange/gltf";
import { importGlb } from "#core/exchange/gltf";
import type { Texture } from "#core/props/model";
import type { Skin } from "#core/props/skin";
import { flatPicture, pixelsPerMetre, skinMesh } from "#core/props/skin";
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

async function boxGlb(skin: Skin, png: Uint8Array): Promise<Uint8Array> {
  const mesh = skinMesh(skin.size, pixelsPerMetre(skin));
  const document = new Document();
  const buffer = document.createBuffer();
  const list = (type: "VEC2" | "VEC3" | "SCALAR", values: Float32Array | Uint32Array) =>
    document
      .createAccessor()
      .setType(type)
      .setArray(values as Float32Array<ArrayBuffer>)
      .setBuffer(buffer);
  // Z up here, Y up in the file: (x, y, z) becomes (x, z, −y).
  const yUp = (from: Float32Array) =>
    Float32Array.from(from, (_, i) => (i % 3 === 0 ? from[i] : i % 3 === 1 ? from[i + 1] : -from[i - 1]));
  const texture = document
    .createTexture("flat")
    .setImage(png as Uint8Array<ArrayBuffer>)
    .setMimeType("image/png");
  const material = document
    .createMaterial("photographs")
    .setBaseColorTexture(texture)
    .setMetallicFactor(0)
    .setRoughnessFactor(0.7);
  material.getBaseColorTextureInfo()!.setWrapS(33071).setWrapT(33071);
  const primitive = document
    .createPrimitive()
    .setMaterial(material)
    .setIndices(list("SCALAR", mesh.indices))
    .setAttribute("POSITION", list("VEC3", yUp(mesh.positions)))
    .setAttribute("NORMAL", list("VEC3", yUp(mesh.normals)))
    .setAttribute("TEXCOORD_0", list("VEC2", mesh.uvs!));
  document
    .createScene()
    .addChild(document.createNode("box").setMesh(document.createMesh("box").addPrimitive(primitive)));
  return new WebIO().writeBinary(document);
}
export type ModelReading = typeof reading;
expose(reading);
