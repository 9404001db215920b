import type { FileHandle } from "node:fs/promises";
import { open } from "node:fs/promises";

/** Reads as many bytes as there is room for. Throws where there are not so many. */
export async function readWhole(file: FileHandle, into: Uint8Array, from: number): Promise<void> {
  for (let at = 0; at < into.length;) {
    const { bytesRead } = await file.read(into, at, into.length - at, from + at);
    if (bytesRead === 0) throw new RangeError("The file ends early.");
    at += bytesRead;
  }
}

/** A file's bytes in memory that threads share. */
export async function readShared(path: string): Promise<Uint8Array> {
  const file = await open(path, "r");
  try {
    const bytes = new Uint8Array(new SharedArrayBuffer((await file.stat()).size));
    await readWhole(file, bytes, 0);
    return bytes;
  } finally {
    await file.close();
  }
}
