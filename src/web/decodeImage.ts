import type { ImageDecoder } from "#core/exchange/gltf";

/** Decodes a model's texture in page or worker to RGBA8 texels as stored, without colour conversion. */
export const decodeImage: ImageDecoder = async (bytes, mimeType) => {
  const blob = new Blob([bytes as Uint8Array<ArrayBuffer>], { type: mimeType });
  const bitmap = await createImageBitmap(blob, { premultiplyAlpha: "none", colorSpaceConversion: "none" });
  const canvas = new OffscreenCanvas(bitmap.width, bitmap.height);
  const context = canvas.getContext("2d", { willReadFrequently: true })!;
  context.drawImage(bitmap, 0, 0);
  const { data } = context.getImageData(0, 0, bitmap.width, bitmap.height);
  return { width: bitmap.width, height: bitmap.height, texels: new Uint8Array(data.buffer) };
};
