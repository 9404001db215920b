// What the tracer's module is compiled from, and with: who compiles it and who uses it reckon the same hash.
import { createHash } from "node:crypto";
import { readFileSync, readdirSync } from "node:fs";
import { fileURLToPath } from "node:url";
import path from "node:path";

export const kernelSource = fileURLToPath(new URL("../src/kernel", import.meta.url));

export const kernelFlags = [
  "-O3",
  "--noAssert",
  "--runtime",
  "stub",
  "--use",
  "abort=",
  "--enable",
  "simd",
  "--enable",
  "threads",
  "--enable",
  "bulk-memory",
  "--importMemory",
  "--sharedMemory",
  "--initialMemory",
  "64",
  "--maximumMemory",
  "65536",
];

/** Up to which size, in instructions, functions are laid into their callers: any, those that call no other, those called once. */
export const INLINING = { always: 60, whereCheap: 100, oneCaller: 100000 };

/** Hash of everything that the module is compiled from. */
export function kernelHash(source = kernelSource) {
  const hash = createHash("sha256").update(JSON.stringify([kernelFlags, INLINING]));
  const names = readdirSync(source).filter((n) => n.endsWith(".ts"));
  for (const name of names.sort()) hash.update(name).update(readFileSync(path.join(source, name)));
  return hash.digest("hex");
}
