import { createHash } from "node:crypto";
import { mkdir, open, readFile, rename, rm } from "node:fs/promises";
import path from "node:path";
import { promisify } from "node:util";
import { deflate, inflate } from "node:zlib";
import type { Band } from "./renderScene.ts";

const pack = promisify(deflate);
const unpack = promisify(inflate);

const HEAD_BYTES = 32 + 12;

/**
 * Finished bands of one render as films of sums, a file each, written whole or not at all: what a killed server goes on
 * from. `key` names what is rendered; bands of anything else are not read.
 */
export class BandFolder {
  private readonly key: Buffer;

  constructor(
    private readonly folder: string,
    key: string,
  ) {
    this.key = createHash("sha256").update(key).digest();
  }

  private fileOf(band: Band): string {
    return path.join(this.folder, `${band.y0}.band`);
  }

  /** Writes a band's film. */
  async keep(band: Band, width: number, stride: number, film: Float32Array): Promise<void> {
    const head = Buffer.from(new Uint32Array([width, band.y1 - band.y0, stride]).buffer);
    const body = await pack(Buffer.from(film.slice().buffer), { level: 1 });
    await mkdir(this.folder, { recursive: true });
    const target = this.fileOf(band);
    const file = await open(`${target}.part`, "w");
    try {
      await file.writeFile(Buffer.concat([this.key, head, body]));
      await file.sync();
    } finally {
      await file.close();
    }
    await rename(`${target}.part`, target);
  }

  /** The film of a kept band, or null if there is none that can be read. */
  async read(band: Band, width: number, stride: number): Promise<Float32Array | null> {
    try {
      const bytes = await readFile(this.fileOf(band));
      if (!bytes.subarray(0, 32).equals(this.key)) return null;
      const head = [0, 4, 8].map((at) => bytes.readUInt32LE(32 + at));
      const rows = band.y1 - band.y0;
      if (head[0] !== width || head[1] !== rows || head[2] !== stride) return null;
      const body = await unpack(bytes.subarray(HEAD_BYTES));
      // Copied only where the bytes do not stand on a whole float.
      const whole = body.byteOffset % 4 === 0 ? body : Buffer.from(body);
      const film = new Float32Array(whole.buffer, whole.byteOffset, whole.byteLength / 4);
      return film.length === width * rows * stride ? film : null;
    } catch {
      return null;
    }
  }

  async clear(): Promise<void> {
    await rm(this.folder, { recursive: true, force: true });
  }
}
