import { expect, test } from "@jest/globals";
import { deflateSync } from "node:zlib";
import { compileKernel, newKernelMemory, openKernel } from "#node/kernelFile";
import { seeded } from "../../testing/random.ts";
import { ownKernel, packedFilm } from "../../testing/render.ts";
import * as L from "../../kernel/layout.ts";
import type { ExrChannel } from "../image/exr.ts";
import { packRows } from "../image/exr.ts";
import type { ExrHeader } from "../image/exrCheck.ts";
import { folded, fromHalf } from "../image/exrRead.ts";
import type { LightWeights } from "./film.ts";
import { ALL_SUMS, PROOF_SUMS, developFilm, filmCounts, filmLayout, packing, unitWeights } from "./film.ts";
import { kernelBlocks, kernelReader } from "./kernelBlocks.ts";
import { KernelFilm, kernelPasses } from "./kernelFilm.ts";
import { GENERATION_ADDRESS, TILE_COUNTER_ADDRESS, scratchAddress } from "./memory.ts";

const [WIDTH, HEIGHT] = [37, 21];
const PIXELS = WIDTH * HEIGHT;
const layout = filmLayout(ALL_SUMS, ["lamp"], ["crate"], ["wood", "rope"]);

/** Pixels that nothing touched, catchers with equal light and with less, props, and mixtures of them. */
function someFilm(): Float32Array {
  const next = seeded(7);
  const film = new Float32Array(PIXELS * layout.stride);
  for (let i = 0; i < PIXELS; i++) {
    const kind = i % 5;
    const f = i * layout.stride;
    const samples = 1 + Math.floor(next() * 9);
    film[f + L.FILM_SAMPLES] = samples;
    if (kind === 0) continue;
    for (let k = layout.lights; k < layout.stride; k++) film[f + k] = next() < 0.3 ? 0 : next() * samples;
    const caught = kind === 3 ? 0 : kind === 4 ? Math.floor(samples / 2) : samples;
    film[f + L.FILM_CATCHER] = film[f + L.FILM_SET] = caught;
    film[f + L.FILM_LIMITED] = i % 3;
    if (kind >= 3) film[f + L.FILM_ALPHA] = samples - caught;
    for (let k = 0; k < 3 && kind >= 2; k++) {
      film[f + L.FILM_PROP + k] = kind >= 3 ? next() * samples : 0;
      film[f + L.FILM_ADDED + k] = next() - 0.5;
      film[f + L.FILM_GLOSS + k] = next();
    }
    film[f + L.FILM_DEPTH] = 9 * film[f + L.FILM_ALPHA];
    for (let g = 0; g < layout.groups.length && kind === 1; g++)
      for (let k = 0; k < 3; k++)
        film[f + layout.lights + g * L.LIGHT_FLOATS + 3 + k] = film[f + layout.lights + g * L.LIGHT_FLOATS + k];
  }
  return film;
}

const dimmed: LightWeights = {
  ...unitWeights(),
  sun: [0.5, 0.6, 0.7],
  lamps: [[2, 2, 3]],
  props: { ...unitWeights(), sun: [0.5, 0.6, 0.7] },
};

async function unpacked(film: Float32Array) {
  const { kernel, memory } = await ownKernel();
  const own = new KernelFilm(kernel, memory, PIXELS + 5, layout);
  const packed = await packedFilm(film, packing(layout));
  const words = Uint32Array.from([...packed.masks, ...packed.words]);
  own.words(words.length).set(words);
  return { kernel, memory, own, count: words.length, there: own.unpack(words.length, PIXELS)! };
}

test("a packed film comes back to the bit; one that is torn or of another size does not", async () => {
  const film = someFilm();
  const { own, count, there } = await unpacked(film);
  expect(Buffer.from(there.pixels.slice().buffer).equals(Buffer.from(film.buffer))).toBe(true);
  expect(
    Array.from(there.there, (is, k) => is === Number(film.some((v, i) => i % layout.stride === k && v !== 0))),
  ).toEqual(new Array(layout.stride).fill(true));
  expect(own.unpack(count - 1, PIXELS)).toBeNull();
  expect(own.unpack(count, PIXELS - 1)).toBeNull();
  expect(own.unpack(count, PIXELS + 6)).toBeNull();
  expect(() => own.words(1e7)).toThrow(/more sums than its pixels can hold/);
});

