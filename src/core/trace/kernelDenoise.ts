import * as L from "../../kernel/layout.ts";
import type { Box, Features, Halves, PartFilter, Planes } from "./denoise.ts";
import { spreadOf } from "./denoise.ts";
import type { Kernel } from "./kernel.ts";
import type { SceneMemory } from "./memory.ts";

/** The filter of `denoiseFilm` at native speed. It takes memory behind what is reserved, and gives it back. */
export function kernelFilter(kernel: Kernel, memory: SceneMemory): PartFilter {
  return (signals, features, width, height, wanted) => {
    const mark = memory.mark();
    try {
      return filterPart(kernel, memory, signals, features, width, height, wanted);
    } finally {
      memory.release(mark);
    }
  };
}

const STRICTNESS = 1 / (L.DENOISE_FEATURE_STRICT * L.DENOISE_FEATURE_STRICT);

/** Addresses of one half of a signal: three planes, their weighed sums, and the sum of weights. */
interface Half {
  own: number;
  sums: number;
  total: number;
}

/** Addresses of one signal, and of three rows of its differences, taken in turn: a patch looks at a row to each side. */
interface Gathering {
  even: Half;
  odd: Half;
  spread: number;
  turns: number[];
}

/** A part of the picture in the kernel's memory, and what its rows are compared in. */
interface Part {
  width: number;
  /** Bytes of a plane, of a row with room to its sides, and of the rows of all shifts. */
  plane: number;
  pitch: number;
  room: number;
  values: number;
  featureWeights: number;
  terms: number;
  scratch: number;
  apart: number;
  weights: number;
  wanted: Box;
  /** Columns whose weights are wanted. */
  x0: number;
  x1: number;
}

/** Shifts by which a row is compared: `dy` rows down, and from `first` columns on. */
interface Shifts {
  dy: number;
  first: number;
  /** The last row that has a partner. */
  last: number;
}

function filterPart(
  kernel: Kernel,
  memory: SceneMemory,
  signals: Halves[],
  features: Features,
  width: number,
  height: number,
  wanted: Box,
): Float32Array[][] {
  const part = putPart(kernel, memory, features, width, height, wanted);
  const gatherings = signals.map((halves) => putSignal(memory, halves, part));
  const { values, featureWeights, plane, terms, apart, pitch, x0, x1 } = part;
  for (let dy = 0; dy <= L.DENOISE_REACH; dy++) {
    // Weights hold for both directions, so half of the shifts will do.
    const shifts = { dy, first: dy === 0 ? 1 : -L.DENOISE_REACH, last: height - dy - 1 };
    const y0 = Math.max(0, wanted.y0 - dy);
    const y1 = Math.min(dy > 0 ? shifts.last : height, wanted.y1);
    memory.f32(part.weights - L.DENOISE_MARGIN * 4, (2 * part.room) / 4).fill(0);
    let next = Math.max(0, y0 - 1);
    for (let y = y0; y < y1; y++) {
      kernel.featureRows(values, featureWeights, plane, width, y, dy, shifts.first, x0, x1, terms, apart, pitch);
      for (; next <= Math.min(y + 1, shifts.last); next++)
        for (const signal of gatherings) compareRow(kernel, part, signal, next, shifts);
      for (const signal of gatherings) gatherRow(kernel, part, signal, y, shifts);
    }
  }
  return gatherings.map((signal) => meansOf(memory, signal, width * height));
}

/** Differences of a signal's halves between row y and all shifts, into the row's turn. */
function compareRow(kernel: Kernel, p: Part, { even, odd, spread, turns }: Gathering, y: number, s: Shifts): void {
  const { plane, width, x0, x1, terms, scratch, room, pitch } = p;
  const { dy, first } = s;
  const to = turns[y % 3];
  kernel.differenceRows(even.own, odd.own, spread, plane, width, y, dy, first, x0, x1, terms, scratch, to, room, pitch);
}

/** Adds row y of both halves and all shifts of it to each other, as far as they are wanted. */
function gatherRow(kernel: Kernel, p: Part, { even, odd, turns }: Gathering, y: number, s: Shifts): void {
  const { plane, width, x0, x1, terms, apart, weights, room, pitch, wanted } = p;
  const { dy, first, last } = s;
  const { x0: from, x1: until } = wanted;
  const [up, middle, down] = [Math.max(0, y - 1), y, Math.min(last, y + 1)].map((row) => turns[row % 3]);
  // Each half is weighed by the other's differences.
  for (const [{ own, sums, total }, other, to] of [
    [even, room, weights],
    [odd, 0, weights + room],
  ] as const) {
    kernel.weightRows(up + other, middle + other, down + other, apart, width, first, x0, x1, terms, to, pitch);
    const gather = (back: 0 | 1) =>
      kernel.gatherRow(own, sums, total, plane, width, y, dy, first, from, until, to, pitch, back);
    if (y >= wanted.y0) gather(0);
    if (y + dy >= wanted.y0 && y + dy < wanted.y1) gather(1);
  }
}

