import { defineStore } from "pinia";
import { shallowRef } from "vue";
import { decodeCodes, isRec709 } from "#core/image/profile";
import { linearToCode } from "#core/colour/srgb";
import type { Shot } from "#core/shot/schema";

export interface ShownPlate {
  hash: string;
  width: number;
  height: number;
  canvas: HTMLCanvasElement;
  /** Linear Rec. 709, interleaved RGB. */
  linear: Float32Array;
}

/** The open plate's pixels, loaded once, as a picture for the screen and as linear light. */
export const usePlate = defineStore("plate", () => {
  const shown = shallowRef<ShownPlate | null>(null);

  async function load(shot: Shot): Promise<void> {
    const { codes: hash, width, height, encoding } = shot.plate;
    if (shown.value?.hash === hash) return;
    shown.value = null;
    const response = await fetch(`/api/assets/${hash}`);
    if (!response.ok)
      throw new Error(
        "The plate's pixels are missing on the server. Restore the data folder, or drop the photo again.",
      );
    const buffer = await response.arrayBuffer();
    const codes = encoding.bits === 8 ? new Uint8Array(buffer) : new Uint16Array(buffer);
    const linear = decodeCodes(codes, encoding);
    const image = new ImageData(width, height);
    const plain = isRec709(encoding) && encoding.bits === 8;
    for (let i = 0, o = 0; i < codes.length; i += 3, o += 4) {
      for (let k = 0; k < 3; k++) image.data[o + k] = plain ? codes[i + k] : linearToCode(linear[i + k], 8);
      image.data[o + 3] = 255;
    }
    const canvas = document.createElement("canvas");
    canvas.width = width;
    canvas.height = height;
    canvas.getContext("2d")!.putImageData(image, 0, 0);
    shown.value = { hash, width, height, canvas, linear };
  }

  return { shown, load };
});
