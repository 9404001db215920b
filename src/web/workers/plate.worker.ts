import { expose, transfer } from "comlink";
import { linearToCode } from "#core/colour/srgb";
import type { PlateEncoding } from "#core/image/profile";
import { decodeCodes, isRec709 } from "#core/image/profile";
import { shrink } from "#core/image/resize";
import type { Picture } from "#core/trace/scene";
import { fetchCodes } from "../plateCodes.ts";

/** A plate to read: the hash of its codes, as they are kept on the server. */
export interface PlateAsk {
  hash: string;
  width: number;
  height: number;
  encoding: PlateEncoding;
}

export interface PlateReply {
  /** Linear Rec. 709, interleaved RGB, and a picture of it for the screen. */
  linear: Float32Array<ArrayBuffer>;
  bitmap: ImageBitmap;
  /** The same light at `COARSE` pixels along the longer side, or as it is where it is smaller. */
  coarse: Picture;
}

/** What props mirror of the plate, and what lights them, is as coarse. */
const COARSE = 512;

async function read({ hash, width, height, encoding }: PlateAsk): Promise<PlateReply> {
  const codes = await fetchCodes({ codes: hash, width, height, encoding });
  const linear = decodeCodes(codes, encoding) as Float32Array<ArrayBuffer>;
  const image = new ImageData(width, height);
  const plain = isRec709(encoding) && encoding.bits === 8;
  for (let i = 0, o = 0; i < codes.length; i += 3, o += 4) {
    for (let k = 0; k < 3; k++) image.data[o + k] = plain ? codes[i + k] : linearToCode(linear[i + k], 8);
    image.data[o + 3] = 255;
  }
  const scale = Math.min(1, COARSE / Math.max(width, height));
  const [w, h] = [width, height].map((side) => Math.max(1, Math.round(side * scale)));
  const coarse = shrink({ width, height, pixels: linear }, w, h);
  const reply = { linear, bitmap: await createImageBitmap(image), coarse };
  return transfer(reply, [linear.buffer, reply.bitmap, coarse.pixels.buffer]);
}

/** Reads plates. Throws with a sentence where the server does not have them. */
const reading = { read };
export type Reading = typeof reading;
expose(reading);
