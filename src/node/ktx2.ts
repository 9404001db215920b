import { readFile } from "node:fs/promises";
import { createRequire } from "node:module";
import sharp from "sharp";
import { MODEL_LIMITS, ModelError } from "#core/exchange/glbCheck";

/** Pictures in KTX2 with Basis Universal (KHR_texture_basisu), by the transcoder that comes with three.js. */

interface Ktx2File {
  isValid(): boolean;
  getWidth(): number;
  getHeight(): number;
  startTranscoding(): boolean;
  getImageTranscodedSizeInBytes(level: number, layer: number, face: number, format: number): number;
  transcodeImage(
    to: Uint8Array,
    level: number,
    layer: number,
    face: number,
    format: number,
    alphaForOpaque: number,
    channel0: number,
    channel1: number,
  ): boolean;
  close(): void;
  delete(): void;
}
interface Transcoder {
  initializeBasis(): void;
  KTX2File: new (bytes: Uint8Array) => Ktx2File;
}

/** Basis Universal's number for plain RGBA with 8 bits a channel. */
const RGBA32 = 13;

let opened: Promise<Transcoder> | null = null;

/** The transcoder's script is neither a module nor a package of its own: it is run as the function that it is. */
async function open(): Promise<Transcoder> {
  const pathOf = (file: string) =>
    createRequire(import.meta.url).resolve(`three/examples/jsm/libs/basis/basis_transcoder.${file}`);
  const [script, wasmBinary] = await Promise.all([readFile(pathOf("js"), "utf8"), readFile(pathOf("wasm"))]);
  const module: { exports: unknown } = { exports: null };
  new Function("module", "exports", "require", "__filename", "__dirname", script)(
    module,
    {},
    createRequire(import.meta.url),
    pathOf("js"),
    "",
  );
  const start = module.exports as (options: { wasmBinary: Uint8Array }) => Promise<Transcoder>;
  const transcoder = await start({ wasmBinary });
  transcoder.initializeBasis();
  return transcoder;
}

/** Width and height from a KTX2 file's head (Khronos KTX 2.0, section 3); null for anything else. */
export function ktx2Size(bytes: Uint8Array): { width: number; height: number } | null {
  if (bytes.length < 80 || String.fromCharCode(...bytes.subarray(1, 7)) !== "KTX 20") return null;
  const view = new DataView(bytes.buffer, bytes.byteOffset);
  return { width: view.getUint32(20, true), height: view.getUint32(24, true) };
}

/** A KTX2 picture as PNG, to the bit. Throws ModelError where it is too large, or not Basis Universal. */
export async function pngOfKtx2(bytes: Uint8Array, name: string): Promise<Uint8Array> {
  const head = ktx2Size(bytes);
  const refused = () =>
    new ModelError(
      `Texture ${name} is a KTX2 picture that cannot be read. Export the model with PNG or JPEG textures.`,
    );
  if (!head) throw refused();
  const { width, height } = head;
  if (Math.max(width, height) > MODEL_LIMITS.textureSide)
    throw new ModelError(
      `Texture ${name} has ${width} × ${height} pixels; at most ${MODEL_LIMITS.textureSide} × ${MODEL_LIMITS.textureSide} fit. Make it smaller and export again.`,
    );
  const transcoder = await (opened ??= open());
  const file = new transcoder.KTX2File(bytes);
  try {
    if (!file.isValid() || !file.startTranscoding()) throw refused();
    const texels = new Uint8Array(file.getImageTranscodedSizeInBytes(0, 0, 0, RGBA32));
    if (texels.length !== width * height * 4 || !file.transcodeImage(texels, 0, 0, 0, RGBA32, 0, -1, -1))
      throw refused();
    return await sharp(texels, { raw: { width, height, channels: 4 } })
      .png({ compressionLevel: 4 })
      .toBuffer();
  } finally {
    file.close();
    file.delete();
  }
}
