import { DataUtils, FloatType } from "three";
import { EXRLoader } from "three/examples/jsm/loaders/EXRLoader.js";

/** Reads an EXR file to interleaved RGB or RGBA floats, rows from the top, with the reader of three: a second opinion on our own. */
export function readWithThree(
  bytes: Uint8Array,
  stride: 3 | 4,
): { width: number; height: number; pixels: Float32Array } {
  const loader = new EXRLoader();
  loader.setDataType(FloatType);
  const buffer = bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength) as ArrayBuffer;
  const { width, height, data } = loader.parse(buffer) as unknown as {
    width: number;
    height: number;
    data: Float32Array | Uint16Array;
  };
  const channels = data.length / (width * height);
  const pixels = new Float32Array(width * height * stride);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      // The reader gives rows from the bottom.
      const from = ((height - 1 - y) * width + x) * channels;
      for (let k = 0; k < stride; k++) {
        const value = data[from + Math.min(k, channels - 1)];
        pixels[(y * width + x) * stride + k] = data instanceof Uint16Array ? DataUtils.fromHalfFloat(value) : value;
      }
    }
  }
  return { width, height, pixels };
}
