import { unzlibSync } from "fflate";
import type { ExrHeader } from "./exrCheck.ts";
import { ExrError, checkExr, damaged } from "./exrCheck.ts";

/** Channels of an OpenEXR file, as floats, rows from the top. */
export interface ExrPicture {
  width: number;
  height: number;
  channels: Map<string, Float32Array>;
}

const NONE = 0;
const RLE = 1;
const ZIP = 3;
const NAMES = ["none", "RLE", "ZIPS", "ZIP", "PIZ", "PXR24", "B44", "B44A", "DWAA", "DWAB"];

const BYTES = { uint: 4, half: 2, float: 4 };

/** IEEE 754 half as a number. */
export function fromHalf(bits: number): number {
  const sign = bits & 0x8000 ? -1 : 1;
  const exponent = (bits >> 10) & 31;
  const fraction = bits & 1023;
  if (exponent === 0) return sign * fraction * 2 ** -24;
  if (exponent === 31) return fraction ? NaN : sign * Infinity;
  return sign * (1024 + fraction) * 2 ** (exponent - 25);
}

/** True for packings that are read here: none, RLE, ZIPS and ZIP. */
export const isPlainlyPacked = ({ compression }: Pick<ExrHeader, "compression">): boolean => compression <= ZIP;

/**
 * Reads every channel of a scan-line file that is not packed, or with RLE, ZIPS or ZIP (openexr.com, "OpenEXR File
 * Layout"). Everything is counted before it is unpacked, and values that are no numbers are refused. Throws ExrError.
 */
export function readExrChannels(bytes: Uint8Array): ExrPicture {
  const header = checkExr(bytes);
  const { width, height, channels } = header;
  const out = new Map(channels.map((c) => [c.name, new Float32Array(width * height)]));
  readExrRows(bytes, header, (y, row) => {
    for (const [name, values] of row) {
      const odd = values.findIndex((value) => !Number.isFinite(value));
      if (odd >= 0)
        throw new ExrError(`The EXR file has a value that is no number at ${odd}, ${y} (${name}). Save it again.`);
      out.get(name)!.set(values, y * width);
    }
  });
  return { width, height, channels: out };
}

/** Rows of which at least the blocks are read, in files whose blocks lie in order; and what unpacks them, if not our own. */
export interface RowChoice {
  from?: number;
  to?: number;
  inflate?: (packed: Uint8Array, size: number) => Uint8Array;
}

/** Rows of a file that are stored together. */
export interface ExrBlock {
  /** Number of the first row. */
  y0: number;
  rows: number;
  bytes: Uint8Array;
  /** True of bytes in halves and by differences, as they are packed; blocks that this would make larger are plain. */
  folded: boolean;
  /** True where this is the block before once more. */
  again: boolean;
}

/**
 * Reads such a file row by row, whatever its numbers are, in the order in which they lie in it; the arrays are used
 * again for the next row. Throws ExrError.
 */
export function readExrRows(
  bytes: Uint8Array,
  header: ExrHeader,
  take: (y: number, row: ReadonlyMap<string, Float32Array>) => void,
  only: RowChoice = {},
): void {
  const { width, channels } = header;
  const row = new Map(channels.map((c) => [c.name, new Float32Array(width)]));
  const rowBytes = rowBytesOf(header);
  let raw: DataView = new DataView(new ArrayBuffer(0));
  readExrBlocks(
    bytes,
    header,
    ({ y0, rows, bytes: own, folded, again }) => {
      if (!again) {
        const plain = folded ? unpredicted(own) : own;
        raw = new DataView(plain.buffer, plain.byteOffset, plain.byteLength);
      }
      for (let y = 0, at = 0; y < rows; y++, at += rowBytes) {
        readRow(raw, at, header, row);
        take(y0 + y, row);
      }
    },
    only,
  );
}

const rowBytesOf = ({ channels, width }: ExrHeader): number => channels.reduce((n, c) => n + width * BYTES[c.type], 0);

/** Reads such a file block by block. Throws ExrError. */
export function readExrBlocks(
  bytes: Uint8Array,
  header: ExrHeader,
  take: (block: ExrBlock) => void,
  only: RowChoice = {},
): void {
  const { height, compression, blockRows } = header;
  if (!isPlainlyPacked(header))
    throw new ExrError(`The EXR file is packed with ${NAMES[compression]}. Save it with ZIP, RLE or without packing.`);
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const rowBytes = rowBytesOf(header);
  const seen = new Uint8Array(Math.ceil(height / blockRows));
  const { from = 0, to = height, inflate } = only;
  let last: Uint8Array = new Uint8Array(0);
  let unpacked = { bytes: last, folded: false };
  for (let i = Math.floor(from / blockRows); i < Math.min(seen.length, Math.ceil(to / blockRows)); i++) {
    const block = Number(view.getBigUint64(header.end + i * 8, true));
    const y0 = view.getInt32(block, true) - header.y0;
    const rows = Math.min(blockRows, height - y0);
    if (y0 % blockRows !== 0 || seen[y0 / blockRows]++) throw damaged("its rows are not in blocks");
    const stored = bytes.subarray(block + 8, block + 8 + view.getInt32(block + 4, true));
    const size = rows * rowBytes;
    // Where a picture is even, block after block is the same.
    const again = unpacked.bytes.length === size && same(stored, last);
    if (!again) unpacked = unfold(stored, size, compression, inflate);
    last = stored;
    take({ y0, rows, ...unpacked, again });
  }
}

