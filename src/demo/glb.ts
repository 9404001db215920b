import type { Material as GltfMaterial } from "@gltf-transform/core";
import { Document, NodeIO } from "@gltf-transform/core";
import { KHRMaterialsIOR, KHRMaterialsTransmission, KHRMaterialsVolume } from "@gltf-transform/extensions";
import sharp from "sharp";
import { importGlb } from "#core/exchange/gltf";
import type { Mesh, Model, Texture } from "#core/props/model";
import { decodeTexture } from "#node/images";

/** What a demo prop's material is made of. */
export interface PropMaterial {
  name: string;
  color?: [number, number, number];
  metallic?: number;
  roughness?: number;
  texture?: Texture;
  surface?: Texture;
  /** Glass: index, and the colour that white light has after a distance in metres. */
  glass?: { index: number; color: [number, number, number]; metres: number };
}

/** Meshes and materials as a GLB file: textures as PNG inside, Y up. */
export async function glbOf(name: string, meshes: Mesh[], materials: PropMaterial[]): Promise<Uint8Array> {
  const document = new Document();
  const buffer = document.createBuffer();
  const root = document.createNode(name);
  document.createScene(name).addChild(root);
  const png = async (label: string, t: Texture) => {
    const bytes = await sharp(t.texels, { raw: { width: t.width, height: t.height, channels: 4 } })
      .removeAlpha()
      .png({ compressionLevel: 9 })
      .toBuffer();
    return document.createTexture(label).setImage(new Uint8Array(bytes)).setMimeType("image/png");
  };
  const made: GltfMaterial[] = [];
  for (const m of materials) {
    const material = document
      .createMaterial(m.name)
      .setBaseColorFactor([...(m.color ?? [1, 1, 1]), 1] as [number, number, number, number])
      .setRoughnessFactor(m.roughness ?? 1)
      .setMetallicFactor(m.metallic ?? 0);
    if (m.texture) material.setBaseColorTexture(await png(m.name, m.texture));
    if (m.surface)
      material
        .setMetallicRoughnessTexture(await png(`${m.name} surface`, m.surface))
        .setMetallicFactor(m.metallic ?? 1);
    if (m.glass) {
      const { index, color, metres } = m.glass;
      const transmission = document
        .createExtension(KHRMaterialsTransmission)
        .createTransmission()
        .setTransmissionFactor(1);
      const volume = document
        .createExtension(KHRMaterialsVolume)
        .createVolume()
        .setThicknessFactor(metres)
        .setAttenuationColor(color)
        .setAttenuationDistance(metres);
      material
        .setExtension("KHR_materials_transmission", transmission)
        .setExtension("KHR_materials_volume", volume)
        .setExtension("KHR_materials_ior", document.createExtension(KHRMaterialsIOR).createIOR().setIOR(index));
    }
    made.push(material);
  }
  const mesh = document.createMesh(name);
  root.setMesh(mesh);
  const yUp = (v: Float32Array) => {
    const out = new Float32Array(v.length);
    for (let i = 0; i < v.length; i += 3) out.set([v[i], v[i + 2], -v[i + 1]], i);
    return out;
  };
  const accessor = (type: "VEC3" | "VEC2" | "SCALAR", values: Float32Array | Uint32Array) =>
    document.createAccessor().setType(type).setBuffer(buffer).setArray(values);
  for (const part of meshes) {
    mesh.addPrimitive(
      document
        .createPrimitive()
        .setMaterial(made[part.material])
        .setAttribute("POSITION", accessor("VEC3", yUp(part.positions)))
        .setAttribute("NORMAL", accessor("VEC3", yUp(part.normals)))
        .setAttribute("TEXCOORD_0", accessor("VEC2", part.uvs!))
        .setIndices(accessor("SCALAR", part.indices)),
    );
  }
  const extensions = [KHRMaterialsTransmission, KHRMaterialsVolume, KHRMaterialsIOR];
  return new NodeIO().registerExtensions(extensions).writeBinary(document);
}

/** A prop as the tracer sees it: read back from its file. */
export const modelOfGlb = async (glb: Uint8Array): Promise<Model> => (await importGlb(glb, decodeTexture)).model;
