import * as L from "../../kernel/layout.ts";
import type { Features, Halves, PartFilter, Planes } from "./denoise.ts";
import { spreadOf } from "./denoise.ts";
import type { Kernel } from "./kernel.ts";
import type { SceneMemory } from "./memory.ts";

/** The filter of `denoiseFilm` at native speed. It takes memory behind what is reserved, and gives it back. */
export function kernelFilter(kernel: Kernel, memory: SceneMemory): PartFilter {
  return (signals, features, width, height) => {
    const mark = memory.mark();
    try {
      return filterPart(kernel, memory, signals, features, width, height);
    } finally {
      memory.release(mark);
    }
  };
}

interface Gathering {
  own: number;
  other: number;
  spread: number;
  sums: number;
  weights: number;
}

function filterPart(
  kernel: Kernel,
  memory: SceneMemory,
  signals: Halves[],
  features: Features,
  width: number,
  height: number,
): Float32Array[][] {
  const n = width * height;
  const plane = n * 4;
  const values = putFeatures(memory, features.values, n);
  const slopes = putFeatures(memory, features.slopes, n);
  const apart = memory.reserve(plane);
  const scratch = (width + 2 * L.DENOISE_MARGIN) * height * 4;
  const distance = memory.reserve(scratch);
  const across = memory.reserve(scratch);
  const gatherings = signals.map(({ even, odd }): Gathering[] => {
    const a = putPlanes(memory, even);
    const b = putPlanes(memory, odd);
    const spread = memory.reserve(3 * plane);
    spreadOf(even, odd).forEach((s, c) => memory.f32(spread + c * plane, n).set(s));
    return [
      { own: a, other: b, spread, sums: putPlanes(memory, even), weights: putOnes(memory, n) },
      { own: b, other: a, spread, sums: putPlanes(memory, odd), weights: putOnes(memory, n) },
    ];
  });
  // Weights hold for both directions, so half of the shifts will do.
  for (let dy = 0; dy <= L.DENOISE_REACH; dy++) {
    for (let dx = dy === 0 ? 1 : -L.DENOISE_REACH; dx <= L.DENOISE_REACH; dx++) {
      const x0 = Math.max(0, -dx);
      const x1 = Math.min(width, width - dx);
      if (x1 - x0 - (dx === 0 ? 0 : 1) <= 0 || height - dy - (dy === 0 ? 0 : 1) <= 0) continue;
      kernel.featureDistance(values, slopes, plane, width, x0, x1, height - dy, dy * width + dx, apart);
      for (const { own, other, spread, sums, weights } of gatherings.flat()) {
        kernel.gatherHalf(own, other, spread, sums, weights, apart, distance, across, plane, width, height, dx, dy);
      }
    }
  }
  return gatherings.map(([even, odd]) =>
    [0, 1, 2].map((c) => {
      const a = memory.f32(even.sums + c * plane, n);
      const b = memory.f32(odd.sums + c * plane, n);
      const u = memory.f32(even.weights, n);
      const v = memory.f32(odd.weights, n);
      return Float32Array.from({ length: n }, (_, i) => 0.5 * (a[i] / u[i] + b[i] / v[i]));
    }),
  );
}

/** Three planes one behind the other. */
function putPlanes(memory: SceneMemory, { planes }: Planes): number {
  const n = planes[0].length;
  const address = memory.reserve(3 * n * 4);
  planes.forEach((p, c) => memory.f32(address + c * n * 4, n).set(p));
  return address;
}

/** Interleaved features as planes. */
function putFeatures(memory: SceneMemory, interleaved: Float32Array, n: number): number {
  const address = memory.reserve(n * L.DENOISE_FEATURES * 4);
  const to = memory.f32(address, n * L.DENOISE_FEATURES);
  for (let i = 0, at = 0; i < n; i++)
    for (let f = 0; f < L.DENOISE_FEATURES; f++, at++) to[f * n + i] = interleaved[at];
  return address;
}

function putOnes(memory: SceneMemory, n: number): number {
  const address = memory.reserve(n * 4);
  memory.f32(address, n).fill(1);
  return address;
}
