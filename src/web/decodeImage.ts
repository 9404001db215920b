import type { Texture } from "#core/props/model";

/**
 * Decodes a model's texture in page or worker to RGBA8 texels as stored, without colour conversion; one that is larger
 * than `most` along a side is made smaller.
 */
export async function decodeImage(bytes: Uint8Array, mimeType: string, most = Infinity): Promise<Texture> {
  const blob = new Blob([bytes as Uint8Array<ArrayBuffer>], { type: mimeType });
  const bitmap = await createImageBitmap(blob, { premultiplyAlpha: "none", colorSpaceConversion: "none" });
  const by = Math.min(1, most / Math.max(bitmap.width, bitmap.height));
  const [width, height] = [bitmap.width, bitmap.height].map((side) => Math.max(1, Math.round(side * by)));
  const canvas = new OffscreenCanvas(width, height);
  const context = canvas.getContext("2d", { willReadFrequently: true })!;
  context.imageSmoothingQuality = "high";
  context.drawImage(bitmap, 0, 0, width, height);
  bitmap.close();
  const { data } = context.getImageData(0, 0, width, height);
  return { width, height, texels: new Uint8Array(data.buffer) };
}
