import { inflateSync } from "node:zlib";
import { DataUtils } from "three";

/** Every channel of a scan-line EXR file with ZIP compression (openexr.com, "OpenEXR File Layout"), by name. */
export function readChannels(bytes: Uint8Array): Map<string, Float32Array> {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (view.getUint32(0, true) !== 20000630) throw new Error("This is no EXR file.");
  let at = 8;
  const text = () => {
    const start = at;
    while (bytes[at] !== 0) at++;
    return Buffer.from(bytes.subarray(start, at++)).toString("latin1");
  };
  const channels: { name: string; half: boolean }[] = [];
  let [width, height] = [0, 0];
  while (bytes[at] !== 0) {
    const name = text();
    const kind = text();
    const size = view.getInt32(at, true);
    const start = (at += 4);
    if (kind === "chlist") {
      while (bytes[at] !== 0) {
        const channel = text();
        channels.push({ name: channel, half: view.getInt32(at, true) === 1 });
        at += 16;
      }
    }
    if (name === "dataWindow") {
      width = view.getInt32(start + 8, true) + 1;
      height = view.getInt32(start + 12, true) + 1;
    }
    if (name === "compression" && bytes[start] !== 3) throw new Error("The file is not packed with ZIP.");
    at = start + size;
  }
  at++;
  const out = new Map(channels.map((c) => [c.name, new Float32Array(width * height)]));
  const blocks = Math.ceil(height / 16);
  const rowBytes = channels.reduce((n, c) => n + width * (c.half ? 2 : 4), 0);
  for (let b = 0; b < blocks; b++) {
    const block = Number(view.getBigUint64(at + b * 8, true));
    const y0 = view.getInt32(block, true);
    const length = view.getInt32(block + 4, true);
    const rows = Math.min(16, height - y0);
    const stored = bytes.subarray(block + 8, block + 8 + length);
    const raw = length === rows * rowBytes ? Buffer.from(stored) : unpredict(inflateSync(stored));
    let from = 0;
    for (let y = y0; y < y0 + rows; y++) {
      for (const { name, half } of channels) {
        const values = out.get(name)!;
        for (let x = 0; x < width; x++, from += half ? 2 : 4) {
          values[y * width + x] = half ? DataUtils.fromHalfFloat(raw.readUInt16LE(from)) : raw.readFloatLE(from);
        }
      }
    }
  }
  return out;
}

function unpredict(packed: Buffer): Buffer {
  for (let i = 1; i < packed.length; i++) packed[i] = (packed[i - 1] + packed[i] - 128) & 255;
  const out = Buffer.alloc(packed.length);
  const half = (packed.length + 1) >> 1;
  for (let i = 0; i < packed.length; i++) out[i] = packed[i & 1 ? half + (i >> 1) : i >> 1];
  return out;
}
