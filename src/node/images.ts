import sharp from "sharp";
import type { ImageDecoder } from "#core/exchange/gltf";

/** Decodes a model's texture to RGBA8 texels as stored, without colour conversion. */
export const decodeTexture: ImageDecoder = async (bytes) => {
  const { data, info } = await sharp(bytes, { ignoreIcc: true })
    .ensureAlpha()
    .raw()
    .toBuffer({ resolveWithObject: true });
  return { width: info.width, height: info.height, texels: new Uint8Array(data) };
};
