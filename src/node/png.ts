import { crc32, deflateSync } from "node:zlib";
import sharp from "sharp";

/** A PNG of interleaved codes, 8 or 16 bits by their array, with the ICC profile put in as it is. */
export async function writePng(
  codes: Uint8Array | Uint16Array,
  width: number,
  height: number,
  channels: 3 | 4,
  profile: Uint8Array | null = null,
): Promise<Uint8Array> {
  const wide = codes instanceof Uint16Array;
  const image = sharp(codes, { raw: { width, height, channels } });
  const png = await (wide ? image.toColourspace("rgb16") : image).png({ compressionLevel: 6 }).toBuffer();
  return profile ? insertProfile(png, profile) : new Uint8Array(png);
}

/** PNG (ISO/IEC 15948) chunk iCCP after the header. */
function insertProfile(png: Buffer, profile: Uint8Array): Uint8Array {
  const headerEnd = 8 + 25;
  const name = Buffer.from("plate\0\0", "latin1");
  const data = Buffer.concat([Buffer.from("iCCP"), name, deflateSync(profile)]);
  const length = Buffer.alloc(4);
  length.writeUInt32BE(data.length - 4);
  const sum = Buffer.alloc(4);
  sum.writeUInt32BE(crc32(data));
  return new Uint8Array(Buffer.concat([png.subarray(0, headerEnd), length, data, sum, png.subarray(headerEnd)]));
}
