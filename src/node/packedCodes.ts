import { promisify } from "node:util";
import { gunzip, gzip } from "node:zlib";
import { codeBytes, codesOf, fromDifferences, toDifferences } from "#core/image/differences";
import type { PlateInfo } from "#core/plate/schema";

const pack = promisify(gzip);
const unpack = promisify(gunzip);

type Sized = Pick<PlateInfo, "width" | "height" | "encoding">;

/** A plate's codes as they are kept: differences of neighbours, gzipped. The codes are spent by it. */
export async function packCodes(codes: Uint8Array | Uint16Array, width: number): Promise<Uint8Array> {
  toDifferences(codes, width);
  return pack(new Uint8Array(codes.buffer, codes.byteOffset, codes.byteLength), { level: 1 });
}

/** The codes' bytes again; files of earlier versions hold them unpacked. Throws if they are not those of the plate. */
export async function unpackCodes(bytes: Uint8Array, plate: Sized): Promise<Uint8Array> {
  const size = codeBytes(plate);
  if (bytes.length === size) return bytes;
  const wrong = `The plate's pixels do not match its size of ${plate.width} × ${plate.height}.`;
  const raw = await unpack(bytes, { maxOutputLength: size }).catch(() => {
    throw new Error(wrong);
  });
  if (raw.length !== size) throw new Error(wrong);
  fromDifferences(codesOf(raw, plate.encoding.bits), plate.width);
  return raw;
}
