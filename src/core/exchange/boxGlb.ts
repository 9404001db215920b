import { Document, WebIO } from "@gltf-transform/core";
import type { Skin } from "../props/skin.ts";
import { pixelsPerMetre, skinMesh } from "../props/skin.ts";

/** A box of photographs as a GLB, with the flat picture of its sides (PNG). */
export async function boxGlb(skin: Skin, png: Uint8Array): Promise<Uint8Array> {
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