function same(a: Uint8Array, b: Uint8Array): boolean {
  if (a.length !== b.length) return false;
  for (let i = 0; i < a.length; i++) if (a[i] !== b[i]) return false;
  return true;
}

/** A block's bytes as they were before they were run together or deflated. */
function unfold(
  stored: Uint8Array,
  size: number,
  compression: number,
  inflate: RowChoice["inflate"] = (packed, bytes) => unzlibSync(packed, { out: new Uint8Array(bytes) }),
): Pick<ExrBlock, "bytes" | "folded"> {
  if (stored.length === size) return { bytes: stored, folded: false };
  if (compression === NONE || stored.length > size) throw damaged("its rows are of the wrong length");
  let packed: Uint8Array;
  if (compression === RLE) packed = unrun(stored, size);
  else {
    try {
      packed = inflate(stored, size);
    } catch {
      throw damaged("its rows cannot be unpacked");
    }
  }
  if (packed.length !== size) throw damaged("its rows are of the wrong length");
  return { bytes: packed, folded: true };
}

/** Run lengths: a negative count is followed by so many bytes as they are, another by one byte that is repeated. */
function unrun(stored: Uint8Array, size: number): Uint8Array {
  const out = new Uint8Array(size);
  let to = 0;
  for (let at = 0; at < stored.length;) {
    const count = (stored[at++] << 24) >> 24;
    const length = count < 0 ? -count : count + 1;
    if (to + length > size || at + (count < 0 ? length : 1) > stored.length)
      throw damaged("its rows cannot be unpacked");
    if (count < 0) out.set(stored.subarray(at, at + length), to);
    else out.fill(stored[at], to, to + length);
    at += count < 0 ? length : 1;
    to += length;
  }
  return out.subarray(0, to);
}

/** Undoes the differences and the parting into halves that come before packing. */
function unpredicted(packed: Uint8Array): Uint8Array {
  const out = new Uint8Array(packed.length);
  const half = (packed.length + 1) >> 1;
  let sum = 128;
  for (let i = 0, to = 0; i < half; i++, to += 2) out[to] = sum = (sum + packed[i] - 128) & 255;
  for (let i = half, to = 1; i < packed.length; i++, to += 2) out[to] = sum = (sum + packed[i] - 128) & 255;
  return out;
}

/** Bytes in halves and by differences: the other way round. */
export function folded(raw: Uint8Array): Uint8Array {
  const out = new Uint8Array(raw.length);
  const half = (raw.length + 1) >> 1;
  for (let i = 0, before = 128; i < raw.length; i++) {
    const own = raw[i < half ? 2 * i : 2 * (i - half) + 1];
    out[i] = own - before + 128;
    before = own;
  }
  return out;
}

let halves: Float32Array | null = null;
/** Every half by its bits. */
const halfTable = (): Float32Array => (halves ??= Float32Array.from({ length: 65536 }, (_, bits) => fromHalf(bits)));

function readRow(raw: DataView, from: number, { width, channels }: ExrHeader, row: Map<string, Float32Array>): void {
  let at = from;
  for (const { name, type } of channels) {
    const values = row.get(name)!;
    if (type === "half") {
      const table = halfTable();
      for (let x = 0; x < width; x++, at += 2) values[x] = table[raw.getUint16(at, true)];
    } else if (type === "float") for (let x = 0; x < width; x++, at += 4) values[x] = raw.getFloat32(at, true);
    else for (let x = 0; x < width; x++, at += 4) values[x] = raw.getUint32(at, true);
  }
}

/** Reads the colour channels of an EXR file to interleaved RGB or RGBA; a missing alpha is 1. Throws ExrError. */
export function readExr(bytes: Uint8Array, stride: 3 | 4): { width: number; height: number; pixels: Float32Array } {
  const { width, height, channels } = readExrChannels(bytes);
  const grey = channels.get("Y");
  const planes = ["R", "G", "B", "A"]
    .slice(0, stride)
    .map((name) => channels.get(name) ?? (name === "A" ? null : grey));
  if (planes.slice(0, 3).some((plane) => !plane))
    throw new ExrError(
      `The EXR file has no channels R, G and B, but ${[...channels.keys()].join(", ").slice(0, 200)}.`,
    );
  const pixels = new Float32Array(width * height * stride).fill(1);
  planes.forEach((plane, k) => {
    if (plane) for (let i = 0; i < width * height; i++) pixels[i * stride + k] = plane[i];
  });
  return { width, height, pixels };
}
