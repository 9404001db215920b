import { BufferUtils } from "@gltf-transform/core";

/** The first bytes of a file as text, for telling what it is. */
export const headOf = (bytes: Uint8Array, length = 4096): string => BufferUtils.decodeText(bytes.subarray(0, length));

/** A long text in pieces of whole lines: one string of all of it would take as much again, and its list of lines more. */
export function* linesOf(bytes: Uint8Array, tell?: (share: number) => void): Generator<string> {
  const PIECE = 1 << 20;
  let start = 0;
  while (start < bytes.length) {
    let end = Math.min(bytes.length, start + PIECE);
    if (end < bytes.length) {
      const newline = bytes.lastIndexOf(10, end - 1);
      if (newline >= start) end = newline + 1;
      else {
        const next = bytes.indexOf(10, end);
        end = next < 0 ? bytes.length : next + 1;
      }
    }
    yield* BufferUtils.decodeText(bytes.subarray(start, end)).split(/\r\n|\n|\r/);
    start = end;
    tell?.(start / bytes.length);
  }
}
