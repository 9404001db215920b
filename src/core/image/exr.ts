import { zlibSync } from "fflate";

/** One channel of an OpenEXR file, its name in ASCII: `stride` floats from `offset` on, rows from the top. */
export interface ExrChannel {
  name: string;
  values: Float32Array;
  offset?: number;
  stride?: number;
  /** Kind of the stored numbers, that of the file if missing. */
  type?: "half" | "float";
}

/** Rows that are packed together (ZIP compression). */
export const EXR_LINES = 16;
const LINES = EXR_LINES;

/** Bits of the IEEE 754 half nearest to a float, ties to even; out of range becomes infinity. */
export function toHalf(value: number): number {
  scratchFloat[0] = value;
  const bits = scratchBits[0];
  const sign = (bits >>> 16) & 0x8000;
  const magnitude = bits & 0x7fffffff;
  if (magnitude > 0x7f800000) return sign | 0x7e00;
  if (magnitude >= 0x477ff000) return sign | 0x7c00;
  if (magnitude < 0x38800000) {
    scratchFloat[0] = Math.abs(value) * 16777216;
    return sign | roundHalfEven(scratchFloat[0]);
  }
  const rounded = magnitude + 0xfff + ((magnitude >>> 13) & 1);
  return sign | ((rounded - 0x38000000) >>> 13);
}

const scratchFloat = new Float32Array(1);
const scratchBits = new Uint32Array(scratchFloat.buffer);

function roundHalfEven(x: number): number {
  const floor = Math.floor(x);
  const rest = x - floor;
  return rest > 0.5 || (rest === 0.5 && floor % 2 === 1) ? floor + 1 : floor;
}

const byName = (channels: ExrChannel[]) =>
  [...channels].sort((a, b) => (a.name < b.name ? -1 : a.name > b.name ? 1 : 0));

/**
 * An OpenEXR 2 scan-line file with ZIP compression (openexr.com, "OpenEXR File Layout"). Channels are written in the
 * order of their names, as the format asks; layers are names with a dot. `chromaticities` are CIE x and y of red, green,
 * blue and white; without them the colours are Rec. 709.
 */
export function writeExr(
  width: number,
  height: number,
  channels: ExrChannel[],
  type: "half" | "float" = "half",
  chromaticities: readonly number[] | null = null,
): Uint8Array<ArrayBuffer> {
  const header = exrHeader(width, height, byName(channels), type, chromaticities);
  const blocks = packRows(width, height, 0, channels, type, (raw) => zlibSync(raw, { level: 6 }));
  const total = header.length + blocks.length * 8 + blocks.reduce((n, b) => n + b.length, 0);
  const file = new Uint8Array(total);
  const view = new DataView(file.buffer);
  file.set(header);
  let at = header.length + blocks.length * 8;
  blocks.forEach((block, i) => {
    view.setBigUint64(header.length + i * 8, BigInt(at), true);
    file.set(block, at);
    at += block.length;
  });
  return file;
}

/** The head of a file up to its table of offsets, which has eight bytes for every `EXR_LINES` rows. */
export const exrHead = (
  width: number,
  height: number,
  channels: ExrChannel[],
  type: "half" | "float",
  chromaticities: readonly number[] | null = null,
): Uint8Array => exrHeader(width, height, byName(channels), type, chromaticities);

/** Rows as the file's blocks, each with its head: `rows` of them from row `y0` of the picture on, a multiple of `EXR_LINES`. */
export function packRows(
  width: number,
  rows: number,
  y0: number,
  channels: ExrChannel[],
  type: "half" | "float",
  pack: (raw: Uint8Array) => Uint8Array,
): Uint8Array[] {
  const sorted = byName(channels);
  const blocks: Uint8Array[] = [];
  for (let from = 0; from < rows; from += LINES) {
    const raw = rawBlock(width, from, Math.min(rows, from + LINES), sorted, type);
    const packed = pack(predict(raw));
    const body = packed.length < raw.length ? packed : raw;
    const block = new Uint8Array(body.length + 8);
    const view = new DataView(block.buffer);
    view.setInt32(0, y0 + from, true);
    view.setInt32(4, body.length, true);
    block.set(body, 8);
    blocks.push(block);
  }
  return blocks;
}

