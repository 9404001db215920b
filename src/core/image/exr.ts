import { zlibSync } from "fflate";

/** One channel of an OpenEXR file, its name in ASCII: `stride` floats from `offset` on, rows from the top. */
export interface ExrChannel {
  name: string;
  values: Float32Array;
  offset?: number;
  stride?: number;
}

const LINES = 16;

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

/**
 * An OpenEXR 2 scan-line file with ZIP compression (openexr.com, "OpenEXR File Layout"). Channels are written in the
 * order of their names, as the format asks; layers are names with a dot.
 */
export function writeExr(
  width: number,
  height: number,
  channels: ExrChannel[],
  type: "half" | "float" = "half",
): Uint8Array<ArrayBuffer> {
  const sorted = [...channels].sort((a, b) => (a.name < b.name ? -1 : a.name > b.name ? 1 : 0));
  const header = exrHeader(width, height, sorted, type);
  const chunks = Math.ceil(height / LINES);
  const blocks: Uint8Array[] = [];
  for (let i = 0; i < chunks; i++) {
    const raw = rawBlock(width, i * LINES, Math.min(height, (i + 1) * LINES), sorted, type);
    const packed = zlibSync(predict(raw), { level: 6 });
    blocks.push(packed.length < raw.length ? packed : raw);
  }
  const total = header.length + chunks * 8 + blocks.reduce((n, b) => n + b.length + 8, 0);
  const file = new Uint8Array(total);
  const view = new DataView(file.buffer);
  file.set(header);
  let at = header.length + chunks * 8;
  blocks.forEach((block, i) => {
    view.setBigUint64(header.length + i * 8, BigInt(at), true);
    view.setInt32(at, i * LINES, true);
    view.setInt32(at + 4, block.length, true);
    file.set(block, at + 8);
    at += block.length + 8;
  });
  return file;
}

function exrHeader(width: number, height: number, channels: ExrChannel[], type: "half" | "float"): Uint8Array {
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
    i32(type === "half" ? 1 : 2);
    bytes.push(0, 0, 0, 0);
    i32(1);
    i32(1);
  }
  bytes.push(0);
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
  const size = type === "half" ? 2 : 4;
  const raw = new Uint8Array(width * (y1 - y0) * channels.length * size);
  const view = new DataView(raw.buffer);
  let at = 0;
  for (let y = y0; y < y1; y++) {
    for (const { values, offset = 0, stride = 1 } of channels) {
      for (let x = 0; x < width; x++, at += size) {
        const value = values[(y * width + x) * stride + offset];
        if (type === "half") view.setUint16(at, toHalf(value), true);
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
