import { describe, expect, test } from "@jest/globals";
import { DataUtils } from "three";
import { ExrError } from "./exrCheck.ts";
import { readExr } from "./exrRead.ts";
import { readWithExrs } from "../../testing/exrsExr.ts";
import { readWithThree } from "../../testing/threeExr.ts";
import { between, seeded } from "../../testing/random.ts";
import { srgbToLinear } from "../colour/srgb.ts";
import { colourChannels, toHalf, writeExr } from "./exr.ts";
import type { PlateEncoding } from "./profile.ts";
import {
  curveToCode,
  curveToLinear,
  decodeCodes,
  countBelow,
  parseProfile,
  pixelEncoder,
  srgbEncoding,
} from "./profile.ts";
import { shrink, sizeAt } from "./resize.ts";

describe("EXR files, read back with three's reader", () => {
  const random = seeded(1);
  const [width, height] = [37, 41];

  test("float values come back to the bit", () => {
    const values = Float32Array.from({ length: width * height * 3 }, () => between(random, -4, 900));
    const back = readWithThree(writeExr(width, height, colourChannels(values, 3), "float"), 3);
    expect([back.width, back.height]).toEqual([width, height]);
    expect(back.pixels).toEqual(values);
  });

  test("half values come back as the nearest halves, with alpha", () => {
    const values = Float32Array.from({ length: width * height * 4 }, () => between(random, 0, 3));
    const back = readWithThree(writeExr(width, height, colourChannels(values, 4)), 4);
    values.forEach((v, i) => expect(Math.abs(back.pixels[i] - v)).toBeLessThanOrEqual(v * 2 ** -11 + 1e-7));
  });

  test("halves agree with three's conversion on magnitudes, and round to even", () => {
    for (const v of [0, 1, -2, 0.1, 65504, 6.1e-5, 5.96e-8, 3.14159, 1e-9]) {
      const own = DataUtils.fromHalfFloat(toHalf(v));
      expect(Math.abs(own - v)).toBeLessThanOrEqual(Math.abs(v) * 2 ** -11 + 3e-8);
    }
    // IEEE 754: 1 + 2^-11 lies midway between 1 and the next half, and goes to the even one.
    expect(toHalf(1 + 2 ** -11)).toBe(0x3c00);
    expect(toHalf(1 + 3 * 2 ** -11)).toBe(0x3c02);
    expect(toHalf(1e6)).toBe(0x7c00);
    expect(toHalf(Number.NaN) & 0x7fff).toBeGreaterThan(0x7c00);
  });
});

/** An ICC profile of the matrix/TRC kind, as ICC.1:2022 lays it out. */
function makeProfile(colorants: number[][], gamma: number): Uint8Array {
  const tags = ["rXYZ", "gXYZ", "bXYZ", "rTRC", "gTRC", "bTRC"];
  const start = 132 + tags.length * 12;
  const bytes = new Uint8Array(start + 3 * 20 + 3 * 16);
  const view = new DataView(bytes.buffer);
  const text = (at: number, s: string) => [...s].forEach((c, i) => (bytes[at + i] = c.charCodeAt(0)));
  text(16, "RGB ");
  text(20, "XYZ ");
  text(36, "acsp");
  view.setUint32(128, tags.length);
  tags.forEach((tag, i) => {
    const at = i < 3 ? start + i * 20 : start + 60 + (i - 3) * 16;
    text(132 + i * 12, tag);
    view.setUint32(136 + i * 12, at);
    view.setUint32(140 + i * 12, i < 3 ? 20 : 14);
    if (i < 3) {
      text(at, "XYZ ");
      colorants[i].forEach((v, k) => view.setInt32(at + 8 + k * 4, Math.round(v * 65536)));
    } else {
      text(at, "curv");
      view.setUint32(at + 8, 1);
      view.setUint16(at + 12, Math.round(gamma * 256));
    }
  });
  return bytes;
}

function fill(bits: 8 | 16, length: number, make: () => number): Uint8Array | Uint16Array {
  const codes = bits === 8 ? new Uint8Array(length) : new Uint16Array(length);
  for (let i = 0; i < length; i++) codes[i] = make();
  return codes;
}

