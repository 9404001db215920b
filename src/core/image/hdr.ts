/** Why a Radiance file cannot be read, in a sentence for its user. */
export class HdrError extends Error {}

const damaged = (what: string): HdrError => new HdrError(`The HDR file is damaged: ${what}. Copy or save it again.`);

/** Bytes of a file's head that are looked at, at most. */
const HEAD_BYTES = 65_536;
const MOST_SIDE = 65_536;

/** What the head of a Radiance picture says. */
export interface HdrHeader {
  width: number;
  height: number;
  /** CIE x and y of red, green, blue and white; null where the file leaves them open. */
  primaries: number[] | null;
  /** Address of the first row. */
  start: number;
}

export const isHdr = (bytes: Uint8Array): boolean => bytes[0] === 0x23 && bytes[1] === 0x3f;

const headOf = (bytes: Uint8Array): string =>
  String.fromCharCode(...bytes.subarray(0, Math.min(bytes.length, HEAD_BYTES)));
const SIZE = /\n\n-Y (\d{1,6}) \+X (\d{1,6})\n/;

/** Size that the first bytes of a Radiance file tell; null where they do not. */
export function hdrSize(bytes: Uint8Array): { width: number; height: number } | null {
  const size = SIZE.exec(headOf(bytes));
  return size && { width: Number(size[2]), height: Number(size[1]) };
}

/** Reads and checks the head. Throws HdrError. */
export function checkHdr(bytes: Uint8Array, mostPixels: number): HdrHeader {
  if (!isHdr(bytes)) throw new HdrError("This is not a Radiance HDR file.");
  const head = headOf(bytes);
  const size = SIZE.exec(head);
  if (!size)
    throw new HdrError(
      "The HDR file does not say its size as Radiance pictures do, or is turned. Save it upright, or as EXR.",
    );
  const lines = head.slice(0, size.index + 1);
  if (/\nFORMAT=32-bit_rle_xyze/.test(lines)) throw new HdrError("The HDR file is in XYZ. Save it as RGB, or as EXR.");
  const [height, width] = [Number(size[1]), Number(size[2])];
  if (!(width >= 1 && height >= 1 && width <= MOST_SIDE && height <= MOST_SIDE) || width * height > mostPixels)
    throw damaged(`it says that it has ${width} × ${height} pixels`);
  const start = size.index + size[0].length;
  // A row is at least a head and a run for every 127 pixels in each of its four parts; pixels of old files may repeat.
  if (bytes.length - start < height * 4) throw damaged("it is cut short");
  const own = /\nPRIMARIES=\s*((?:-?[\d.]+\s+){7}-?[\d.]+)/.exec(lines);
  return { width, height, primaries: own ? own[1].trim().split(/\s+/).map(Number) : null, start };
}

/**
 * Reads a Radiance picture row by row as interleaved RGB; the array is used again for the next row (G. Ward, "Real
 * Pixels", Graphics Gems II, 1991; run lengths of both kinds). Throws HdrError.
 */
export function readHdrRows(bytes: Uint8Array, header: HdrHeader, take: (y: number, row: Float32Array) => void): void {
  const { width, height } = header;
  const codes = new Uint8Array(width * 4);
  const row = new Float32Array(width * 3);
  let at = header.start;
  for (let y = 0; y < height; y++) {
    const runs = width >= 8 && width < 32_768 && bytes[at] === 2 && bytes[at + 1] === 2 && bytes[at + 2] < 128;
    at = runs ? readRuns(bytes, at, width, codes) : readPixels(bytes, at, width, codes);
    for (let x = 0; x < width; x++) {
      const exponent = codes[x * 4 + 3];
      const scale = exponent === 0 ? 0 : 2 ** (exponent - 136);
      for (let k = 0; k < 3; k++) row[x * 3 + k] = exponent === 0 ? 0 : (codes[x * 4 + k] + 0.5) * scale;
    }
    take(y, row);
  }
}

/** A row whose four parts lie one after another, each in runs. */
function readRuns(bytes: Uint8Array, from: number, width: number, codes: Uint8Array): number {
  if (bytes[from + 2] * 256 + bytes[from + 3] !== width) throw damaged("a row has another width");
  let at = from + 4;
  for (let k = 0; k < 4; k++) {
    for (let x = 0; x < width;) {
      if (at + 2 > bytes.length) throw damaged("it is cut short");
      const count = bytes[at++];
      const length = count > 128 ? count - 128 : count;
      if (length === 0 || x + length > width || (count <= 128 && at + length > bytes.length))
        throw damaged("its rows cannot be unpacked");
      for (let i = 0; i < length; i++, x++) codes[x * 4 + k] = bytes[count > 128 ? at : at + i];
      at += count > 128 ? 1 : length;
    }
  }
  return at;
}

/** A row of whole pixels; one of 1, 1, 1 says how often the last one is repeated. */
function readPixels(bytes: Uint8Array, from: number, width: number, codes: Uint8Array): number {
  let at = from;
  let shift = 0;
  for (let x = 0; x < width; at += 4) {
    if (at + 4 > bytes.length) throw damaged("it is cut short");
    if (bytes[at] === 1 && bytes[at + 1] === 1 && bytes[at + 2] === 1) {
      const length = bytes[at + 3] * 2 ** shift;
      if (x === 0 || x + length > width) throw damaged("its rows cannot be unpacked");
      for (let i = 0; i < length; i++, x++) codes.copyWithin(x * 4, (x - 1) * 4, x * 4);
      shift += 8;
      continue;
    }
    codes.set(bytes.subarray(at, at + 4), x * 4);
    x++;
    shift = 0;
  }
  return at;
}
