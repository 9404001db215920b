import type { ExrHeader } from "./exrCheck.ts";

/**
 * Blocks of a scan-line file that was checked, `from` to before `to`, as a file of their own (openexr.com, "OpenEXR File
 * Layout"): a reader that takes whole pictures only then holds some rows of a large one.
 */
export function exrBand(bytes: Uint8Array, header: ExrHeader, from: number, to: number): Uint8Array<ArrayBuffer> {
  const { height, y0, blockRows, end, boxAt } = header;
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const blocks = Array.from({ length: to - from }, (_, i) => {
    const at = Number(view.getBigUint64(end + (from + i) * 8, true));
    return bytes.subarray(at, at + 8 + view.getInt32(at + 4, true));
  });
  const table = end + blocks.length * 8;
  const band = new Uint8Array(blocks.reduce((size, block) => size + block.length, table));
  band.set(bytes.subarray(0, end));
  const out = new DataView(band.buffer);
  out.setInt32(boxAt + 4, y0 + from * blockRows, true);
  out.setInt32(boxAt + 12, y0 + Math.min(height, to * blockRows) - 1, true);
  let at = table;
  blocks.forEach((block, i) => {
    out.setBigUint64(end + i * 8, BigInt(at), true);
    band.set(block, at);
    at += block.length;
  });
  return band;
}