function meansOf(memory: SceneMemory, { even, odd }: Gathering, n: number): Float32Array[] {
  return [0, 1, 2].map((c) => {
    const a = memory.f32(even.sums + c * n * 4, n);
    const b = memory.f32(odd.sums + c * n * 4, n);
    const u = memory.f32(even.total, n);
    const v = memory.f32(odd.total, n);
    const mean = new Float32Array(n);
    for (let i = 0; i < n; i++) mean[i] = 0.5 * (a[i] / u[i] + b[i] / v[i]);
    return mean;
  });
}

function putPart(
  kernel: Kernel,
  memory: SceneMemory,
  features: Features,
  width: number,
  height: number,
  wanted: Box,
): Part {
  const pitch = (width + 2 * L.DENOISE_MARGIN) * 4;
  const room = pitch * (2 * L.DENOISE_REACH + 1);
  const values = putFeatures(memory, features.values);
  const featureWeights = putFeatures(memory, features.slopes);
  // What the square of a feature's difference is weighed by, where the feature has this squared slope.
  const weigh = memory.f32(featureWeights, features.slopes.length);
  for (let i = 0; i < weigh.length; i++) weigh[i] = STRICTNESS / Math.max(L.DENOISE_LEAST_SLOPE, weigh[i]);
  const terms = memory.reserve(L.DENOISE_TERMS * 4);
  kernel.denoiseTerms(terms);
  return {
    width,
    plane: width * height * 4,
    pitch,
    room,
    values,
    featureWeights,
    terms,
    scratch: putRows(memory, 2 * pitch),
    apart: putRows(memory, room),
    weights: putRows(memory, 2 * room),
    wanted,
    x0: Math.max(0, wanted.x0 - L.DENOISE_REACH),
    x1: Math.min(width, wanted.x1 + L.DENOISE_REACH),
  };
}

/** Room for rows, at the first one's first pixel. */
const putRows = (memory: SceneMemory, bytes: number): number => memory.reserve(bytes) + L.DENOISE_MARGIN * 4;

const putSignal = (memory: SceneMemory, { even, odd }: Halves, { room }: Part): Gathering => ({
  even: putHalf(memory, even),
  odd: putHalf(memory, odd),
  spread: putPlanes(memory, spreadOf(even, odd)),
  turns: [0, 1, 2].map(() => putRows(memory, 2 * room)),
});

function putHalf(memory: SceneMemory, { planes }: Planes): Half {
  const [own, sums] = [putPlanes(memory, planes), putPlanes(memory, planes)];
  const total = memory.reserve(planes[0].length * 4);
  memory.f32(total, planes[0].length).fill(1);
  return { own, sums, total };
}

/** Floats beyond the ends of planes that are read, and then count nothing. */
const GUARD = 2 * L.DENOISE_MARGIN;

/** Room for floats with zeros beyond their ends. */
function guarded(memory: SceneMemory, floats: number): number {
  const address = memory.reserve((floats + 2 * GUARD) * 4) + GUARD * 4;
  memory.f32(address - GUARD * 4, GUARD).fill(0);
  memory.f32(address + floats * 4, GUARD).fill(0);
  return address;
}

/** Planes one behind the other. */
function putPlanes(memory: SceneMemory, planes: Float32Array[]): number {
  const n = planes[0].length;
  const address = guarded(memory, planes.length * n);
  planes.forEach((p, c) => memory.f32(address + c * n * 4, n).set(p));
  return address;
}

/** Interleaved features as planes. */
function putFeatures(memory: SceneMemory, interleaved: Float32Array): number {
  const n = interleaved.length / L.DENOISE_FEATURES;
  const address = guarded(memory, interleaved.length);
  const to = memory.f32(address, interleaved.length);
  for (let i = 0, at = 0; i < n; i++)
    for (let f = 0; f < L.DENOISE_FEATURES; f++, at++) to[f * n + i] = interleaved[at];
  return address;
}