describe("reading EXR", () => {
  const random = seeded(11);
  const values = Float32Array.from({ length: 37 * 29 * 4 }, () => random() * 8 - 1);
  const files = (["half", "float"] as const).map((type) => writeExr(37, 29, colourChannels(values, 4), type));

  test("agrees with the readers of three and exrs to the bit", async () => {
    for (const file of files) {
      const own = readExr(file, 4);
      expect(own).toEqual(readWithThree(file, 4));
      const { channels } = await readWithExrs(file);
      ["R", "G", "B", "A"].forEach((k, c) => expect(channels.get(k)).toEqual(own.pixels.filter((_, i) => i % 4 === c)));
    }
  });

  test("RLE, no packing, and a window that does not begin at 0", () => {
    // One row of eight pixels, channel Y as half, all 1.
    const build = (compression: number, block: number[]) => {
      const header: number[] = [0x76, 0x2f, 0x31, 0x01, 2, 0, 0, 0];
      const text = (t: string) => header.push(...Buffer.from(t, "latin1"), 0);
      const i32 = (x: number) => header.push(x & 255, (x >> 8) & 255, (x >> 16) & 255, (x >> 24) & 255);
      const attribute = (name: string, kind: string, bytes: number[]) => {
        text(name);
        text(kind);
        i32(bytes.length);
        header.push(...bytes);
      };
      attribute("channels", "chlist", [0x59, 0, 1, 0, 0, 0, 0, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 0]);
      attribute("compression", "compression", [compression]);
      attribute("dataWindow", "box2i", [5, 0, 0, 0, 7, 0, 0, 0, 12, 0, 0, 0, 7, 0, 0, 0]);
      header.push(0);
      const at = header.length + 8;
      i32(at);
      i32(0);
      i32(7);
      i32(block.length);
      return Uint8Array.from([...header, ...block]);
    };
    const raw = Array.from({ length: 8 }, () => [0x00, 0x3c]).flat();
    // Bytes parted (low ones first), then differences + 128, then runs: one, seven alike, one, seven alike.
    const runs = [0, 0, 6, 128, 0, 0x3c + 128, 6, 128];
    for (const file of [build(0, raw), build(1, raw), build(1, runs)])
      expect(readExr(file, 3)).toEqual({ width: 8, height: 1, pixels: new Float32Array(24).fill(1) });
    expect(() => readExr(build(1, [0, 0, 20, 128]), 3)).toThrow("cannot be unpacked");
    expect(() => readExr(build(1, [0, 0]), 3)).toThrow("wrong length");
    expect(() => readExr(build(4, runs), 3)).toThrow("packed with PIZ");
  });

  test("a file that is damaged anywhere is refused with a sentence or read to numbers, never slowly", () => {
    for (let i = 0; i < 600; i++) {
      const file = files[i % 2].slice(0, i % 5 === 0 ? Math.floor(random() * files[i % 2].length) : undefined);
      for (let k = 0; k < 3; k++) file[Math.floor(random() * (i % 3 ? 400 : file.length))] = Math.floor(random() * 256);
      try {
        expect(readExr(file, 4).pixels.every(Number.isFinite)).toBe(true);
      } catch (error) {
        expect(error).toBeInstanceOf(ExrError);
        expect((error as Error).message).toMatch(/\.$/);
      }
    }
    const infinite = writeExr(2, 1, colourChannels(Float32Array.of(1, 1, 1, Infinity, 1, 1), 3), "float");
    expect(() => readExr(infinite, 3)).toThrow("no number at 1, 0 (R)");
    const huge = files[0].slice();
    const window = Buffer.from(huge).indexOf("dataWindow") + "dataWindow\0box2i\0".length + 4;
    new DataView(huge.buffer).setInt32(window + 8, 2 ** 30, true);
    expect(() => readExr(huge, 4)).toThrow(/1073741825 × 29 pixels/);
  });
});

