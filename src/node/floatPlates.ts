import { DataUtils, FloatType, HalfFloatType } from "three";
import { EXRLoader } from "three/examples/jsm/loaders/EXRLoader.js";
import { REC709_PRIMARIES, toRec709 } from "#core/colour/primaries";
import { toHalf } from "#core/image/exr";
import { ExrError, checkExr, isExr } from "#core/image/exrCheck";
import { HdrError, checkHdr, isHdr, readHdrRows } from "#core/image/hdr";
import { halfEncoding } from "#core/image/profile";
import type { Mat3 } from "#core/math/vec3";
import { NO_EXIF } from "./exif.ts";
import { PlateError, checkSize } from "./plateError.ts";
import type { OpenedPlate } from "./plates.ts";

/** Plates of floats: OpenEXR, Radiance HDR and TIFF, kept as halves. Sizes are counted before anything is unpacked. */

/** True for a file that `openFloatPlate` reads. */
export const isFloatPlate = (bytes: Uint8Array): boolean => isExr(bytes) || isHdr(bytes);

export interface Floats {
  width: number;
  height: number;
  /** Values of channel k at pixel (x, y), rows from the top. */
  at: (x: number, y: number, k: number) => number;
  /** To linear Rec. 709; null where the file's primaries are no colours. */
  matrix: Mat3 | null;
  /** Is kept as it is, since the file has halves. */
  exact: boolean;
}

const bufferOf = (bytes: Uint8Array): ArrayBuffer =>
  bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength) as ArrayBuffer;

function readExrFloats(bytes: Uint8Array, fileName: string): Floats {
  const { width, height, channels, chromaticities, fillsFrame, pixelAspect } = checkExr(bytes);
  checkSize(width, height, fileName);
  // A plate's frame is the picture's: what is cropped, has an overscan or is squeezed would stretch everything after it.
  if (!fillsFrame)
    throw new PlateError(
      `“${fileName}” holds another part than the frame that it says it is shown in (data window and display window differ).`,
      "Save it with both windows alike, the whole frame, and drop it again.",
    );
  if (Math.abs(pixelAspect - 1) > 1e-3)
    throw new PlateError(
      `“${fileName}” has pixels ${pixelAspect.toFixed(3)} times as wide as high.`,
      "Unsqueeze it to square pixels and drop it again.",
    );
  const names = channels.map(({ name }) => name);
  const colour = ["R", "G", "B"].every((name) => names.includes(name));
  if (!colour && !names.includes("Y"))
    throw new PlateError(
      `“${fileName}” has no channels R, G and B; it has ${names.slice(0, 8).join(", ")}.`,
      "Save the picture's colour as R, G and B, in one layer without a name.",
    );
  const loader = new EXRLoader();
  loader.setDataType(channels.some(({ type }) => type === "float") ? FloatType : HalfFloatType);
  const { data } = loader.parse(bufferOf(bytes)) as unknown as { data: Float32Array | Uint16Array };
  const stride = data.length / (width * height);
  return {
    width,
    height,
    // The loader gives rows from the bottom.
    at: (x, y, k) => {
      const value = data[((height - 1 - y) * width + x) * stride + Math.min(k, stride - 1)];
      return data instanceof Uint16Array ? DataUtils.fromHalfFloat(value) : value;
    },
    matrix: toRec709(chromaticities ?? REC709_PRIMARIES),
    exact: channels.every(({ type }) => type === "half"),
  };
}

function readHdrFloats(bytes: Uint8Array, fileName: string): Floats {
  const header = checkHdr(bytes, Infinity);
  const { width, height, primaries } = header;
  checkSize(width, height, fileName);
  const data = new Float32Array(width * height * 3);
  readHdrRows(bytes, header, (y, row) => data.set(row, y * width * 3));
  return {
    width,
    height,
    at: (x, y, k) => data[(y * width + x) * 3 + k],
    matrix: toRec709(primaries ?? REC709_PRIMARIES),
    exact: false,
  };
}

/** Decodes an EXR or HDR picture to halves. Throws PlateError. */
export function openFloatPlate(bytes: Uint8Array, fileName: string): OpenedPlate {
  let floats: Floats;
  try {
    floats = isExr(bytes) ? readExrFloats(bytes, fileName) : readHdrFloats(bytes, fileName);
  } catch (error) {
    if (error instanceof PlateError) throw error;
    if (error instanceof ExrError || error instanceof HdrError)
      throw new PlateError(`“${fileName}”: ${error.message}`, "Then drop it again.");
    throw new PlateError(
      `“${fileName}” is damaged or cut short and cannot be decoded.`,
      "Copy or save it again and drop it once more.",
    );
  }
  return keptAsHalves(floats);
}

/** A plate of floats as halves, with what has to be said of it. */
export function keptAsHalves({ width, height, at, matrix, exact }: Floats): OpenedPlate {
  const notices: string[] = [];
  if (!matrix) notices.push("Its primaries are no colours; it was taken as Rec. 709.");
  const codes = new Uint16Array(width * height * 3);
  let odd = 0;
  for (let y = 0, i = 0; y < height; y++)
    for (let x = 0; x < width; x++)
      for (let k = 0; k < 3; k++, i++) {
        const value = at(x, y, k);
        if (!Number.isFinite(value)) odd++;
        codes[i] = toHalf(value);
      }
  if (!exact) notices.push("Its values are kept as halves: to one part in two thousand, up to 65 504.");
  if (odd > 0) notices.push(`${odd} values are endless or no numbers; they count as brightest, or as dark.`);
  const encoding = halfEncoding(matrix ?? toRec709(REC709_PRIMARIES)!);
  return { width, height, encoding, codes, profile: null, exif: { ...NO_EXIF }, notices };
}
