import { createReadStream } from "node:fs";
import type { Zippable } from "fflate";
import { Zip, ZipPassThrough, zipSync } from "fflate";

/** A zip of files as they are, in their order: what is in it is packed already. */
export function storedZip(entries: readonly [string, Uint8Array][]): Uint8Array {
  const all: Zippable = {};
  for (const [name, bytes] of entries) all[name] = [bytes, { level: 0 }];
  return zipSync(all);
}

/** Bytes that a zip without its 64-bit extension can hold. */
export const MOST_ZIPPED = 0xffff_ffff;

/** Files of the disk as a zip, as they are and in their order, piece by piece: none of them is held in memory. */
export async function* zipOfFiles(files: readonly { name: string; path: string }[]): AsyncGenerator<Uint8Array> {
  const ready: Uint8Array[] = [];
  const zip = new Zip((error, piece) => {
    if (error) throw error;
    ready.push(piece);
  });
  for (const { name, path } of files) {
    const entry = new ZipPassThrough(name);
    zip.add(entry);
    for await (const piece of createReadStream(path)) {
      entry.push(piece as Uint8Array);
      yield* ready.splice(0);
    }
    entry.push(new Uint8Array(0), true);
    yield* ready.splice(0);
  }
  zip.end();
  yield* ready;
}
