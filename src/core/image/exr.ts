import { zlibSync } from "fflate";

/** One channel of an OpenEXR file, its name in ASCII: `stride` floats from `offset` on, rows from the top. */
export interface ExrChannel {
  name: string;
  values: Float32Array;
  offset?: number;
  stride?: number;
  /** Kind of the stored numbers, that of the file if missing. */
  type?: "half" | "float";
  /** Each value is one of a sum: it is divided by its pixel's count. */
  over?: { counts: Float32Array; empty: number };
  /** True where all values are known to be 0, and to stay so. */
  zero?: boolean;
}

/** A sentence that a file says of itself: an attribute of kind string. */
export interface ExrText {
  name: string;
  value: string;
}

/** Rows that are packed together (ZIP compression). */
export const EXR_LINES = 16;
const LINES = EXR_LINES;

/** Bits of the IEEE 754 half nearest to a float, ties to even; out of range becomes infinity. */
export function toHalf(value: number): number {
  scratchFloat[0] = value;
  return halfOfBits(scratchBits[0]);
}

/** The same of a float's bits. */
function halfOfBits(bits: number): number {
  const sign = (bits >>> 16) & 0x8000;
  const magnitude = bits & 0x7fffffff;
  if (magnitude > 0x7f800000) return sign | 0x7e00;
  if (magnitude >= 0x477ff000) return sign | 0x7c00;
  if (magnitude < 0x38800000) {
    scratchBits[0] = magnitude;
    return sign | roundHalfEven(scratchFloat[0] * 16777216);
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
  texts: readonly ExrText[] = [],
  pack: (raw: Uint8Array) => Uint8Array = (raw) => zlibSync(raw, { level: 6 }),
): Uint8Array<ArrayBuffer> {
  const header = exrHeader(width, height, byName(channels), type, chromaticities, texts);
  const blocks = packRows(width, height, 0, channels, type, pack);
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

/**
 * Bytes of rows y0 to y1 of channels in the order of their names, reordered and as differences as the format applies them
 * before deflating: the even bytes first, then the odd ones, each less the one before it. They stand until the next are asked for.
 */
export type BlockBytes = (
  width: number,
  y0: number,
  y1: number,
  channels: ExrChannel[],
  type: "half" | "float",
) => Uint8Array;

/** True where values from `first` to `end` are each the one that stands `stride` before it, from the `stride`th on. */
export type Repeats = (values: Float32Array, stride: number, first: number, end: number) => boolean;

/** What makes blocks of channels; the kernel has its own. */
export interface BlockMaker {
  bytesOf: BlockBytes;
  repeats: Repeats;
}

/** Rows as the file's blocks, each with its head: `rows` of them from row `y0` of the picture on, a multiple of `EXR_LINES`. */
export function packRows(
  width: number,
  rows: number,
  y0: number,
  channels: ExrChannel[],
  type: "half" | "float",
  pack: (raw: Uint8Array) => Uint8Array,
  { bytesOf, repeats }: BlockMaker = { bytesOf: predictedBlock, repeats: repeating },
): Uint8Array[] {
  const sorted = byName(channels);
  const blocks: Uint8Array[] = [];
  /** Blocks of nothing but one value a channel, as large parts of a picture are. */
  const even = new Map<string, Uint8Array>();
  for (let from = 0; from < rows; from += LINES) {
    const to = Math.min(rows, from + LINES);
    const key = evenKey(width, from, to, sorted, repeats);
    let body = key === null ? undefined : even.get(key);
    if (!body) {
      const raw = bytesOf(width, from, to, sorted, type);
      const packed = pack(raw);
      body = packed.length < raw.length ? packed : unpredicted(raw);
      if (key !== null) even.set(key, body);
    }
    const block = new Uint8Array(body.length + 8);
    const view = new DataView(block.buffer);
    view.setInt32(0, y0 + from, true);
    view.setInt32(4, body.length, true);
    block.set(body, 8);
    blocks.push(block);
  }
  return blocks;
}

/** Pixels between those that are looked at first: most channels that are not even show it there. */
const PEEK = 61;
/** Pixels that are looked at for all channels before the next ones are: channels that lie interleaved share memory. */
const NEAR = 1024;
/** Name of the channel that was not even last time: it is looked at first. */
let uneven = "";

/** What tells a block of even channels from another; null where some channel is not even. */
function evenKey(width: number, y0: number, y1: number, channels: ExrChannel[], repeats: Repeats): string | null {
  const [first, end] = [y0 * width, y1 * width];
  const open = channels.filter(({ zero }) => !zero);
  const likely = channels.filter(({ name }) => name === uneven);
  const found = unevenOf([...likely, ...open], first, end, repeats);
  if (found) {
    uneven = found.name;
    return null;
  }
  const values = channels.map(({ values: all, offset = 0, stride = 1, over, zero }) => {
    const value = zero ? 0 : all[first * stride + offset];
    // A sum of nothing is 0 whatever its count, but where there is no count at all.
    return over && over.empty !== 0 && !(over.counts[first] > 0) ? over.empty : value;
  });
  return [y1 - y0, ...values].join();
}

/** A channel that is not even from pixel `first` to `end`, if there is one. */
function unevenOf(channels: ExrChannel[], first: number, end: number, repeats: Repeats): ExrChannel | undefined {
  const peeked = channels.find((channel) => !isEven(channel, first, first, end, PEEK));
  if (peeked) return peeked;
  const open = withoutRepeating(channels, first, end, repeats);
  for (let from = first; from < end; from += NEAR) {
    const found = open.find((channel) => !isEven(channel, first, from, Math.min(end, from + NEAR), 1));
    if (found) return found;
  }
}

/** Channels but for those that are all that their memory holds there, the same in every pixel: that is seen going straight through it. */
function withoutRepeating(channels: ExrChannel[], first: number, end: number, repeats: Repeats): ExrChannel[] {
  const groups = new Map<Float32Array, ExrChannel[]>();
  for (const channel of channels) groups.set(channel.values, [...(groups.get(channel.values) ?? []), channel]);
  return [...groups].flatMap(([values, group]) => {
    const { stride = 1 } = group[0];
    const plain = group.every((channel) => !channel.over && (channel.stride ?? 1) === stride);
    const whole = plain && new Set(group.map(({ offset = 0 }) => offset)).size === stride;
    return whole && repeats(values, stride, first * stride, end * stride) ? [] : group;
  });
}

/** `Repeats` without the kernel. */
export function repeating(values: Float32Array, stride: number, first: number, end: number): boolean {
  for (let i = first + stride; i < end; i++) if (values[i] !== values[i - stride]) return false;
  return true;
}

/** True of a channel that has the value of pixel `first` in every `step`th pixel from `from` to `end`. */
function isEven(
  { values, offset = 0, stride = 1, over }: ExrChannel,
  first: number,
  from: number,
  end: number,
  step: number,
): boolean {
  const value = values[first * stride + offset];
  if (over && value !== 0) return false;
  for (let i = from, at = from * stride + offset; i < end; i += step, at += step * stride)
    if (values[at] !== value) return false;
  if (!over || over.empty === 0) return true;
  const none = over.counts[first] > 0;
  for (let i = from; i < end; i += step) if (over.counts[i] > 0 !== none) return false;
  return true;
}

function exrHeader(
  width: number,
  height: number,
  channels: ExrChannel[],
  type: "half" | "float",
  chromaticities: readonly number[] | null,
  texts: readonly ExrText[] = [],
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
  for (const { name, value } of texts) {
    // Signs beyond ASCII are read in different ways.
    const plain = Array.from(value, (c) => (c.charCodeAt(0) < 127 ? c.charCodeAt(0) : 63));
    attribute(name, "string", plain.length);
    bytes.push(...plain);
  }
  bytes.push(0);
  return Uint8Array.from(bytes);
}

/** A channel as the inner loops want it. */
interface PlannedChannel {
  values: Float32Array;
  bits: Uint32Array;
  offset: number;
  stride: number;
  counts: Float32Array | null;
  empty: number;
  half: boolean;
  /** Its place in a row, as pairs of bytes. */
  at: number;
}

/** Pixels that are taken in hand together, so that channels that lie interleaved are read from the nearest memory. */
const CHUNK = 64;
let blockMemory = new Uint8Array(0);

/** `BlockBytes` without the kernel. */
function predictedBlock(
  width: number,
  y0: number,
  y1: number,
  channels: ExrChannel[],
  type: "half" | "float",
): Uint8Array {
  let rowPairs = 0;
  const planned: PlannedChannel[] = [];
  for (const channel of channels) {
    const { values, offset = 0, stride = 1, over, zero } = channel;
    const half = (channel.type ?? type) === "half";
    const bits = new Uint32Array(values.buffer, values.byteOffset, values.length);
    if (!zero)
      planned.push({
        values,
        bits,
        offset,
        stride,
        counts: over?.counts ?? null,
        empty: over?.empty ?? 0,
        half,
        at: rowPairs,
      });
    rowPairs += half ? width : 2 * width;
  }
  const length = 2 * rowPairs * (y1 - y0);
  if (blockMemory.length < length) blockMemory = new Uint8Array((length + 3) & ~3);
  // Bytes of channels that are 0 all over do not differ.
  const out = blockMemory.subarray(0, length).fill(128);
  const ranges = rangesOf(planned, width, rowPairs, 2 * (y1 - y0));
  for (const [from, to] of ranges) out.fill(0, from, to);
  for (let y = y0; y < y1; y++)
    for (let x0 = 0; x0 < width; x0 += CHUNK)
      for (const channel of planned) {
        const write = channel.half ? writeHalves : writeFloats;
        write(channel, y * width + x0, Math.min(CHUNK, width - x0), out, (y - y0) * rowPairs, x0, length >> 1);
      }
  // The first byte has none before it.
  const first = planned.length > 0 && ranges[0][0] === 0 ? out[0] : 0;
  for (const [from, to] of ranges) differences(out, from, Math.min(to, length));
  if (length > 0) out[0] = first;
  return out;
}

/** Ranges of whole words that hold the bytes of such channels in all rows, and the byte after them. */
function rangesOf(planned: PlannedChannel[], width: number, rowPairs: number, rows: number): [number, number][] {
  const ranges: [number, number][] = [];
  for (let row = 0; row < rows; row++)
    for (const { at, half } of planned) {
      const from = (row * rowPairs + at) & ~3;
      const to = (row * rowPairs + at + (half ? width : 2 * width) + 4) & ~3;
      const last = ranges.at(-1);
      if (last && from <= last[1]) last[1] = to;
      else ranges.push([from, to]);
    }
  return ranges;
}

/** Every byte of a range less the one before it, and 128; four at a time (little-endian). Before it and behind it are zeros. */
function differences(bytes: Uint8Array, from: number, to: number): void {
  const whole = from + ((to - from) & ~3);
  for (let i = to - 1; i >= whole && i > 0; i--) bytes[i] = bytes[i] - bytes[i - 1] + 128;
  const words = new Int32Array(bytes.buffer, from, (whole - from) >> 2);
  for (let w = 0, before = 0; w < words.length; w++) {
    const own = words[w];
    const shifted = (own << 8) | before;
    before = own >>> 24;
    words[w] = ((own | 0x80808080) - (shifted & 0x7f7f7f7f)) ^ ((own ^ shifted) & 0x80808080);
  }
}

function writeHalves(
  { values, bits, offset, stride, counts, empty, at }: PlannedChannel,
  pixel: number,
  count: number,
  out: Uint8Array,
  row: number,
  x0: number,
  odd: number,
): void {
  let q = row + at + x0;
  let i = pixel * stride + offset;
  for (let x = pixel; x < pixel + count; x++, i += stride, q++) {
    let word = bits[i];
    if (counts !== null) {
      const n = counts[x];
      if (n > 0) {
        if (word !== 0 && n !== 1) {
          scratchFloat[0] = values[i] / n;
          word = scratchBits[0];
        }
      } else if (empty === 0) continue;
      else {
        scratchFloat[0] = empty;
        word = scratchBits[0];
      }
    }
    if (word === 0) continue;
    const magnitude = word & 0x7fffffff;
    const half =
      magnitude >= 0x38800000 && magnitude < 0x477ff000
        ? ((word >>> 16) & 0x8000) | ((magnitude + 0xfff + ((magnitude >>> 13) & 1) - 0x38000000) >>> 13)
        : halfOfBits(word);
    out[q] = half;
    out[odd + q] = half >>> 8;
  }
}

function writeFloats(
  { values, bits, offset, stride, counts, empty, at }: PlannedChannel,
  pixel: number,
  count: number,
  out: Uint8Array,
  row: number,
  x0: number,
  odd: number,
): void {
  let q = row + at + 2 * x0;
  let i = pixel * stride + offset;
  for (let x = pixel; x < pixel + count; x++, i += stride, q += 2) {
    let word = bits[i];
    if (counts !== null) {
      scratchFloat[0] = counts[x] > 0 ? values[i] / counts[x] : empty;
      word = scratchBits[0];
    }
    if (word === 0) continue;
    out[q] = word;
    out[odd + q] = word >>> 8;
    out[q + 1] = word >>> 16;
    out[odd + q + 1] = word >>> 24;
  }
}

/** The bytes in their own order again: a block that packing would make larger is stored as it is. */
function unpredicted(bytes: Uint8Array): Uint8Array {
  const sums = bytes.slice();
  for (let i = 1; i < sums.length; i++) sums[i] = sums[i - 1] + sums[i] - 128;
  const half = (sums.length + 1) >> 1;
  return Uint8Array.from({ length: sums.length }, (_, i) => sums[i & 1 ? half + (i >> 1) : i >> 1]);
}

/** Channels R, G, B (and A) of an interleaved picture. */
export function colourChannels(values: Float32Array, stride: 3 | 4, layer = ""): ExrChannel[] {
  return ["R", "G", "B", "A"].slice(0, stride).map((name, offset) => ({ name: layer + name, values, offset, stride }));
}
