import type { FileHandle } from "node:fs/promises";
import { open } from "node:fs/promises";
import { constants, crc32, deflateRawSync, deflateSync } from "node:zlib";
import type { PngFilter } from "#core/trace/kernelPng";

/** Rows of a PNG, filtered and deflated. */
export interface PngStripe {
  bytes: Uint8Array;
  /** Adler-32 of the filtered rows and their number of bytes (RFC 1950). */
  adler: number;
  length: number;
}

const BASE = 65521;

/** Adler-32 of what two texts give one after the other, from theirs and the second one's length. */
export function joinedAdler(first: number, second: number, length: number): number {
  const [a1, b1] = [first % 65536, Math.floor(first / 65536)];
  const [a2, b2] = [second % 65536, Math.floor(second / 65536)];
  const a = (a1 + a2 - 1 + BASE) % BASE;
  const b = (b1 + b2 + (length % BASE) * (a1 + BASE - 1)) % BASE;
  return b * 65536 + a;
}

/** Packs interleaved codes of whole rows so that stripes follow each other in one stream; `last` ends it. */
export function packStripe(
  filter: PngFilter,
  codes: Uint8Array | Uint16Array,
  width: number,
  channels: 1 | 3 | 4,
  last: boolean,
): PngStripe {
  const wide = codes instanceof Uint16Array;
  const pixel = wide ? channels * 2 : channels;
  const { bytes, adler } = filter(wide ? bigEndian(codes) : codes, width * pixel, pixel);
  // What is left of a photograph's grain repeats nowhere but in runs.
  const packed = deflateRawSync(bytes, {
    level: 1,
    strategy: constants.Z_RLE,
    chunkSize: 1 << 18,
    finishFlush: last ? constants.Z_FINISH : constants.Z_SYNC_FLUSH,
  });
  return { bytes: packed, adler, length: bytes.length };
}

function bigEndian(codes: Uint16Array): Uint8Array {
  const bytes = Buffer.from(codes.slice().buffer);
  return new Uint8Array(bytes.swap16());
}

/** A PNG file (ISO/IEC 15948) that is written stripe by stripe, so that large pictures need not be held. */
export class PngFile {
  private at = 0;
  private adler = 1;
  private begun = false;

  private constructor(private readonly file: FileHandle) {}

  /** Starts a file of `bits` per channel with 1, 3 or 4 channels; the ICC profile is put in as it is. */
  static async create(
    path: string,
    width: number,
    height: number,
    channels: 1 | 3 | 4,
    bits: 8 | 16,
    profile: Uint8Array | null = null,
  ): Promise<PngFile> {
    const png = new PngFile(await open(path, "w"));
    await png.put(Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]));
    const head = Buffer.alloc(13);
    head.writeUInt32BE(width, 0);
    head.writeUInt32BE(height, 4);
    head.set([bits, { 1: 0, 3: 2, 4: 6 }[channels], 0, 0, 0], 8);
    await png.chunk("IHDR", head);
    if (profile) await png.chunk("iCCP", Buffer.concat([Buffer.from("plate\0\0", "latin1"), deflateSync(profile)]));
    return png;
  }

  /** Appends the next rows. */
  async append({ bytes, adler, length }: PngStripe): Promise<void> {
    const head = this.begun ? [] : [Buffer.from([0x78, 0x01])];
    this.begun = true;
    this.adler = joinedAdler(this.adler, adler, length);
    await this.chunk("IDAT", Buffer.concat([...head, bytes]));
  }

  /** Leaves the file as far as it is. */
  abandon(): Promise<void> {
    return this.file.close();
  }

  async finish(): Promise<void> {
    const sum = Buffer.alloc(4);
    sum.writeUInt32BE(this.adler);
    await this.chunk("IDAT", sum);
    await this.chunk("IEND", Buffer.alloc(0));
    await this.file.sync();
    await this.file.close();
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
