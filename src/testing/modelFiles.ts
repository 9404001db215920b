import { encodeToKTX2 } from "ktx2-encoder";
import { NodeIO } from "@gltf-transform/core";
import { EXTMeshoptCompression, KHRDracoMeshCompression, KHRTextureBasisu } from "@gltf-transform/extensions";
import draco3d from "draco3dgltf";
import { strToU8, zipSync } from "fflate";
import { MeshoptDecoder, MeshoptEncoder } from "meshoptimizer";
import sharp from "sharp";

/** Models as clients send them, for tests of bringing them in. */

/** A crate as OBJ with MTL and a picture in a zip with folders, a unit of one centimetre; the picture may be left out. */
export async function crateZip(withPicture = true): Promise<Uint8Array> {
  const png = await sharp({ create: { width: 8, height: 8, channels: 3, background: "#a06a38" } })
    .png()
    .toBuffer();
  const mtl = "newmtl planks\nKd 1 1 1\nNs 30\nmap_Kd textures/planks.png\n";
  const corners = [0, 1].flatMap((z) => [
    [0, 0, z],
    [1, 0, z],
    [1, 1, z],
    [0, 1, z],
  ]);
  const faces = ["4 3 2 1", "5 6 7 8", "1 2 6 5", "2 3 7 6", "3 4 8 7", "4 1 5 8"];
  const obj = [
    "mtllib crate.mtl",
    // Y is up in such files: 60 wide, 40 high, 45 deep.
    ...corners.map(([x, z, y]) => `v ${x * 60} ${y * 40} ${z * 45}`),
    "vt 0 0",
    "vt 1 0",
    "vt 1 1",
    "vt 0 1",
    "usemtl planks",
    ...faces.map(
      (f) =>
        `f ${f
          .split(" ")
          .map((v, i) => `${v}/${i + 1}`)
          .join(" ")}`,
    ),
  ].join("\n");
  return zipSync({
    "crate/crate.obj": strToU8(obj),
    "crate/crate.mtl": strToU8(mtl),
    ...(withPicture && { "crate/textures/planks.png": new Uint8Array(png) }),
  });
}

/** Quadrilaterals of a box from the origin. */
function boxTriangles(x: number, y: number, z: number): number[][][] {
  const c = [0, z].flatMap((h) => [
    [0, 0, h],
    [x, 0, h],
    [x, y, h],
    [0, y, h],
  ]);
  return ["3210", "4567", "0154", "1265", "2376", "3047"].flatMap((q) => {
    const [a, b, d, e] = [...q].map((i) => c[Number(i)]);
    return [
      [a, b, d],
      [a, d, e],
    ];
  });
}

/** A box as binary STL in millimetres. */
export function boxStl(x: number, y: number, z: number): Uint8Array {
  const triangles = boxTriangles(x, y, z);
  const bytes = new Uint8Array(84 + 50 * triangles.length);
  const view = new DataView(bytes.buffer);
  view.setUint32(80, triangles.length, true);
  triangles.forEach((t, i) => t.flat().forEach((v, k) => view.setFloat32(84 + i * 50 + 12 + k * 4, v, true)));
  return bytes;
}

/** A box as text PLY in metres, red below and white above. */
export function boxPly(x: number, y: number, z: number): string {
  const points = boxTriangles(x, y, z).flat();
  const rows = points.map((p) => `${p.join(" ")} ${p[2] > 0 ? "255 255 255" : "200 20 20"}`);
  const faces = Array.from({ length: points.length / 3 }, (_, i) => `3 ${i * 3} ${i * 3 + 1} ${i * 3 + 2}`);
  const names = ["x", "y", "z"].map((n) => `property float ${n}`);
  const colours = ["red", "green", "blue"].map((n) => `property uchar ${n}`);
  return [
    "ply",
    "format ascii 1.0",
    `element vertex ${points.length}`,
    ...names,
    ...colours,
    `element face ${faces.length}`,
    "property list uchar int vertex_indices",
    "end_header",
    ...rows,
    ...faces,
    "",
  ].join("\n");
}

/** A GLB compressed anew. */
export async function compressedGlb(glb: Uint8Array, by: "draco" | "meshopt"): Promise<Uint8Array> {
  await Promise.all([MeshoptDecoder.ready, MeshoptEncoder.ready]);
  const io = new NodeIO().registerExtensions([KHRDracoMeshCompression, EXTMeshoptCompression]).registerDependencies({
    "draco3d.encoder": await draco3d.createEncoderModule(),
    "draco3d.decoder": await draco3d.createDecoderModule(),
    "meshopt.encoder": MeshoptEncoder,
    "meshopt.decoder": MeshoptDecoder,
  });
  const document = await io.readBinary(glb);
  if (by === "draco")
    document
      .createExtension(KHRDracoMeshCompression)
      .setRequired(true)
      .setEncoderOptions({ quantizationBits: { POSITION: 16 } });
  else
    document
      .createExtension(EXTMeshoptCompression)
      .setRequired(true)
      .setEncoderOptions({ method: EXTMeshoptCompression.EncoderMethod.QUANTIZE });
  return io.writeBinary(document);
}

/** A GLB whose pictures are KTX2 with Basis Universal: UASTC, or ETC1S. */
export async function ktx2Glb(glb: Uint8Array, uastc: boolean): Promise<Uint8Array> {
  const io = new NodeIO().registerExtensions([KHRTextureBasisu]);
  const document = await io.readBinary(glb);
  for (const texture of document.getRoot().listTextures()) {
    const packed = await encodeToKTX2(texture.getImage()!, {
      isUASTC: uastc,
      enableDebug: false,
      generateMipmap: true,
      imageDecoder: async (bytes: Uint8Array) => {
        const { data, info } = await sharp(bytes).ensureAlpha().raw().toBuffer({ resolveWithObject: true });
        return { data: new Uint8Array(data), width: info.width, height: info.height };
      },
    });
    texture.setImage(packed as Uint8Array<ArrayBuffer>).setMimeType("image/ktx2");
  }
  document.createExtension(KHRTextureBasisu).setRequired(true);
  return io.writeBinary(document);
}
