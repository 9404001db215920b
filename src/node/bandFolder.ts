import { createHash } from "node:crypto";
import { mkdir, open, readFile, rename, rm } from "node:fs/promises";
import path from "node:path";
import type { Band } from "./bands.ts";
import type { PackedPixels, UnpackedFilm } from "#core/trace/sparse";
import { unpackPixels } from "#core/trace/sparse";

const HEAD_BYTES = 32 + 12;

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
    this.key = createHash("sha256").update(name).digest();
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

  /** The film of a kept band, in memory of its own or in `into`, or null if there is none that can be read. */
  async read(
    band: Band,
    width: number,
    stride: number,
    into: Float32Array | null = null,
  ): Promise<UnpackedFilm | null> {
    try {
      const bytes = await readFile(this.fileOf(band));
      if (!bytes.subarray(0, 32).equals(this.key)) return null;
      const head = [0, 4, 8].map((at) => bytes.readUInt32LE(32 + at));
      const rows = band.y1 - band.y0;
      if (head[0] !== width || head[1] !== rows || head[2] !== stride) return null;
      const body = bytes.subarray(HEAD_BYTES);
      const whole = body.byteOffset % 4 === 0 ? body : Uint8Array.from(body);
      const words = new Uint32Array(whole.buffer, whole.byteOffset, whole.length / 4);
      return unpackPixels(words, width * rows, stride, into);
    } catch {
      return null;
    }
  }

  async clear(): Promise<void> {
    await rm(this.folder, { recursive: true, force: true });
  }
}
