/** Why an EXR file cannot be read, in a sentence for its user. */
export class ExrError extends Error {}

const MOST = { pixels: 128_000_000, side: 65_536, channels: 256, header: 1 << 20 };
/** Rows in a block of each compression (openexr.com, "OpenEXR File Layout"). */
const BLOCK_ROWS: Record<number, number> = { 0: 1, 1: 1, 2: 1, 3: 16, 4: 32, 5: 16, 6: 32, 7: 32, 8: 32, 9: 256 };
const COMPRESSIONS = Object.keys(BLOCK_ROWS).length;

export const damaged = (what: string): ExrError =>
  new ExrError(`The EXR file is damaged: ${what}. Copy or save it again.`);

export const isExr = (b: Uint8Array): boolean => [0x76, 0x2f, 0x31, 0x01].every((x, i) => b[i] === x);

/** What the head of a scan-line file says. */
export interface ExrHeader {
  width: number;
  height: number;
  /** Number of its first row. */
  y0: number;
  /** In the order in which they lie in the file. */
  channels: { name: string; type: "uint" | "half" | "float" }[];
  compression: number;
  blockRows: number;
  /** Address of the table of blocks. */
  end: number;
  /** Address of the box of its rows and columns. */
  boxAt: number;
  /** CIE x and y of red, green, blue and white; null where the file leaves them to Rec. 709. */
  chromaticities: number[] | null;
  /** Its rows and columns are all of the frame that it says it is shown in. */
  fillsFrame: boolean;
  /** Width of a pixel over its height. */
  pixelAspect: number;
}

const TYPES = ["uint", "half", "float"] as const;

function sizeOfBox(box: Uint8Array) {
  const window = new DataView(box.buffer, box.byteOffset, 16);
  const [x0, y0, x1, y1] = [0, 4, 8, 12].map((at) => window.getInt32(at, true));
  return { y0, y1, width: x1 - x0 + 1, height: y1 - y0 + 1 };
}

/** Size that the first bytes of an EXR file tell; null where they do not. Throws ExrError. */
export function exrSize(bytes: Uint8Array): { width: number; height: number } | null {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const box = isExr(bytes) ? readAttributes(bytes, view).attributes.get("dataWindow") : undefined;
  return box?.length === 16 ? sizeOfBox(box) : null;
}

/**
 * Reads the head of an EXR file and checks it against the file: sizes that a picture has, blocks that lie within it.
 * Tiled, deep and multi-part files are refused. Throws ExrError.
 */
export function checkExr(bytes: Uint8Array, mostPixels = MOST.pixels): ExrHeader {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.length < 16 || view.getUint32(0, true) !== 20000630) throw new ExrError("This is not an EXR file.");
  if (bytes[4] !== 2) throw new ExrError(`The EXR file is of version ${bytes[4]}; version 2 can be read.`);
  if (bytes[5] & 0x1a || bytes[5] & ~0x1f || bytes[6] || bytes[7])
    throw new ExrError("The EXR file is tiled, deep or of several parts. Save it as one part of scan lines.");
  const { attributes, end } = readAttributes(bytes, view);
  const box = attributes.get("dataWindow");
  const packing = attributes.get("compression");
  const list = attributes.get("channels");
  if (box?.length !== 16 || packing?.length !== 1 || !list) throw damaged("its head is incomplete");
  const { y0, y1, width, height } = sizeOfBox(box);
  if (!(width >= 1 && height >= 1 && width <= MOST.side && height <= MOST.side) || width * height > mostPixels)
    throw damaged(`it says that it has ${width} × ${height} pixels`);
  const compression = packing[0];
  if (compression >= COMPRESSIONS) throw damaged("its compression is of no known kind");
  const channels = readChannelList(list);
  const blocks = Math.ceil(height / BLOCK_ROWS[compression]);
  if (end + blocks * 8 > bytes.length) throw damaged("it is cut short");
  for (let i = 0; i < blocks; i++) {
    const at = Number(view.getBigUint64(end + i * 8, true));
    if (at < end + blocks * 8 || at + 8 > bytes.length) throw damaged("its rows are not where it says");
    const row = view.getInt32(at, true);
    const length = view.getInt32(at + 4, true);
    if (row < y0 || row > y1 || length < 0 || at + 8 + length > bytes.length) throw damaged("its rows are cut short");
  }
  return {
    width,
    height,
    y0,
    channels,
    compression,
    blockRows: BLOCK_ROWS[compression],
    end,
    boxAt: box.byteOffset - bytes.byteOffset,
    chromaticities: chromaticitiesOf(attributes),
    fillsFrame: fillsFrame(box, attributes.get("displayWindow")),
    pixelAspect: pixelAspectOf(attributes.get("pixelAspectRatio")),
  };
}

const fillsFrame = (data: Uint8Array, frame: Uint8Array | undefined): boolean =>
  frame?.length !== 16 || data.every((byte, i) => byte === frame[i]);

function pixelAspectOf(own: Uint8Array | undefined): number {
  const aspect = own?.length === 4 ? new DataView(own.buffer, own.byteOffset, 4).getFloat32(0, true) : 1;
  return aspect > 0 && Number.isFinite(aspect) ? aspect : 1;
}

function chromaticitiesOf(attributes: Map<string, Uint8Array>): number[] | null {
  const own = attributes.get("chromaticities");
  if (own?.length !== 32) return null;
  const view = new DataView(own.buffer, own.byteOffset, 32);
  const values = Array.from({ length: 8 }, (_, i) => view.getFloat32(i * 4, true));
  return values.every((x) => Number.isFinite(x) && Math.abs(x) < 2) ? values : null;
}

function readAttributes(bytes: Uint8Array, view: DataView): { attributes: Map<string, Uint8Array>; end: number } {
  const attributes = new Map<string, Uint8Array>();
  const limit = Math.min(bytes.length, MOST.header);
  let at = 8;
  const text = (): string => {
    const from = at;
    while (at < limit && bytes[at] !== 0) at++;
    if (at >= limit || at - from > 255) throw damaged("its head does not end");
    return String.fromCharCode(...bytes.subarray(from, at++));
  };
  for (let name = text(); name !== ""; name = text()) {
    text();
    if (at + 4 > limit) throw damaged("its head does not end");
    const size = view.getInt32(at, true);
    at += 4;
    if (size < 0 || at + size > limit) throw damaged(`“${name}” in its head is longer than the head`);
    attributes.set(name, bytes.subarray(at, at + size));
    at += size;
  }
  return { attributes, end: at };
}

function readChannelList(list: Uint8Array): ExrHeader["channels"] {
  const channels: ExrHeader["channels"] = [];
  const view = new DataView(list.buffer, list.byteOffset, list.byteLength);
  let at = 0;
  while (at < list.length && list[at] !== 0) {
    const from = at;
    while (at < list.length && list[at] !== 0) at++;
    const name = String.fromCharCode(...list.subarray(from, Math.min(at, from + 255)));
    if (at + 17 > list.length || channels.length >= MOST.channels) throw damaged("its list of channels is cut short");
    const [type, across, down] = [1, 9, 13].map((o) => view.getInt32(at + o, true));
    if (type < 0 || type > 2) throw damaged(`its channel “${name}” is of no known kind`);
    if (across !== 1 || down !== 1)
      throw new ExrError(`The channel “${name}” of the EXR file is smaller than the picture, which cannot be read.`);
    if (channels.some((c) => c.name === name)) throw damaged(`it has two channels “${name}”`);
    channels.push({ name, type: TYPES[type] });
    at += 17;
  }
  if (channels.length === 0) throw damaged("it has no channels");
  return channels;
}
