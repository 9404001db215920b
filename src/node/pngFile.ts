import type { FileHandle } from "node:fs/promises";
import { open } from "node:fs/promises";
import type { Deflate } from "node:zlib";
import { crc32, createDeflate, deflateSync } from "node:zlib";

/** A PNG file (ISO/IEC 15948) that is written row by row, so that large pictures need not be held. */
export class PngFile {
  private before: Uint8Array;
  private at = 0;
  private waiting: Buffer[] = [];
  private readonly packer: Deflate;
  private readonly ended: Promise<void>;

  private constructor(
    private readonly file: FileHandle,
    private readonly rowBytes: number,
    private readonly pixelBytes: number,
  ) {
    this.before = new Uint8Array(rowBytes);
    this.packer = createDeflate({ level: 6 });
    this.packer.on("data", (data: Buffer) => this.waiting.push(data));
    this.ended = new Promise((resolve, reject) => {
      this.packer.on("end", resolve);
      this.packer.on("error", reject);
    });
  }

  /** Starts a file of `bits` per channel with 3 or 4 channels; the ICC profile is put in as it is. */
  static async create(
    path: string,
    width: number,
    height: number,
    channels: 3 | 4,
    bits: 8 | 16,
    profile: Uint8Array | null = null,
  ): Promise<PngFile> {
    const pixelBytes = (channels * bits) / 8;
    const png = new PngFile(await open(path, "w"), width * pixelBytes, pixelBytes);
    await png.put(Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]));
    const head = Buffer.alloc(13);
    head.writeUInt32BE(width, 0);
    head.writeUInt32BE(height, 4);
    head.set([bits, channels === 3 ? 2 : 6, 0, 0, 0], 8);
    await png.chunk("IHDR", head);
    if (profile) await png.chunk("iCCP", Buffer.concat([Buffer.from("plate\0\0", "latin1"), deflateSync(profile)]));
    return png;
  }

  /** Appends rows of interleaved codes. */
  async append(codes: Uint8Array | Uint16Array): Promise<void> {
    const bytes = codes instanceof Uint8Array ? codes : bigEndian(codes);
    for (let from = 0; from < bytes.length; from += this.rowBytes) {
      const row = bytes.subarray(from, from + this.rowBytes);
      if (!this.packer.write(filtered(row, this.before, this.pixelBytes))) {
        await new Promise((resolve) => this.packer.once("drain", resolve));
      }
      this.before = row.slice();
      await this.flush();
    }
  }

  async finish(): Promise<void> {
    this.packer.end();
    await this.ended;
    await this.flush();
    await this.chunk("IEND", Buffer.alloc(0));
    await this.file.sync();
    await this.file.close();
  }

  private async flush(): Promise<void> {
    if (this.waiting.length === 0) return;
    const data = Buffer.concat(this.waiting);
    this.waiting = [];
    await this.chunk("IDAT", data);
  }

  private async chunk(type: string, data: Buffer): Promise<void> {
    const body = Buffer.concat([Buffer.from(type, "latin1"), data]);
    const [length, sum] = [Buffer.alloc(4), Buffer.alloc(4)];
    length.writeUInt32BE(data.length);
    sum.writeUInt32BE(crc32(body));
    await this.put(Buffer.concat([length, body, sum]));
  }

  private async put(bytes: Buffer): Promise<void> {
    await this.file.write(bytes, 0, bytes.length, this.at);
    this.at += bytes.length;
  }
}

function bigEndian(codes: Uint16Array): Uint8Array {
  const bytes = Buffer.from(codes.slice().buffer);
  return new Uint8Array(bytes.swap16());
}

/** The row after that of the format's filters which leaves the smallest differences. */
function filtered(row: Uint8Array, above: Uint8Array, step: number): Buffer {
  const out = [0, 1, 2, 4].map(() => Buffer.alloc(row.length + 1));
  const sums = [0, 0, 0, 0];
  [0, 1, 2, 4].forEach((type, i) => (out[i][0] = type));
  for (let i = 0; i < row.length; i++) {
    const left = i >= step ? row[i - step] : 0;
    const corner = i >= step ? above[i - step] : 0;
    const up = above[i];
    const [a, b, c] = [Math.abs(up - corner), Math.abs(left - corner), Math.abs(left + up - 2 * corner)];
    const paeth = a <= b && a <= c ? left : b <= c ? up : corner;
    const values = [row[i], row[i] - left, row[i] - up, row[i] - paeth];
    for (let k = 0; k < 4; k++) {
      const byte = values[k] & 255;
      out[k][i + 1] = byte;
      sums[k] += byte < 128 ? byte : 256 - byte;
    }
  }
  return out[sums.indexOf(Math.min(...sums))];
}