test.each([
  ["as it was rendered", unitWeights()],
  ["with lights dimmed", dimmed],
])(
  "the kernel develops a film %s to the bits of developFilm, some rows of it where they belong",
  async (_, weights) => {
    const film = someFilm();
    const { memory, own } = await unpacked(film);
    const whole = developFilm(film, WIDTH, HEIGHT, layout, weights);
    const [from, rows, to] = [4, 13, 2];
    const passes = kernelPasses(memory, WIDTH, HEIGHT);
    own.develop(weights, from * WIDTH, rows * WIDTH, passes, to * WIDTH);
    for (const [key, floats] of [
      ["prop", 4],
      ["ratio", 3],
      ["added", 3],
      ["depth", 1],
    ] as const) {
      const part = (of: Float32Array, y: number) => [...of.subarray(y * WIDTH * floats, (y + rows) * WIDTH * floats)];
      expect(part(passes[key], to)).toEqual(part(whole[key], from));
    }
  },
);

test("weights of the props need a film that keeps their lights; passes elsewhere are refused", async () => {
  const { kernel, memory } = await ownKernel();
  const own = new KernelFilm(
    kernel,
    memory,
    PIXELS,
    filmLayout({ ...PROOF_SUMS, propLights: false }, ["lamp"], [], []),
  );
  const passes = kernelPasses(memory, WIDTH, HEIGHT);
  expect(() => own.develop(dimmed, 0, 1, passes, 0)).toThrow(/does not keep the props' lights apart/);
  const heap = developFilm(someFilm(), WIDTH, HEIGHT, layout);
  expect(() => own.develop(unitWeights(), 0, 1, heap, 0)).toThrow(/do not stand in the kernel's memory/);
});

test("counts of a film are those without the kernel", async () => {
  const film = someFilm();
  const { own, there } = await unpacked(film);
  const plain = filmCounts(film, PIXELS, layout);
  const quick = filmCounts(there.pixels, PIXELS, layout, own.planesOf);
  for (const [name, values] of Object.entries(plain)) expect([...quick[name as "seen"]]).toEqual([...(values ?? [])]);
});

/** Values at which halves round, flow over and under, and are no numbers. */
const ODD = [
  0,
  -0,
  1,
  -1,
  65504,
  65519.99,
  65520,
  1e9,
  -1e9,
  Infinity,
  -Infinity,
  NaN,
  6.1e-5,
  6.0e-5,
  2.98e-8,
  2.99e-8,
  1e-45,
].concat([1 + 2 ** -11, 1 + 3 * 2 ** -11, 2 ** -24 * 1.5, 2 ** -24 * 2.5, 0.1, -0.1]);

test.each([1, 3, 4, 37, 64, 131])("blocks of rows %i wide are those without the kernel", async (width) => {
  const { kernel, memory } = await ownKernel();
  const next = seeded(width);
  const rows = 19;
  const values = Float32Array.from({ length: width * rows * 5 }, () =>
    next() < 0.4 ? ODD[Math.floor(next() * ODD.length)] : next(),
  );
  const counts = Float32Array.from({ length: width * rows }, () => Math.floor(next() * 4));
  const held = memory.f32(memory.putF32(values), values.length);
  const channels = (of: Float32Array): ExrChannel[] => [
    { name: "A", values: of, offset: 0, stride: 5 },
    { name: "B", values: of, offset: 1, stride: 5, over: { counts, empty: 0 } },
    { name: "C", values: of, offset: 2, stride: 5, over: { counts, empty: 1 } },
    { name: "D", values: of, offset: 3, stride: 5, zero: true },
    { name: "E", values: of, offset: 4, stride: 5, type: "float", over: { counts, empty: 0.5 } },
    { name: "F", values: of, offset: 4, stride: 5, type: "float" },
  ];
  const packed = (of: Float32Array, bytes?: Parameters<typeof packRows>[6]) =>
    packRows(width, rows, 32, channels(of), "half", (raw) => deflateSync(raw), bytes).map((block) =>
      Buffer.from(block),
    );
  const plain = packed(values);
  expect(plain).toHaveLength(2);
  const quick = kernelBlocks(kernel, memory);
  expect(packed(values, quick)).toEqual(plain);
  expect(packed(held, quick)).toEqual(plain);
});

test.each([1, 3, 4, 37, 64, 131])("blocks of rows %i wide are read to the values that they hold", async (width) => {
  const { kernel, memory } = await ownKernel();
  const reader = kernelReader(kernel, memory);
  const next = seeded(width);
  const rows = 11;
  const channels = [
    { name: "A", type: "half" as const },
    { name: "B", type: "float" as const },
    { name: "C", type: "uint" as const },
  ];
  const raw = Uint8Array.from({ length: width * rows * 10 }, () => Math.floor(next() * 256));
  const view = new DataView(raw.buffer);
  const value = (c: number, x: number, y: number) => {
    const at = y * width * 10 + [0, width * 2, width * 6][c] + x * (c === 0 ? 2 : 4);
    return [() => fromHalf(view.getUint16(at, true)), () => view.getFloat32(at, true), () => view.getUint32(at, true)][
      c
    ]();
  };
  const room = (floats: number) => memory.f32(memory.putF32(new Float32Array(floats).fill(7)), floats);
  for (const own of [
    { bytes: folded(raw), folded: true },
    { bytes: raw, folded: false },
  ]) {
    // The block begins at row 40; rows 42 to 48 are wanted, where row 38 is the first that there is room for.
    const [pairs, single] = [room(width * 12 * 3), room(width * 12)];
    const targets = new Map([
      ["A", { values: pairs, offset: 2, stride: 3 }],
      ["B", { values: pairs, offset: 0, stride: 3 }],
      ["C", { values: single, offset: 0, stride: 1 }],
    ]);
    const header = { width, channels } as unknown as ExrHeader;
    reader({ y0: 40, rows, again: false, ...own }, header, targets, 38, 42, 48);
    const wanted = (c: number, i: number) => {
      const y = 38 + Math.floor(i / width);
      return y < 42 || y >= 48 ? 7 : Math.fround(value(c, i % width, y - 40));
    };
    const at = (c: number) => Float32Array.from({ length: width * 12 }, (_, i) => wanted(c, i));
    const every = (of: Float32Array, offset: number, stride: number) =>
      Float32Array.from({ length: width * 12 }, (_, i) => of[i * stride + offset]);
    expect(every(pairs, 2, 3)).toEqual(at(0));
    expect(every(pairs, 0, 3)).toEqual(at(1));
    expect(single).toEqual(at(2));
    expect(every(pairs, 1, 3).every((v) => v === 7)).toBe(true);
  }
});

test("bytes are folded as those that are packed", () => {
  const channels: ExrChannel[] = [
    { name: "A", values: Float32Array.from(ODD) },
    { name: "B", values: Float32Array.from(ODD), type: "float" },
  ];
  const packed: Uint8Array[] = [];
  // What packing makes larger is stored as it is.
  const [stored] = packRows(ODD.length, 1, 0, channels, "half", (raw) => {
    packed.push(raw.slice());
    return new Uint8Array(raw.length + 1);
  });
  expect(folded(stored.subarray(8))).toEqual(packed[0]);
});

test("every half is read as the number that it is", async () => {
  const { kernel, memory } = await ownKernel();
  const bits = Uint16Array.from({ length: 65536 }, (_, i) => i);
  const out = memory.f32(memory.reserve(65536 * 4), 65536);
  const header = { width: 65536, channels: [{ name: "Y", type: "half" }] } as unknown as ExrHeader;
  const block = { y0: 0, rows: 1, again: false, bytes: folded(new Uint8Array(bits.buffer)), folded: true };
  const targets = new Map([["Y", { values: out, offset: 0, stride: 1 }]]);
  kernelReader(kernel, memory)(block, header, targets, 0, 0, 1);
  expect(out).toEqual(Float32Array.from(bits, fromHalf));
});

test("that pixels repeat is seen as without the kernel, wherever the one that differs stands", async () => {
  const { kernel, memory } = await ownKernel();
  const { repeats } = kernelBlocks(kernel, memory);
  for (const [stride, pixels] of [
    [1, 1],
    [1, 67],
    [3, 50],
    [4, 41],
  ]) {
    const like = Float32Array.from({ length: pixels * stride }, (_, i) => (i % stride) - 1);
    const held = memory.f32(memory.putF32(like), like.length);
    const both = (first: number, end: number) =>
      [like, held].map((values) => Boolean(repeats(values, stride, first * stride, end * stride)));
    expect(both(0, pixels)).toEqual([true, true]);
    for (let i = stride; i < like.length; i++) {
      like[i] = held[i] = 7;
      expect([i, ...both(0, pixels)]).toEqual([i, false, false]);
      // Rows that end before it, or begin after it, know nothing of it.
      const at = Math.floor(i / stride);
      expect([i, ...both(0, at), ...both(at + 1, pixels)]).toEqual([i, true, true, true, true]);
      like[i] = held[i] = (i % stride) - 1;
    }
  }
});

test("what threads count stands where the module keeps nothing of its own", async () => {
  const memory = newKernelMemory();
  await openKernel(await compileKernel(), memory, scratchAddress(0));
  for (const address of [GENERATION_ADDRESS, TILE_COUNTER_ADDRESS])
    expect([...new Uint8Array(memory.buffer, address - 16, 48)]).toEqual(new Array(48).fill(0));
});
