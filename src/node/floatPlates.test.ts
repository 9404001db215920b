import { mkdtemp, readFile, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";
import { describe, expect, test } from "@jest/globals";
import { primariesOf, rgbToXyz, toRec709 } from "#core/colour/primaries";
import { colourChannels, toHalf, writeExr } from "#core/image/exr";
import { fromHalf, readExr } from "#core/image/exrRead";
import { decodeCodes, halfEncoding, isFloat, pixelEncoder } from "#core/image/profile";
import type { Mat3 } from "#core/math/vec3";
import { rotationFromAngles } from "#core/optics/camera";
import { noDistortion } from "#core/optics/distortion";
import type { Shot } from "#core/shot/schema";
import { testShot } from "../testing/shots.ts";
import { BandFolder } from "./bandFolder.ts";
import { writeFinal } from "./finalFiles.ts";
import { openPlate } from "./plates.ts";
import { plateOf } from "./plateRows.ts";
import { renderIntoFolder } from "./renderShot.ts";

const IDENTITY: Mat3 = [
  [1, 0, 0],
  [0, 1, 0],
  [0, 0, 1],
];
const [WIDTH, HEIGHT] = [96, 64];
/** A ramp from black to eight times white, with a little colour. */
const ramp = Float32Array.from({ length: WIDTH * HEIGHT * 3 }, (_, i) =>
  fromHalf(toHalf((8 * Math.floor(i / 3)) / (WIDTH * HEIGHT) + 0.01 * (i % 3))),
);

describe("halves as codes", () => {
  test("every half that is a number is decoded and encoded to its own bits", () => {
    const encoding = halfEncoding(IDENTITY);
    const codes = Uint16Array.from({ length: 65536 * 3 }, (_, i) => Math.floor(i / 3));
    const linear = decodeCodes(codes, encoding);
    const encode = pixelEncoder(encoding);
    const out = new Uint16Array(3);
    for (let bits = 0; bits < 65536; bits++) {
      // Exponent of all ones: endless, or no number.
      if ((bits & 0x7c00) === 0x7c00) continue;
      const at = bits * 3;
      if (linear[at] !== Math.fround(fromHalf(bits))) throw new Error(`${bits} was read as ${linear[at]}`);
      encode(linear[at], linear[at + 1], linear[at + 2], out, 0);
      if (out[0] !== bits && linear[at] !== 0) throw new Error(`${bits} became ${out[0]}`);
    }
    // IEEE 754: 0x7c00 is endless, 0x7e00 no number; the greatest half is 65504.
    expect(linear[0x7c00 * 3]).toBe(65504);
    expect(linear[0x7e00 * 3]).toBe(0);
  });
});

describe("primaries", () => {
  test("Rec. 709 to XYZ is the matrix of IEC 61966-2-1, and its own primaries need none", () => {
    const m = rgbToXyz([0.64, 0.33, 0.3, 0.6, 0.15, 0.06, 0.3127, 0.329]);
    [0.4124, 0.3576, 0.1805, 0.2126, 0.7152, 0.0722, 0.0193, 0.1192, 0.9505].forEach((x, i) =>
      expect(m.flat()[i]).toBeCloseTo(x, 3),
    );
    expect(toRec709([0.64, 0.33, 0.3, 0.6, 0.15, 0.06, 0.3127, 0.329])).toEqual(IDENTITY);
  });

  test("Rec. 2020 goes to Rec. 709 by the matrix of ITU-R BT.2087-0, table 4, inverted", () => {
    const m = toRec709([0.708, 0.292, 0.17, 0.797, 0.131, 0.046, 0.3127, 0.329])!;
    [1.6605, -0.5876, -0.0728, -0.1246, 1.1329, -0.0083, -0.0182, -0.1006, 1.1187].forEach((x, i) =>
      expect(m.flat()[i]).toBeCloseTo(x, 3),
    );
    expect(toRec709(primariesOf(m))!.flat()).toEqual(m.flat().map((x) => expect.closeTo(x, 6)));
  });
});

/** The file with one byte of an attribute's value changed: `at` counts from behind its name, past its type and size. */
function patched(bytes: Uint8Array, name: string, at: number, to: number): Uint8Array {
  const out = bytes.slice();
  const from = Buffer.from(out.buffer, out.byteOffset, out.length).indexOf(`${name}\0`) + name.length + 1;
  out[from + at] = to;
  return out;
}

describe("plates of floats", () => {
  test("an EXR of halves keeps its bits, with what is brighter than white", async () => {
    const plate = await openPlate(writeExr(WIDTH, HEIGHT, colourChannels(ramp, 3)), "ramp.exr");
    expect([plate.width, plate.height, isFloat(plate.encoding), plate.notices]).toEqual([WIDTH, HEIGHT, true, []]);
    expect(decodeCodes(plate.codes, plate.encoding)).toEqual(ramp);
  });

  test("of floats, and in other primaries, it says what is kept", async () => {
    const wide = [0.708, 0.292, 0.17, 0.797, 0.131, 0.046, 0.3127, 0.329];
    const plate = await openPlate(writeExr(WIDTH, HEIGHT, colourChannels(ramp, 3), "float", wide), "ramp.exr");
    expect(plate.notices.join()).toMatch(/kept as halves/);
    const linear = decodeCodes(plate.codes, plate.encoding);
    // White stays white, whatever the primaries.
    const white = 3 * 3000;
    const before = ramp.subarray(white, white + 3);
    expect(Math.abs(linear[white + 1] - before[1])).toBeLessThan(0.03);
    expect(plate.encoding.toRec709[0][0]).toBeGreaterThan(1.5);
  });

  test("a Radiance picture (flat pixels of three mantissas and an exponent)", async () => {
    const head = new TextEncoder().encode(`#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y ${HEIGHT} +X ${WIDTH}\n`);
    // 128 / 256 * 2^(130 - 128) is 2.
    const pixels = Uint8Array.from({ length: WIDTH * HEIGHT * 4 }, (_, i) => [128, 64, 32, 130][i % 4]);
    const plate = await openPlate(Uint8Array.from([...head, ...pixels]), "bright.hdr");
    const linear = decodeCodes(plate.codes, plate.encoding);
    expect([...linear.subarray(0, 3)].map((x) => Number(x.toFixed(2)))).toEqual([
      expect.closeTo(2, 1),
      expect.closeTo(1, 1),
      expect.closeTo(0.5, 1),
    ]);
  });

  test.each([
    ["cut short", (b: Uint8Array) => b.slice(0, 300), /damaged/],
    [
      "of other channels",
      () => writeExr(WIDTH, HEIGHT, [{ name: "Z", values: ramp.slice(0, WIDTH * HEIGHT) }]),
      /no channels R, G and B/,
    ],
    ["too small", () => writeExr(8, 8, colourChannels(ramp.slice(0, 192), 3)), /only 8 × 8/],
    ["without a size", () => new TextEncoder().encode("#?RADIANCE\n\n+Y 64 +X 96\n"), /does not say its size/],
    ["a crop of its frame", (b: Uint8Array) => patched(b, "displayWindow", 10, 1), /windows? .*differ/],
    ["of squeezed pixels", (b: Uint8Array) => patched(b, "pixelAspectRatio", 13, 0x40), /times as wide as high/],
  ])("one that is %s is refused with a sentence", async (_, change, message) => {
    const bytes = change(writeExr(WIDTH, HEIGHT, colourChannels(ramp, 3)));
    await expect(openPlate(bytes, "bad")).rejects.toThrow(message);
  });

  test("a final of it without props is the plate to the bit, as EXR, and a picture of it as PNG", async () => {
    const opened = await openPlate(writeExr(WIDTH, HEIGHT, colourChannels(ramp, 3)), "ramp.exr");
    const shot: Shot = testShot(WIDTH, HEIGHT);
    shot.plates.main.encoding = opened.encoding;
    shot.solved = {
      camera: {
        focalPx: 80,
        principal: [48, 32],
        distortion: noDistortion(),
        rotation: rotationFromAngles({ heading: 0, tilt: -0.3, roll: 0 }),
        position: [0, 0, 1.6],
      },
      evidence: "",
      rmsPx: null,
      sigma: null,
    };
    shot.props = {};
    const bytes = new Uint8Array(opened.codes.buffer, opened.codes.byteOffset, opened.codes.byteLength);
    const plate = plateOf(shot, bytes);
    const target = await mkdtemp(path.join(tmpdir(), "harbor-float-"));
    try {
      const choice = { ...shot.render, samples: 1 };
      const folder = new BandFolder(await mkdtemp(path.join(target, "bands-")), "key");
      const layout = await renderIntoFolder(shot, plate, new Map(), choice, folder, { threads: 1 });
      const { files } = await writeFinal(target, shot, plate, null, choice, layout, folder);
      const read = readExr(new Uint8Array(await readFile(path.join(target, files.float))), 3);
      expect(read.pixels).toEqual(ramp);
      const png = await openPlate(new Uint8Array(await readFile(path.join(target, files.picture))), "picture.png");
      expect(png.encoding.bits).toBe(16);
      const dark = decodeCodes(png.codes, png.encoding);
      expect(dark[300]).toBeCloseTo(ramp[300], 4);
      expect(dark[dark.length - 1]).toBe(1);
    } finally {
      await rm(target, { recursive: true, force: true });
    }
  });
});
