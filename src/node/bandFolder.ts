import { createHash } from "node:crypto";
import type { FileHandle } from "node:fs/promises";
import { mkdir, open, rename, rm } from "node:fs/promises";
import path from "node:path";
import type { PackedPixels, Packing, UnpackedFilm } from "#core/trace/sparse";
import { unpackPixels } from "#core/trace/sparse";
import type { Band } from "./bands.ts";
import { readWhole } from "./readWhole.ts";

/** Part of the key, so that bands packed otherwise by an older server are not read. */
const FORMAT = "twins ";
const KEY_BYTES = 32;
const HEAD_BYTES = KEY_BYTES + 12;

/**
 * Finished bands of one render as films of sums, a file each, written whole or not at all: what a killed server goes on
 * from. `name` says what is rendered; bands of anything else are not read.
 */
export class BandFolder {
  private readonly key: Buffer;

  constructor(
    readonly folder: string,
    readonly name: string,
  ) {
    this.key = createHash("sha256")
      .update(FORMAT + name)
      .digest();
  }

  private fileOf(band: Band): string {
    return path.join(this.folder, `${band.y0}.band`);
  }

  /** Writes a band's film. */
  async keep(band: Band, width: number, stride: number, packed: readonly PackedPixels[]): Promise<void> {
    const head = Buffer.from(new Uint32Array([width, band.y1 - band.y0, stride]).buffer);
    const parts = [...packed.map(({ masks }) => masks), ...packed.map(({ words }) => words)];
    await mkdir(this.folder, { recursive: true });
    const target = this.fileOf(band);
    const file = await open(`${target}.part`, "w");
    try {
      await file.writev([this.key, head, ...parts]);
      await file.sync();
    } finally {
      await file.close();
    }
    await rename(`${target}.part`, target);
  }

  /** The film of a kept band, or null if there is none that can be read. */
  async read(band: Band, width: number, packing: Packing): Promise<UnpackedFilm | null> {
    const words = await this.readPacked(band, width, packing.stride);
    return words && unpackPixels(words, width * (band.y1 - band.y0), packing);
  }

  /** The same as it is packed, in memory of its own or in that of `room`. */
  async readPacked(
    band: Band,
    width: number,
    stride: number,
    room: (words: number) => Uint32Array = (words) => new Uint32Array(words),
  ): Promise<Uint32Array | null> {
    let file: FileHandle | null = null;
    try {
      file = await open(this.fileOf(band), "r");
      const head = new Uint8Array(HEAD_BYTES);
      await readWhole(file, head, 0);
      if (!this.key.equals(head.subarray(0, KEY_BYTES))) return null;
      const [w, h, s] = new Uint32Array(head.buffer, KEY_BYTES);
      if (w !== width || h !== band.y1 - band.y0 || s !== stride) return null;
      const words = room(((await file.stat()).size - HEAD_BYTES) / 4);
      await readWhole(file, new Uint8Array(words.buffer, words.byteOffset, words.byteLength), HEAD_BYTES);
      return words;
    } catch {
      return null;
    } finally {
      await file?.close();
    }
  }

  async clear(): Promise<void> {
    await rm(this.folder, { recursive: true, force: true });
  }
}