describe("colour profiles", () => {
  // Colorants of a wide gamut, adapted to D50, with gamma 563/256: an example, whose own values nothing is checked against.
  const wide = [
    [0.60974, 0.31111, 0.01947],
    [0.20528, 0.62567, 0.06087],
    [0.14919, 0.06322, 0.74457],
  ];

  test("a wide-gamut green lies outside Rec. 709 and is kept unclamped", () => {
    const encoding = parseProfile(makeProfile(wide, 2.19921875), 8)!;
    const [r, g, b] = decodeCodes(Uint8Array.from([0, 255, 0]), encoding);
    expect(r).toBeLessThan(-0.2);
    expect(g).toBeCloseTo(1, 2);
    expect(Math.abs(b)).toBeLessThan(0.1);
    const [w1, w2, w3] = decodeCodes(Uint8Array.from([255, 255, 255]), encoding);
    for (const w of [w1, w2, w3]) expect(w).toBeCloseTo(1, 2);
  });

  test("every code triple comes back in the plate's own encoding", () => {
    const random = seeded(3);
    const encodings = [
      srgbEncoding(8),
      parseProfile(makeProfile(wide, 2.19921875), 8)!,
      parseProfile(makeProfile(wide, 1.8), 16)!,
    ];
    for (const encoding of encodings) {
      const top = encoding.bits === 8 ? 256 : 65536;
      const codes = fill(encoding.bits, 3000, () => Math.floor(random() * top));
      const linear = decodeCodes(codes, encoding);
      const back = codes.slice().fill(0);
      const encode = pixelEncoder(encoding);
      for (let i = 0; i < codes.length; i += 3) encode(linear[i], linear[i + 1], linear[i + 2], back, i);
      let off = 0;
      back.forEach((v, i) => (off = Math.max(off, Math.abs(v - codes[i]))));
      // Sixteen bits through a float32 matrix may miss by a few codes; untouched pixels never go through it.
      expect(off).toBeLessThanOrEqual(encoding.bits === 8 ? 0 : 8);
    }
  });

  test("a profile that is sRGB in its numbers counts as sRGB; other kinds are not taken", () => {
    const srgb = [
      [0.43607, 0.22249, 0.01392],
      [0.38515, 0.71687, 0.09708],
      [0.14307, 0.06061, 0.7141],
    ];
    const gamma = parseProfile(makeProfile(srgb, 2.2), 8)!;
    expect(gamma.curves[0].kind).toBe("parametric");
    expect(parseProfile(new Uint8Array(200), 8)).toBeNull();
    // A curve of no known kind, one that falls, and colorants that lie on a line: they cannot be turned back.
    const odd = makeProfile(srgb, 2.2);
    const curve = Buffer.from(odd).indexOf("curv");
    odd.set(new TextEncoder().encode("para"), curve);
    new DataView(odd.buffer).setUint16(curve + 8, 9);
    expect(parseProfile(odd, 8)).toBeNull();
    expect(parseProfile(makeProfile(srgb, 0), 8)).toBeNull();
    expect(parseProfile(makeProfile([srgb[0], srgb[0], srgb[2]], 2.2), 8)).toBeNull();
    const parametric: PlateEncoding["curves"][0] = {
      kind: "parametric",
      type: 3,
      values: [2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045],
    };
    for (const x of [0, 0.02, 0.3, 0.7, 1]) {
      expect(curveToLinear(parametric, x)).toBeCloseTo(srgbToLinear(x), 6);
      expect(curveToCode(parametric, curveToLinear(parametric, x))).toBeCloseTo(x, 6);
    }
  });
});

describe("sizes", () => {
  test("box averaging keeps the mean, also at odd sizes", () => {
    const random = seeded(8);
    const pixels = Float32Array.from({ length: 31 * 17 * 3 }, random);
    const small = shrink({ width: 31, height: 17, pixels }, 10, 6);
    const mean = (a: Float32Array) => a.reduce((s, v) => s + v, 0) / a.length;
    expect(mean(small.pixels)).toBeCloseTo(mean(pixels), 5);
  });
  test("per cent are of the side", () => {
    expect(sizeAt({ width: 1620, height: 1080 }, 50)).toEqual({ width: 810, height: 540 });
    expect(sizeAt({ width: 1621, height: 1080 }, 100)).toEqual({ width: 1621, height: 1080 });
  });
});

test("how many bounds are less than a number is as counted, at the bounds and beside them", () => {
  const next = seeded(3);
  const odd = [-Infinity, -1, -0, 0, 1e-45, 1e-40, 1, 255, 65535, Infinity, NaN];
  for (const bounds of [
    Float64Array.from({ length: 255 }, (_, i) => curveToLinear({ kind: "srgb" }, (i + 0.5) / 255)),
    Float64Array.from({ length: 300 }, () => next() ** 9 * 3 - 0.01).sort(),
    Float64Array.of(-2, 0, 0, 1e-45, 0.5, 0.5, 0.5, 0.5000001, 7),
    new Float64Array(0),
  ]) {
    const find = countBelow(bounds);
    const beside = [...bounds].flatMap((bound) => [
      bound,
      bound * (1 + 2 ** -52),
      bound * (1 - 2 ** -52),
      bound * 1.001,
    ]);
    for (const value of [...odd, ...beside, ...Array.from({ length: 500 }, next)])
      expect([value, find(value)]).toEqual([value, bounds.filter((bound) => bound < value).length]);
  }
});
