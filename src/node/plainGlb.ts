import { WebIO } from "@gltf-transform/core";
import { EXTMeshoptCompression, KHRDracoMeshCompression } from "@gltf-transform/extensions";
import draco3d from "draco3dgltf";
import { MeshoptDecoder } from "meshoptimizer";
import { EXTENSIONS, ModelError, READABLE } from "#core/exchange/gltf";
import { checkGlb } from "#core/exchange/glbCheck";

/** Compressions that are undone once, when a model is brought in; what is kept can be read without them. */
const COMPRESSIONS = [KHRDracoMeshCompression, EXTMeshoptCompression];
const NAMES: string[] = COMPRESSIONS.map((c) => c.EXTENSION_NAME);

/** True if the GLB's description names a compression, told without reading it. */
function isCompressed(bytes: Uint8Array): boolean {
  const length = new DataView(bytes.buffer, bytes.byteOffset).getUint32(12, true);
  const text = Buffer.from(bytes.buffer, bytes.byteOffset + 20, Math.min(length, bytes.length - 20)).toString("latin1");
  return NAMES.some((name) => text.includes(`"${name}"`));
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
