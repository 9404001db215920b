import { mkdtemp, readFile, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import sharp from "sharp";
import { readExr, readExrChannels } from "#core/image/exrRead";
import { seeded } from "../testing/random.ts";
import { ExrFile } from "./exrFile.ts";
import { ownPng } from "../testing/render.ts";
import { PngFile, packStripe } from "./pngFile.ts";
import { readWithThree } from "../testing/threeExr.ts";

/** Files written row by row, read back by libraries that have nothing to do with the writers: libpng in sharp, three's EXR. */

let folder: string;
beforeAll(async () => {
  folder = await mkdtemp(path.join(tmpdir(), "harbor-files-"));
});
afterAll(() => rm(folder, { recursive: true, force: true }));

/** Codes with flat parts, ramps and noise, so that every row filter of the format has its turn. */
function codes(width: number, height: number, channels: number, top: number): number[] {
  const random = seeded(5);
  return Array.from({ length: width * height * channels }, (_, i) => {
    const [x, y] = [Math.floor(i / channels) % width, Math.floor(i / channels / width)];
    if (y % 4 === 0) return top;
    if (y % 4 === 1) return Math.floor((top * x) / width);
    if (y % 4 === 2) return Math.floor((top * y) / height);
    return Math.floor(random() * top);
  });
}

describe("PNG", () => {
  test.each<[3 | 4, 8 | 16]>([
    [3, 8],
    [4, 8],
    [3, 16],
    [4, 16],
  ])("%p channels of %p bits, appended in uneven runs of rows", async (channels, bits) => {
    const [width, height] = [37, 29];
    const all = codes(width, height, channels, bits === 8 ? 255 : 65535);
    const file = path.join(folder, `${channels}-${bits}.png`);
    const png = await PngFile.create(file, width, height, channels, bits);
    for (let from = 0; from < height; from += 7) {
      const rows = all.slice(from * width * channels, Math.min(height, from + 7) * width * channels);
      const some = bits === 8 ? new Uint8Array(rows) : new Uint16Array(rows);
      await png.append(packStripe(await ownPng(), some, width, channels, from + 7 >= height));
    }
    await png.finish();
    const { data, info } = await sharp(file)
      .toColourspace(bits === 8 ? "srgb" : "rgb16")
      .raw({ depth: bits === 8 ? "uchar" : "ushort" })
      .toBuffer({ resolveWithObject: true });
    expect([info.width, info.height, info.channels]).toEqual([width, height, channels]);
    const read = bits === 8 ? [...data] : [...new Uint16Array(data.buffer, data.byteOffset, data.length / 2)];
    expect(read).toEqual(all);
  });

  test("the plate's colour profile comes back byte by byte", async () => {
    const profile = new Uint8Array(Buffer.from("not a real profile, but bytes of one".repeat(9)));
    const file = path.join(folder, "profile.png");
    const png = await PngFile.create(file, 2, 1, 3, 8, profile);
    await png.append(packStripe(await ownPng(), new Uint8Array(6), 2, 3, true));
    await png.finish();
    const bytes = await readFile(file);
    const at = bytes.indexOf("iCCP");
    expect(at).toBeGreaterThan(0);
    const length = bytes.readUInt32BE(at - 4);
    const { inflateSync } = await import("node:zlib");
    const body = bytes.subarray(at + 4, at + 4 + length);
    // PNG specification, 11.3.2.3: name, null, compression method 0, compressed profile.
    const start = body.indexOf(0) + 2;
    expect(new Uint8Array(inflateSync(body.subarray(start)))).toEqual(profile);
  });
});

describe("EXR", () => {
  test.each(["half", "float"] as const)("%s, appended some rows at a time", async (type) => {
    const [width, height] = [33, 41];
    const random = seeded(8);
    // Halves hold eleven bits: numbers that both types can hold.
    const values = Float32Array.from({ length: width * height * 3 }, () => Math.floor(random() * 2048) / 64 - 8);
    const file = path.join(folder, `${type}.exr`);
    const exr = await ExrFile.create(file, width, height, type);
    for (const [from, to] of [
      [0, 16],
      [16, 32],
      [32, 41],
    ]) {
      const rows = values.subarray(from * width * 3, to * width * 3);
      const channels = ["R", "G", "B"].map((name, offset) => ({ name, values: rows, offset, stride: 3 }));
      await exr.append(to - from, channels);
    }
    await exr.finish();
    const back = readWithThree(new Uint8Array(await readFile(file)), 3);
    expect([back.width, back.height]).toEqual([width, height]);
    expect(back.pixels).toEqual(values);
  });

  test.each<[number, string]>([
    [1, "BG"],
    [6, "B"],
    [33, "R"],
    [34, ""],
    [66, "RGB"],
  ])("of %i pixels' width, where %p and a layer are 0 all over", async (width, dark) => {
    const height = 19;
    const random = seeded(width);
    const kept = Array.from({ length: width * height * 3 }, () =>
      random() < 0.3 ? 0 : Math.floor(random() * 512) / 64,
    );
    const values = Float32Array.from(kept, (v, i) => (dark.includes("RGB"[i % 3]) ? 0 : v));
    const none = { values: new Float32Array(width * height), zero: true };
    const file = path.join(folder, `${width}-${dark}.exr`);
    const exr = await ExrFile.create(file, width, height, "half");
    await exr.append(height, [
      ...["R", "G", "B"].map((name, offset) => ({ name, values, offset, stride: 3, zero: dark.includes(name) })),
      // By name they lie between and behind the others.
      { name: "C", ...none },
      { name: "Z", ...none, type: "float" },
    ]);
    await exr.finish();
    const back = readWithThree(new Uint8Array(await readFile(file)), 3);
    expect(back.pixels).toEqual(values);
  });

  // Rows that are appended together, and where in the third block one value differs: near its start, or in its last pixel.
  test.each([
    [16, 7],
    [16 * 6, 7],
    [16 * 6, 16 * 90 * 3 - 1],
  ])("blocks alike, %i rows at a time, are read as another reader reads them (%i)", async (together, other) => {
    const [width, height] = [90, 16 * 5 + 7];
    // Even blocks, one between them that differs in a single value, and a last one of fewer rows.
    const values = Float32Array.from({ length: width * height * 3 }, (_, i) => (i % 3 === 1 ? 0.5 : 0));
    values[16 * 2 * width * 3 + other] = 2;
    const file = path.join(folder, `even-${together}-${other}.exr`);
    const exr = await ExrFile.create(file, width, height, "half");
    for (let y = 0; y < height; y += together) {
      const rows = values.subarray(y * width * 3, Math.min(height, y + together) * width * 3);
      const channels = ["R", "G", "B"].map((name, offset) => ({ name, values: rows, offset, stride: 3 }));
      await exr.append(rows.length / width / 3, channels);
    }
    await exr.finish();
    const bytes = new Uint8Array(await readFile(file));
    expect(readWithThree(bytes, 3).pixels).toEqual(values);
    expect(readExr(bytes, 3).pixels).toEqual(values);
  });

  test("a sum of nothing beside the same memory as it is: where nothing was counted is not lost in blocks alike", async () => {
    const [width, height] = [70, 48];
    const values = new Float32Array(width * height);
    const counts = new Float32Array(width * height).fill(3);
    // Nothing was counted in one pixel of the second block.
    const none = 16 * width + 7;
    counts[none] = 0;
    const file = path.join(folder, "beside.exr");
    const exr = await ExrFile.create(file, width, height, "float");
    await exr.append(height, [
      { name: "A", values },
      { name: "B", values, over: { counts, empty: 1 } },
    ]);
    await exr.finish();
    const { channels } = readExrChannels(new Uint8Array(await readFile(file)));
    expect([...channels.get("B")!].flatMap((x, i) => (x === 0 ? [] : [[i, x]]))).toEqual([[none, 1]]);
    expect(channels.get("A")!.every((x) => x === 0)).toBe(true);
  });
});