function exrHeader(
  width: number,
  height: number,
  channels: ExrChannel[],
  type: "half" | "float",
  chromaticities: readonly number[] | null,
): Uint8Array {
  const bytes: number[] = [0x76, 0x2f, 0x31, 0x01, 2, 0, 0, 0];
  const text = (s: string) => bytes.push(...Array.from(s, (c) => c.charCodeAt(0) & 127), 0);
  const i32 = (v: number) => bytes.push(v & 255, (v >> 8) & 255, (v >> 16) & 255, (v >> 24) & 255);
  const f32 = (v: number) => bytes.push(...new Uint8Array(new Float32Array([v]).buffer));
  const attribute = (name: string, kind: string, size: number) => {
    text(name);
    text(kind);
    i32(size);
  };
  if (channels.some((c) => c.name.length > 31)) bytes[5] = 4;
  attribute(
    "channels",
    "chlist",
    channels.reduce((n, c) => n + c.name.length + 17, 1),
  );
  for (const channel of channels) {
    text(channel.name);
    i32((channel.type ?? type) === "half" ? 1 : 2);
    bytes.push(0, 0, 0, 0);
    i32(1);
    i32(1);
  }
  bytes.push(0);
  if (chromaticities) {
    attribute("chromaticities", "chromaticities", 32);
    for (const x of chromaticities) f32(x);
  }
  attribute("compression", "compression", 1);
  bytes.push(3);
  for (const name of ["dataWindow", "displayWindow"]) {
    attribute(name, "box2i", 16);
    for (const v of [0, 0, width - 1, height - 1]) i32(v);
  }
  attribute("lineOrder", "lineOrder", 1);
  bytes.push(0);
  attribute("pixelAspectRatio", "float", 4);
  f32(1);
  attribute("screenWindowCenter", "v2f", 8);
  f32(0);
  f32(0);
  attribute("screenWindowWidth", "float", 4);
  f32(1);
  bytes.push(0);
  return Uint8Array.from(bytes);
}

function rawBlock(width: number, y0: number, y1: number, channels: ExrChannel[], type: "half" | "float"): Uint8Array {
  const size = (channel: ExrChannel) => ((channel.type ?? type) === "half" ? 2 : 4);
  const raw = new Uint8Array(width * (y1 - y0) * channels.reduce((n, c) => n + size(c), 0));
  const view = new DataView(raw.buffer);
  let at = 0;
  for (let y = y0; y < y1; y++) {
    for (const channel of channels) {
      const { values, offset = 0, stride = 1 } = channel;
      const bytes = size(channel);
      for (let x = 0; x < width; x++, at += bytes) {
        const value = values[(y * width + x) * stride + offset];
        if (bytes === 2) view.setUint16(at, toHalf(value), true);
        else view.setFloat32(at, value, true);
      }
    }
  }
  return raw;
}

/** The reordering and differences that the format applies before deflating. */
function predict(raw: Uint8Array): Uint8Array {
  const out = new Uint8Array(raw.length);
  const half = (raw.length + 1) >> 1;
  for (let i = 0; i < raw.length; i++) out[i & 1 ? half + (i >> 1) : i >> 1] = raw[i];
  for (let i = out.length - 1; i > 0; i--) out[i] = (out[i] - out[i - 1] + 384) & 255;
  return out;
}

/** Channels R, G, B (and A) of an interleaved picture. */
export function colourChannels(values: Float32Array, stride: 3 | 4, layer = ""): ExrChannel[] {
  return ["R", "G", "B", "A"].slice(0, stride).map((name, offset) => ({ name: layer + name, values, offset, stride }));
}
