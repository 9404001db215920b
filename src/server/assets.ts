import { createHash, randomUUID } from "node:crypto";
import { createReadStream, existsSync } from "node:fs";
import { mkdir, open, readFile, readdir, rename, rm, stat, utimes } from "node:fs/promises";
import path from "node:path";

const HOUR = 3_600_000;
/** How long a file stays that nothing names: a browser may still hold the edit that will. */
const UNNAMED = 7 * 24 * HOUR;

/** Content-addressed files: the name is the SHA-256 of the bytes. */
export class AssetStore {
  /** Files that were brought in a moment ago and that nothing names yet. */
  private readonly fresh = new Map<string, number>();

  constructor(private readonly folder: string) {}

  /** Where files lie while they come in. */
  get incoming(): string {
    return path.join(this.folder, "incoming");
  }

  pathOf(hash: string): string {
    return path.join(this.folder, hash.slice(0, 2), hash);
  }

  has(hash: string): boolean {
    return existsSync(this.pathOf(hash));
  }

  /** A path for a new file on the same disk. */
  async newPath(): Promise<string> {
    await mkdir(this.incoming, { recursive: true });
    return path.join(this.incoming, randomUUID());
  }

  /** Writes the bytes under their hash: to a temporary file, flushed, then renamed, so that no half file is ever seen. */
  async put(bytes: Uint8Array): Promise<string> {
    const temporary = await this.newPath();
    try {
      const file = await open(temporary, "w");
      try {
        await file.writeFile(bytes);
        await file.sync();
      } finally {
        await file.close();
      }
      return await this.take(temporary, createHash("sha256").update(bytes).digest("hex"));
    } catch (error) {
      await rm(temporary, { force: true });
      throw error;
    }
  }

  /** Takes over a finished file on the same disk by renaming it; its hash is reckoned if it is not given. */
  async take(file: string, hash?: string): Promise<string> {
    const name = hash ?? (await hashOf(file));
    const target = this.pathOf(name);
    this.fresh.set(name, Date.now());
    if (file === target) return name;
    await mkdir(path.dirname(target), { recursive: true });
    if (existsSync(target)) {
      await rm(file, { force: true });
      // Brought in again: not to be swept for its age.
      await utimes(target, new Date(), new Date()).catch(() => undefined);
    } else await rename(file, target);
    return name;
  }

  async get(hash: string): Promise<Uint8Array> {
    return new Uint8Array(await readFile(this.pathOf(hash)));
  }

  /** Deletes files by hash, but those brought in within the last hour. */
  async drop(hashes: Iterable<string>): Promise<void> {
    for (const hash of hashes) {
      if (Date.now() - (this.fresh.get(hash) ?? 0) < HOUR) continue;
      await rm(this.pathOf(hash), { force: true });
    }
  }

  /** Once a document names it, a file is no longer one that is waiting for its name. */
  settle(hashes: Iterable<string>): void {
    for (const hash of hashes) this.fresh.delete(hash);
  }

  /** Deletes what nothing names and nobody touched for a week, and what was left half written. */
  async sweep(named: ReadonlySet<string>): Promise<void> {
    const now = Date.now();
    for (const [hash, at] of this.fresh) if (now - at > HOUR) this.fresh.delete(hash);
    for (const shelf of await readdir(this.folder).catch(() => [])) {
      for (const name of await readdir(path.join(this.folder, shelf)).catch(() => [])) {
        const file = path.join(this.folder, shelf, name);
        const age = now - ((await stat(file).catch(() => null))?.mtimeMs ?? now);
        const whole = /^[0-9a-f]{64}$/.test(name);
        if (whole ? !named.has(name) && !this.fresh.has(name) && age > UNNAMED : age > HOUR)
          await rm(file, { recursive: true, force: true });
      }
    }
  }

  /** At the start of a server nothing comes in: whatever lies half written was left by one that was killed. */
  async clearHalfWritten(): Promise<void> {
    await rm(this.incoming, { recursive: true, force: true });
    for (const shelf of await readdir(this.folder).catch(() => [])) {
      for (const name of await readdir(path.join(this.folder, shelf)).catch(() => [])) {
        if (!/^[0-9a-f]{64}$/.test(name))
          await rm(path.join(this.folder, shelf, name), { recursive: true, force: true });
      }
    }
  }
}

async function hashOf(file: string): Promise<string> {
  const sum = createHash("sha256");
  for await (const chunk of createReadStream(file)) sum.update(chunk as Buffer);
  return sum.digest("hex");
}
