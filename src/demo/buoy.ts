import { Document, NodeIO } from "@gltf-transform/core";
import sharp from "sharp";
import { importGlb } from "#core/exchange/gltf";
import type { Mesh, Model, Texture } from "#core/props/model";
import { decodeTexture } from "#node/images";
import { Builder, hardEdges } from "./shapes.ts";
import { buoyPaint, galvanised } from "./textures.ts";

/** A channel buoy on its stand, 2.05 m high: painted steel with rust, an opaque white lantern. */

enum Part {
  Body,
  Stand,
  Lantern,
  Collar,
}

function buoyMeshes(): Mesh[] {
  const body = new Builder();
  const stand = new Builder();
  const lantern = new Builder();
  const collar = new Builder();
  const foot: [number, number, number] = [0, 0, 0.34];
  const hull: [number, number][] = [
    [0, 0], [0.3, 0.02], [0.5, 0.12], [0.535, 0.2], [0.535, 0.46], [0.5, 0.54], [0.34, 0.6], [0.3, 0.62],
    [0.215, 1.16], [0.2, 1.2], [0, 1.2],
  ];
  body.lathe(foot, hardEdges(hull), 72);
  collar.lathe(foot, hardEdges([[0.54, 0.305], [0.562, 0.31], [0.562, 0.355], [0.54, 0.36]]), 72);
  collar.lathe([0, 0, 1.54], hardEdges([[0, 0], [0.25, 0], [0.25, 0.03], [0, 0.03]]), 48);
  lantern.lathe([0, 0, 1.57], hardEdges([[0.1, 0], [0.13, 0.02], [0.13, 0.22], [0.115, 0.27], [0.07, 0.31], [0, 0.325]]), 40);
  collar.lathe([0, 0, 1.885], [[0.035, 0], [0.03, 0.09], [0.012, 0.15], [0, 0.165]], 20);
  for (let k = 0; k < 3; k++) {
    const a = (k * 2 * Math.PI) / 3;
    const [c, s] = [Math.cos(a), Math.sin(a)];
    collar.bar([0.2 * c, 0.2 * s, 1.57], [0.2 * c, 0.2 * s, 1.86], 0.011, 10);
  }
  collar.lathe([0, 0, 1.86], hardEdges([[0.18, 0], [0.22, 0], [0.22, 0.022], [0.18, 0.022], [0.18, 0]]), 40);
  // Stand: a welded square of angle steel on four raked legs, with a shoe each.
  const [top, base] = [0.37, 0.52];
  const height = 0.42;
  for (const [x, y] of [[1, 1], [-1, 1], [-1, -1], [1, -1]]) {
    stand.bar([base * x, base * y, 0.02], [top * x, top * y, height], 0.034, 14);
    stand.box([base * x - 0.08, base * y - 0.08, 0], [base * x + 0.08, base * y + 0.08, 0.022]);
  }
  const w = 0.035;
  for (const s of [-1, 1]) {
    stand.box([-top - w, s * top - w, height - w], [top + w, s * top + w, height + w]);
    stand.box([s * top - w, -top + w, height - w], [s * top + w, top - w, height + w]);
    stand.bar([-0.47, s * 0.47, 0.17], [0.47, s * 0.47, 0.17], 0.016, 10);
    stand.bar([s * 0.47, -0.47, 0.17], [s * 0.47, 0.47, 0.17], 0.016, 10);
  }
  return [body.build(Part.Body), stand.build(Part.Stand), lantern.build(Part.Lantern), collar.build(Part.Collar)];
}

/** The buoy as a GLB file: textures as PNG inside, Y up. */
export async function buoyGlb(): Promise<Uint8Array> {
  const document = new Document();
  document.createBuffer();
  const root = document.createNode("channel buoy");
  document.createScene("buoy").addChild(root);
  const png = async (name: string, t: Texture) => {
    const bytes = await sharp(t.texels, { raw: { width: t.width, height: t.height, channels: 4 } })
      .removeAlpha()
      .png({ compressionLevel: 9 })
      .toBuffer();
    return document.createTexture(name).setImage(new Uint8Array(bytes)).setMimeType("image/png");
  };
  const paint = buoyPaint();
  const steel = galvanised();
  const materials = [
    document
      .createMaterial("painted steel")
      .setBaseColorTexture(await png("paint", paint.colour))
      .setMetallicRoughnessTexture(await png("paint surface", paint.surface))
      .setMetallicFactor(0),
    document
      .createMaterial("galvanised steel")
      .setBaseColorTexture(await png("steel", steel.colour))
      .setMetallicRoughnessTexture(await png("steel surface", steel.surface)),
    document.createMaterial("lantern").setBaseColorFactor([0.74, 0.74, 0.71, 1]).setMetallicFactor(0).setRoughnessFactor(0.35),
    document.createMaterial("collar").setBaseColorFactor([0.06, 0.055, 0.05, 1]).setMetallicFactor(0).setRoughnessFactor(0.6),
  ];
  const mesh = document.createMesh("channel buoy");
  root.setMesh(mesh);
  const yUp = (v: Float32Array) => {
    const out = new Float32Array(v.length);
    for (let i = 0; i < v.length; i += 3) out.set([v[i], v[i + 2], -v[i + 1]], i);
    return out;
  };
  for (const part of buoyMeshes()) {
    const uvs = part.uvs!.slice();
    // The hull's texture spans its whole profile once.
    if (part.material === Part.Body) for (let i = 1; i < uvs.length; i += 2) uvs[i] = 1 - uvs[i] / 2.2;
    mesh.addPrimitive(
      document
        .createPrimitive()
        .setMaterial(materials[part.material])
        .setAttribute("POSITION", document.createAccessor().setType("VEC3").setArray(yUp(part.positions)))
        .setAttribute("NORMAL", document.createAccessor().setType("VEC3").setArray(yUp(part.normals)))
        .setAttribute("TEXCOORD_0", document.createAccessor().setType("VEC2").setArray(uvs))
        .setIndices(document.createAccessor().setType("SCALAR").setArray(part.indices)),
    );
  }
  for (const buffer of document.getRoot().listAccessors()) buffer.setBuffer(document.getRoot().listBuffers()[0]);
  return new NodeIO().writeBinary(document);
}

/** The buoy as the tracer sees it: read back from its own file. */
export const buoyModel = async (): Promise<Model> => (await importGlb(await buoyGlb(), decodeTexture)).model;
