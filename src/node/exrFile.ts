import type { FileHandle } from "node:fs/promises";
import { open } from "node:fs/promises";
import { deflateSync } from "node:zlib";
import type { ExrChannel } from "#core/image/exr";
import { EXR_LINES, exrHead, packRows } from "#core/image/exr";

type Named = Pick<ExrChannel, "name" | "type">;

/** An OpenEXR file that is written some rows at a time, from the top. */
export class ExrFile {
  private readonly offsets: bigint[] = [];
  private at = 0;
  private head = 0;
  private row = 0;

  private constructor(
    private readonly file: FileHandle,
    private readonly width: number,
    private readonly height: number,
    private readonly type: "half" | "float",
    private readonly chromaticities: readonly number[] | null,
  ) {}

  static async create(
    path: string,
    width: number,
    height: number,
    type: "half" | "float" = "half",
    chromaticities: readonly number[] | null = null,
  ): Promise<ExrFile> {
    return new ExrFile(await open(path, "w"), width, height, type, chromaticities);
  }

  /** Appends rows; all but the last ones must be a multiple of 16. The first ones tell which channels there are. */
  async append(rows: number, channels: ExrChannel[]): Promise<void> {
    const pack = (raw: Uint8Array) => deflateSync(raw, { level: 4 });
    await this.appendPacked(packRows(this.width, rows, this.row, channels, this.type, pack), channels);
    this.row += rows;
  }

  /** Appends blocks that were packed elsewhere. */
  async appendPacked(blocks: readonly Uint8Array[], channels: readonly Named[]): Promise<void> {
    if (this.offsets.length === 0) {
      const named = channels.map(({ name, type }): ExrChannel => ({ name, type, values: new Float32Array(0) }));
      const head = exrHead(this.width, this.height, named, this.type, this.chromaticities);
      await this.file.write(head, 0, head.length, 0);
      this.head = head.length;
      this.at = head.length + 8 * Math.ceil(this.height / EXR_LINES);
    }
    for (const block of blocks) {
      this.offsets.push(BigInt(this.at));
      this.at += block.length;
    }
    const all = Buffer.concat(blocks);
    await this.file.write(all, 0, all.length, this.at - all.length);
  }

  /** Leaves the file as far as it is. */
  abandon(): Promise<void> {
    return this.file.close();
  }

  async finish(): Promise<void> {
    const table = Buffer.from(new BigUint64Array(this.offsets).buffer);
    await this.file.write(table, 0, table.length, this.head);
    await this.file.sync();
    await this.file.close();
  }
}
