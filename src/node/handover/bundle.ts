import { readFile } from "node:fs/promises";
import type { Exporter } from "./exporter.ts";
import { storedZip } from "./zip.ts";

/** The file that says what a bundle is. */
export const BUNDLE_HEAD = "red-harbor-shot.json";

export interface BundleHead {
  bundle: 1;
  shot: unknown;
  takes: { name: string; createdAt: string; thumbnail: string; document: unknown }[];
}

/** Document, takes, and every file that they name, under its SHA-256. */
export const bundle: Exporter = {
  write: async ({ document, takes, assets }, sink) => {
    const head: BundleHead = { bundle: 1, shot: document, takes };
    const entries: [string, Uint8Array][] = [[BUNDLE_HEAD, new TextEncoder().encode(JSON.stringify(head))]];
    for (const [hash, file] of Object.entries(assets))
      entries.push([`assets/${hash}`, new Uint8Array(await readFile(file))]);
    await sink.put("shot", "zip", storedZip(entries));
  },
};
