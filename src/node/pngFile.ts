import type { FileHandle } from "node:fs/promises";
import { open } from "node:fs/promises";
import { constants, crc32, deflateRawSync, deflateSync } from "node:zlib";

/** Rows of a PNG (ISO/IEC 15948), filtered and deflated so that stripes follow each other in one stream. */
export interface PngStripe {
  bytes: Uint8Array;
  /** Adler-32 of the filtered rows and their number of bytes (RFC 1950). */
  adler: number;
  length: number;
}

const BASE = 65521;
/** Most additions before the sums must be held below 2^32. */
const RUN = 3800;

function adlerOf(bytes: Uint8Array): number {
  let [a, b] = [1, 0];
  for (let i = 0; i < bytes.length;) {
    for (const end = Math.min(bytes.length, i + RUN); i < end; i++) {
      a += bytes[i];
      b += a;
    }
    a %= BASE;
    b %= BASE;
  }
  return b * 65536 + a;
}

/** Adler-32 of what two texts give one after the other, from theirs and the second one's length. */
export function joinedAdler(first: number, second: number, length: number): number {
  const [a1, b1] = [first % 65536, Math.floor(first / 65536)];
  const [a2, b2] = [second % 65536, Math.floor(second / 65536)];
  const a = (a1 + a2 - 1 + BASE) % BASE;
  const b = (b1 + b2 + (length % BASE) * (a1 + BASE - 1)) % BASE;
  return b * 65536 + a;
}

/** Packs interleaved codes of whole rows; `last` ends the stream. */
export function packStripe(
  codes: Uint8Array | Uint16Array,
  width: number,
  channels: 1 | 3 | 4,
  last: boolean,
  level = 4,
): PngStripe {
  const wide = codes instanceof Uint16Array;
  const pixel = wide ? channels * 2 : channels;
  const bytes = wide ? bigEndian(codes) : codes;
  const row = width * pixel;
  const rows = bytes.length / row;
  const out = new Uint8Array(bytes.length + rows);
  for (let y = 0, at = 0; y < rows; y++, at += row + 1) filterRow(bytes, y * row, row, pixel, y > 0, out, at);
  const packed = deflateRawSync(out, { level, finishFlush: last ? constants.Z_FINISH : constants.Z_SYNC_FLUSH });
  return { bytes: packed, adler: adlerOf(out), length: out.length };
}

/** One row after the format's filters: nothing where all is 0, differences to the left in a stripe's first row, else Paeth's. */
function filterRow(
  bytes: Uint8Array,
  from: number,
  row: number,
  step: number,
  above: boolean,
  out: Uint8Array,
  at: number,
): void {
  const end = from + row;
  let i = from;
  while (i < end && bytes[i] === 0) i++;
  if (i === end) return;
  out[at] = above ? 4 : 1;
  let to = at + 1;
  if (!above) {
    for (i = from; i < end; i++, to++) out[to] = bytes[i] - (i >= from + step ? bytes[i - step] : 0);
    return;
  }
  for (i = from; i < from + step; i++, to++) out[to] = bytes[i] - bytes[i - row];
  for (; i < end; i++, to++) {
    const left = bytes[i - step];
    const up = bytes[i - row];
    const corner = bytes[i - row - step];
    const a = Math.abs(up - corner);
    const b = Math.abs(left - corner);
    const c = Math.abs(left + up - 2 * corner);
    out[to] = bytes[i] - (a <= b && a <= c ? left : b <= c ? up : corner);
  }
}

function bigEndian(codes: Uint16Array): Uint8Array {
  const bytes = Buffer.from(codes.slice().buffer);
  return new Uint8Array(bytes.swap16());
}

/** A PNG file that is written stripe by stripe, so that large pictures need not be held. */
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
