import type { DecodedPlate } from "#core/comp/composite";
import { decodeCodes, pixelEncoder } from "#core/image/profile";
import { resampleRows, sizeAt } from "#core/image/resize";
import type { PlatePart } from "#core/plate/schema";
import type { Band } from "./bands.ts";

/** The shot's plate from its stored codes. Throws if they are not those of the document. */
export function plateOf(shot: PlatePart, bytes: Uint8Array): DecodedPlate {
  const { width, height, encoding } = shot.plates.main;
  const codes =
    encoding.bits === 8
      ? bytes
      : new Uint16Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength) as ArrayBuffer);
  if (codes.length !== width * height * 3) {
    throw new Error(`The plate's pixels do not match its size of ${width} × ${height}.`);
  }
  // Threads that finish the picture look at the same memory.
  const memory = new SharedArrayBuffer(codes.byteLength);
  const own = codes instanceof Uint16Array ? new Uint16Array(memory) : new Uint8Array(memory);
  own.set(codes);
  const linear = new Float32Array(new SharedArrayBuffer(codes.length * 4));
  return { width, height, encoding, codes: own, linear: decodeCodes(codes, encoding, linear) };
}

/** Some rows of the plate at a percentage of its sides; at 100 without copying. */
export function plateRowsAt(plate: DecodedPlate, percent: number, band: Band): DecodedPlate {
  const rows = band.y1 - band.y0;
  if (percent === 100) {
    const [from, to] = [band.y0 * plate.width * 3, band.y1 * plate.width * 3];
    return { ...plate, height: rows, codes: plate.codes.subarray(from, to), linear: plate.linear.subarray(from, to) };
  }
  const { width, height } = sizeAt(plate, percent);
  const linear = resampleRows({ ...plate, pixels: plate.linear }, width, height, band.y0, band.y1);
  const codes = plate.encoding.bits === 8 ? new Uint8Array(linear.length) : new Uint16Array(linear.length);
  const encode = pixelEncoder(plate.encoding);
  for (let i = 0; i < linear.length; i += 3) encode(linear[i], linear[i + 1], linear[i + 2], codes, i);
  return { width, height: rows, encoding: plate.encoding, codes, linear };
}

/** The plate at another size: box-averaged or interpolated in linear light. */
export const plateAt = (plate: DecodedPlate, percent: number): DecodedPlate =>
  plateRowsAt(plate, percent, { y0: 0, y1: sizeAt(plate, percent).height });
