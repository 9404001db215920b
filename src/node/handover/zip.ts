import type { Zippable } from "fflate";
import { zipSync } from "fflate";

/** A zip of files as they are, in their order: what is in it is packed already. */
export function storedZip(entries: readonly [string, Uint8Array][]): Uint8Array {
  const all: Zippable = {};
  for (const [name, bytes] of entries) all[name] = [bytes, { level: 0 }];
  return zipSync(all);
}
