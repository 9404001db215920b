import { describe, expect, test } from "@jest/globals";
import sharp from "sharp";
import { srgbToLinear } from "#core/colour/srgb";
import { toHalf } from "#core/image/exr";
import { fromHalf } from "#core/image/exrRead";
import { decodeCodes, isFloat } from "#core/image/profile";
import { tiffSize } from "#core/image/tiff";
import type { TiffTag } from "../testing/tiffFile.ts";
import { tiffFile } from "../testing/tiffFile.ts";
import { openPlate } from "./plates.ts";

const [WIDTH, HEIGHT] = [96, 64];
const COUNT = WIDTH * HEIGHT * 3;
/** Codes of 16 bits, none of them the same in both bytes. */
const deep = Uint16Array.from({ length: COUNT }, (_, i) => (i * 7919) % 65536);
/** From below black to beyond white, as floats and as halves. */
const ramp = Float32Array.from({ length: COUNT }, (_, i) => fromHalf(toHalf(-0.25 + (9 * i) / COUNT)));

const swapped = (codes: Uint16Array) => {
  const bytes = new Uint8Array(codes.slice().buffer);
  return Uint8Array.from(bytes, (_, i) => bytes[i ^ 1]);
};
const shape = { width: WIDTH, height: HEIGHT, channels: 3 };
const deepFile = (extra: TiffTag[] = []) =>
  tiffFile({ ...shape, bits: 16, format: 1, bytes: new Uint8Array(deep.buffer) }, extra);
const floatFile = (values: Float32Array) =>
  tiffFile({ ...shape, bits: 32, format: 3, bytes: new Uint8Array(values.slice().buffer) });

