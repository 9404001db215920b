import { mkdir, open, readFile, rename, rm } from "node:fs/promises";
import path from "node:path";
import { promisify } from "node:util";
import { deflate, inflate } from "node:zlib";
import type { Passes } from "#core/trace/film";
import { emptyPasses } from "#core/trace/film";
import type { BandKeeper } from "#node/renderShot";

const pack = promisify(deflate);
const unpack = promisify(inflate);

/** Values a pixel of the passes: prop 4, ratio 3, added 3, depth 1. */
const VALUES = 11;

/** Finished bands of one final, a file each, written whole or not at all: what a killed server goes on from. */
export class BandFolder implements BandKeeper {
  constructor(private readonly folder: string) {}

  private fileOf(y0: number): string {
    return path.join(this.folder, `${y0}.band`);
  }

  async keep(band: { y0: number }, passes: Passes): Promise<void> {
    const { width, height, prop, ratio, added, depth } = passes;
    const values = new Float32Array(width * height * VALUES);
    let at = 0;
    for (const pass of [prop, ratio, added, depth]) {
      values.set(pass, at);
      at += pass.length;
    }
    const head = Buffer.from(new Uint32Array([width, height]).buffer);
    const body = await pack(Buffer.from(values.buffer), { level: 1 });
    await mkdir(this.folder, { recursive: true });
    const target = this.fileOf(band.y0);
    const file = await open(`${target}.part`, "w");
    try {
      await file.writeFile(Buffer.concat([head, body]));
      await file.sync();
    } finally {
      await file.close();
    }
    await rename(`${target}.part`, target);
  }

  /** A kept band, or null if there is none that can be read. */
  async read(band: { y0: number }): Promise<Passes | null> {
    try {
      const bytes = await readFile(this.fileOf(band.y0));
      const [width, height] = [bytes.readUInt32LE(0), bytes.readUInt32LE(4)];
      const body = await unpack(bytes.subarray(8));
      const values = new Float32Array(body.buffer.slice(body.byteOffset, body.byteOffset + body.byteLength));
      if (values.length !== width * height * VALUES) return null;
      const passes = emptyPasses(width, height);
      let at = 0;
      for (const pass of [passes.prop, passes.ratio, passes.added, passes.depth]) {
        pass.set(values.subarray(at, at + pass.length));
        at += pass.length;
      }
      return passes;
    } catch {
      return null;
    }
  }

  async clear(): Promise<void> {
    await rm(this.folder, { recursive: true, force: true });
  }
}
