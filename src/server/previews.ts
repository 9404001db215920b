import { existsSync } from "node:fs";
import { mkdir, readdir, rename, rm } from "node:fs/promises";
import path from "node:path";
import type { AssetStore } from "./assets.ts";
import type { Reader } from "./reader.ts";

/** Boxes that pictures are made smaller to. */
const BOXES = { thumbnail: [640, 420], note: [1600, 1600], queue: [480, 320] } as const;
export type PreviewKind = keyof typeof BOXES;

/** Small JPEGs of files in the store, each made once. */
export class Previews {
  private readonly making = new Map<string, Promise<string>>();

  constructor(
    private readonly folder: string,
    private readonly assets: AssetStore,
    private readonly reader: Reader,
  ) {}

  private fileOf(hash: string, kind: PreviewKind): string {
    return path.join(this.folder, `${hash}-${kind}.jpg`);
  }

  /** Takes over one that was made while the file was read. */
  async take(hash: string, kind: PreviewKind, file: string): Promise<void> {
    await mkdir(this.folder, { recursive: true });
    await rename(file, this.fileOf(hash, kind));
  }

  /** Path of a small picture, made if it is not there. */
  async of(hash: string, kind: PreviewKind): Promise<string> {
    const file = this.fileOf(hash, kind);
    if (existsSync(file)) return file;
    let made = this.making.get(file);
    if (!made) {
      made = this.make(hash, kind).finally(() => this.making.delete(file));
      this.making.set(file, made);
    }
    return made;
  }

  private async make(hash: string, kind: PreviewKind): Promise<string> {
    const [width, height] = BOXES[kind];
    const to = await this.assets.newPath();
    await this.reader.read("small", this.assets.pathOf(hash), "picture", { to, width, height });
    await this.take(hash, kind, to);
    return this.fileOf(hash, kind);
  }

  /** Deletes those whose file is gone. */
  async sweep(): Promise<void> {
    for (const name of await readdir(this.folder).catch(() => [])) {
      if (!this.assets.has(name.slice(0, 64))) await rm(path.join(this.folder, name), { force: true });
    }
  }
}