describe("TIFF plates", () => {
  test("of 16 bits keep every code, in either byte order, packed or not", async () => {
    const large = tiffFile({ ...shape, bits: 16, format: 1, bytes: swapped(deep) }, [], false);
    const raw = { raw: { width: WIDTH, height: HEIGHT, channels: 3 as const } };
    const packed = await Promise.all(
      (["lzw", "deflate"] as const).map((compression) =>
        sharp(deep, raw).toColourspace("rgb16").tiff({ compression, predictor: "horizontal" }).toBuffer(),
      ),
    );
    for (const file of [deepFile(), large, ...packed.map((b) => new Uint8Array(b))]) {
      const plate = await openPlate(file, "quay.tif");
      expect([plate.width, plate.height, plate.encoding.bits, plate.profile]).toEqual([WIDTH, HEIGHT, 16, null]);
      expect(Buffer.from(plate.codes.buffer).equals(Buffer.from(deep.buffer))).toBe(true);
    }
  });

  test("of 8 bits and of one grey channel", async () => {
    const codes = Uint8Array.from({ length: WIDTH * HEIGHT }, (_, i) => (i * 31) % 256);
    const plate = await openPlate(tiffFile({ ...shape, channels: 1, bits: 8, format: 1, bytes: codes }), "grey.tif");
    expect(plate.encoding.bits).toBe(8);
    expect([...plate.codes.subarray(0, 9)]).toEqual([0, 0, 0, 31, 31, 31, 62, 62, 62]);
    expect(plate.notices.join()).toMatch(/grey/);
  });

  test("stand upright by their own orientation (TIFF 6.0, tag 274)", async () => {
    // Six: the first row is the right side.
    const plate = await openPlate(deepFile([{ tag: 274, type: 3, values: [6] }]), "turned.tif");
    expect([plate.width, plate.height]).toEqual([HEIGHT, WIDTH]);
    expect([...plate.codes.subarray((HEIGHT - 1) * 3, HEIGHT * 3)]).toEqual([...deep.subarray(0, 3)]);
  });

  test("mean by their profile what was meant: Display P3 and sRGB of the same colours", async () => {
    const colours = [
      [200, 50, 30],
      [40, 160, 70],
      [120, 120, 120],
    ];
    const codes = Uint8Array.from({ length: COUNT }, (_, i) => colours[Math.floor(i / 3) % 3][i % 3]);
    const wide = await sharp(codes, { raw: { width: WIDTH, height: HEIGHT, channels: 3 } })
      .withIccProfile("p3")
      .tiff({ compression: "none" })
      .toBuffer();
    const plate = await openPlate(new Uint8Array(wide), "wide.tif");
    expect(plate.profile).not.toBeNull();
    expect(plate.encoding.toRec709[0][0]).toBeGreaterThan(1.1);
    const linear = decodeCodes(plate.codes, plate.encoding);
    colours.flat().forEach((code, i) => expect(Math.abs(linear[i] - srgbToLinear(code / 255))).toBeLessThan(0.006));
  });

  test("of floats are linear light beyond white and below black, kept as halves", async () => {
    const plate = await openPlate(floatFile(ramp), "merged.tif");
    expect(isFloat(plate.encoding)).toBe(true);
    expect(decodeCodes(plate.codes, plate.encoding)).toEqual(ramp);
    expect(plate.notices.join()).toMatch(/kept as halves/);
    const halves = Uint16Array.from(ramp, toHalf);
    const exact = await openPlate(
      tiffFile({ ...shape, bits: 16, format: 3, bytes: new Uint8Array(halves.buffer) }),
      "halves.tif",
    );
    expect(Buffer.from(exact.codes.buffer).equals(Buffer.from(halves.buffer))).toBe(true);
    expect(exact.notices).toEqual([]);
  });

  test("say of themselves what cameras write", async () => {
    const words = (tag: number, text: string): TiffTag => ({ tag, type: 2, values: [...Buffer.from(`${text}\0`)] });
    const own = [words(271, "Skerry Optical"), words(272, "SK-1")];
    const pointing = (at: number) => deepFile([...own, { tag: 34665, type: 4, values: [at] }]);
    const at = pointing(0).length;
    // A directory of EXIF 2.31 with its focal length, 275/10 mm.
    const directory = new DataView(new ArrayBuffer(26));
    directory.setUint16(0, 1, true);
    [37386, 5].forEach((x, i) => directory.setUint16(2 + 2 * i, x, true));
    [1, at + 18, 0, 275, 10].forEach((x, i) => directory.setUint32(6 + 4 * i, x, true));
    const tiff = Uint8Array.from([...pointing(at), ...new Uint8Array(directory.buffer)]);
    const webp = await sharp({ create: { width: WIDTH, height: HEIGHT, channels: 3, background: "#808890" } })
      .withExif({ IFD0: { Make: "Skerry Optical", Model: "SK-1" }, IFD2: { FocalLength: "275/10" } })
      .webp()
      .toBuffer();
    for (const file of [tiff, new Uint8Array(webp)]) {
      const { exif } = await openPlate(file, "photo");
      expect([exif.camera, exif.focalMm]).toEqual(["Skerry Optical SK-1", 27.5]);
    }
  });

  test("of squeezed pixels are told of, of several pictures the first is taken", async () => {
    const squeezed = await openPlate(
      deepFile([
        { tag: 282, type: 5, values: [72, 1] },
        { tag: 283, type: 5, values: [144, 1] },
      ]),
      "squeezed.tif",
    );
    expect(squeezed.notices.join()).toMatch(/2\.000 times as wide as high/);
    const frames = Buffer.concat([Buffer.alloc(WIDTH * HEIGHT * 3, 40), Buffer.alloc(WIDTH * HEIGHT * 3, 200)]);
    const pages = await sharp(frames, { raw: { width: WIDTH, height: 2 * HEIGHT, channels: 3, pageHeight: HEIGHT } })
      .tiff({ compression: "none" })
      .toBuffer();
    const first = await openPlate(new Uint8Array(pages), "pages.tif");
    expect([first.height, first.codes[0]]).toEqual([HEIGHT, 40]);
    expect(first.notices.join()).toMatch(/holds 2 pictures; the first/);
  });

  test.each<[string, Uint8Array, RegExp]>([
    // Tags of TIFF/EP (ISO 12234-2) and DNG 1.6.
    ["whose first picture is a preview", deepFile([{ tag: 254, type: 4, values: [1] }]), /camera's raw file/],
    ["that is a DNG", deepFile([{ tag: 50706, type: 1, values: [1, 4, 0, 0] }]), /camera's raw file/],
    ["of a colour filter array", deepFile([{ tag: 262, type: 3, values: [32803] }]), /camera's raw file|damaged/],
    [
      "of whole numbers of 32 bits",
      tiffFile({ ...shape, bits: 32, format: 1, bytes: new Uint8Array(COUNT * 4) }),
      /channels of a kind/,
    ],
    ["that is cut short", deepFile().slice(0, 20_000), /damaged or cut short/],
    [
      "that claims to be huge",
      deepFile([
        { tag: 256, type: 4, values: [40_000] },
        { tag: 257, type: 4, values: [40_000] },
      ]),
      /40000 × 40000 pixels/,
    ],
  ])("one %s is refused with a sentence", async (_, bytes, message) => {
    await expect(openPlate(bytes, "bad.tif")).rejects.toThrow(message);
  });

  test("a telephone's HEIF picture is refused by its name, with what to do", async () => {
    const head = Uint8Array.from([0, 0, 0, 24, ...Buffer.from("ftypheic"), 0, 0, 0, 0, ...Buffer.from("mif1heic")]);
    const refused = openPlate(head, "IMG_1.HEIC");
    await expect(refused).rejects.toMatchObject({ hint: expect.stringMatching(/JPEG/) as unknown });
    await expect(refused).rejects.toThrow(/HEIF/);
  });
});

describe("the size of a TIFF", () => {
  test("is read from a directory that lies beyond the part that was read", () => {
    const file = deepFile();
    expect(tiffSize(file)).toEqual({ width: WIDTH, height: HEIGHT });
    expect(tiffSize(file.subarray(0, 8), file.subarray(8))).toEqual({ width: WIDTH, height: HEIGHT });
    expect(tiffSize(file.subarray(0, 8))).toBeNull();
    expect(tiffSize(Uint8Array.from([0x49, 0x49, 43, 0, 8, 0, 0, 0]))).toBeNull();
  });

  test("a directory of nonsense is nonsense, and never read beyond its end", () => {
    const file = deepFile();
    for (let at = 4; at < 150; at++)
      for (const byte of [0, 0x7f, 0xff]) {
        const bytes = file.slice();
        bytes[at] = byte;
        expect(() => tiffSize(bytes)).not.toThrow();
      }
  });
});

describe("WebP plates", () => {
  test("without loss keep every code", async () => {
    const codes = Uint8Array.from({ length: COUNT }, (_, i) => (i * 89) % 256);
    const file = await sharp(codes, { raw: { width: WIDTH, height: HEIGHT, channels: 3 } })
      .webp({ lossless: true })
      .toBuffer();
    const plate = await openPlate(new Uint8Array(file), "quay.webp");
    expect(plate.encoding.bits).toBe(8);
    expect(Buffer.from(plate.codes.buffer).equals(Buffer.from(codes.buffer))).toBe(true);
  });
});
