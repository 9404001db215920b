import type { Document } from "@gltf-transform/core";
import { WebIO } from "@gltf-transform/core";
import { EXTMeshoptCompression, KHRDracoMeshCompression, KHRTextureBasisu } from "@gltf-transform/extensions";
import draco3d from "draco3dgltf";
import { MeshoptDecoder } from "meshoptimizer";
import { EXTENSIONS, ModelError, READABLE } from "#core/exchange/gltf";
import { MODEL_LIMITS, checkGlb } from "#core/exchange/glbCheck";
import { ktx2Size, pngOfKtx2 } from "./ktx2.ts";

/** Compressions that are undone once, when a model is brought in; what is kept can be read without them. */
const COMPRESSIONS = [KHRDracoMeshCompression, EXTMeshoptCompression, KHRTextureBasisu];
const NAMES: string[] = COMPRESSIONS.map((c) => c.EXTENSION_NAME);

/** True if the GLB's description names a compression, told without reading it. */
function isCompressed(bytes: Uint8Array): boolean {
  const length = new DataView(bytes.buffer, bytes.byteOffset).getUint32(12, true);
  const text = Buffer.from(bytes.buffer, bytes.byteOffset + 20, Math.min(length, bytes.length - 20)).toString("latin1");
  return NAMES.some((name) => text.includes(`"${name}"`));
}

/** Pictures in KTX2 become PNG; all are counted by their heads before the first is unpacked. */
async function unpackPictures(document: Document): Promise<void> {
  const packed = document
    .getRoot()
    .listTextures()
    .flatMap((texture, i) => {
      const image = texture.getMimeType() === "image/ktx2" ? texture.getImage() : null;
      return image ? [{ texture, image, name: texture.getName() || `number ${i + 1}` }] : [];
    });
  const bytes = packed.reduce((sum, { image }) => {
    const { width, height } = ktx2Size(image) ?? { width: 0, height: 0 };
    return sum + width * height * 4;
  }, 0);
  if (bytes > MODEL_LIMITS.textureBytes)
    throw new ModelError(
      `The model's textures take ${(bytes / 1024 ** 3).toFixed(1)} GiB once unpacked; ${MODEL_LIMITS.textureBytes / 1024 ** 3} fit. Make them smaller and export again.`,
    );
  for (const { texture, image, name } of packed)
    texture.setImage((await pngOfKtx2(image, name)) as Uint8Array<ArrayBuffer>).setMimeType("image/png");
}

/** A GLB without compression; the same bytes where there is none. Throws ModelError where it cannot be undone. */
export async function plainGlb(bytes: Uint8Array): Promise<Uint8Array> {
  if (bytes.length < 20 || !isCompressed(bytes)) return bytes;
  checkGlb(bytes, new Set([...READABLE, ...NAMES]));
  try {
    await MeshoptDecoder.ready;
    const io = new WebIO().registerExtensions([...EXTENSIONS, ...COMPRESSIONS]).registerDependencies({
      "draco3d.decoder": await draco3d.createDecoderModule(),
      "meshopt.decoder": MeshoptDecoder,
    });
    const document = await io.readBinary(bytes);
    await unpackPictures(document);
    for (const extension of document.getRoot().listExtensionsUsed())
      if (NAMES.includes(extension.extensionName)) extension.dispose();
    return await io.writeBinary(document);
  } catch (error) {
    if (error instanceof ModelError) throw error;
    const reason = error instanceof Error ? error.message : String(error);
    throw new ModelError(
      `The model's compression cannot be undone (${reason}). Export it again, or without compression.`,
    );
  }
}
