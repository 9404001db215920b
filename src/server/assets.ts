import { createHash, randomUUID } from "node:crypto";
import { createReadStream, existsSync } from "node:fs";
import { mkdir, open, readFile, rename, rm } from "node:fs/promises";
import path from "node:path";

/** Content-addressed files: the name is the SHA-256 of the bytes. */
export class AssetStore {
  constructor(private readonly folder: string) {}

  pathOf(hash: string): string {
    return path.join(this.folder, hash.slice(0, 2), hash);
  }

  has(hash: string): boolean {
    return existsSync(this.pathOf(hash));
  }

  /** Writes the bytes under their hash: to a temporary file, flushed, then renamed, so that no half file is ever seen. */
  async put(bytes: Uint8Array): Promise<string> {
    const hash = createHash("sha256").update(bytes).digest("hex");
    const target = this.pathOf(hash);
    if (existsSync(target)) return hash;
    await mkdir(path.dirname(target), { recursive: true });
    const temporary = `${target}.${randomUUID()}`;
    try {
      const file = await open(temporary, "w");
      try {
        await file.writeFile(bytes);
        await file.sync();
      } finally {
        await file.close();
      }
      await rename(temporary, target);
    } catch (error) {
      await rm(temporary, { force: true });
      throw error;
    }
    return hash;
  }

  /** Takes over a finished file on the same disk: by renaming, without reading it into memory. */
  async take(file: string): Promise<string> {
    const sum = createHash("sha256");
    for await (const chunk of createReadStream(file)) sum.update(chunk as Buffer);
    const hash = sum.digest("hex");
    const target = this.pathOf(hash);
    await mkdir(path.dirname(target), { recursive: true });
    if (existsSync(target)) await rm(file, { force: true });
    else await rename(file, target);
    return hash;
  }

  async get(hash: string): Promise<Uint8Array> {
    return new Uint8Array(await readFile(this.pathOf(hash)));
  }
}
