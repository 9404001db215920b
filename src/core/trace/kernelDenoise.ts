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

/** Rows that are filtered by every shift in turn, so few that all planes of them stay in the processor's cache. */
const STRIPE = 24;

/** Addresses of one signal's halves, and of what is summed of them. */
interface Gathering {
  even: number;
  odd: number;
  spread: number;
  evenSums: number;
  oddSums: number;
  evenWeights: number;
  oddWeights: number;
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
  const featureWeights = putFeatures(memory, features.slopes.map(weightOfSlope), n);
  const apart = memory.reserve(plane);
  const scratch = memory.reserve(4 * (width + 2 * L.DENOISE_MARGIN) * height * 4);
  const gatherings = signals.map(({ even, odd }): Gathering => {
    const spread = memory.reserve(3 * plane);
    spreadOf(even, odd).forEach((s, c) => memory.f32(spread + c * plane, n).set(s));
    return {
      even: putPlanes(memory, even),
      odd: putPlanes(memory, odd),
      spread,
      evenSums: putPlanes(memory, even),
      oddSums: putPlanes(memory, odd),
      evenWeights: putOnes(memory, n),
      oddWeights: putOnes(memory, n),
    };
  });
  // Weights hold for both directions, so half of the shifts will do.
  for (let y0 = 0; y0 < height; y0 += STRIPE) {
    for (let dy = 0; dy <= L.DENOISE_REACH; dy++) {
      const y1 = Math.min(y0 + STRIPE, height - dy);
      if (y1 <= y0 || height - dy - (dy === 0 ? 0 : 1) <= 0) continue;
      for (let dx = dy === 0 ? 1 : -L.DENOISE_REACH; dx <= L.DENOISE_REACH; dx++) {
        const x0 = Math.max(0, -dx);
        const x1 = Math.min(width, width - dx);
        if (x1 - x0 - (dx === 0 ? 0 : 1) <= 0) continue;
        kernel.featureDistance(values, featureWeights, plane, width, x0, x1, y0, y1, dy * width + dx, apart);
        for (const g of gatherings)
          kernel.gatherHalves(
            g.even,
            g.odd,
            g.spread,
            g.evenSums,
            g.oddSums,
            g.evenWeights,
            g.oddWeights,
            apart,
            scratch,
            plane,
            width,
            height,
            dx,
            dy,
            y0,
            y1,
          );
      }
    }
  }
  return gatherings.map(({ evenSums, oddSums, evenWeights, oddWeights }) =>
    [0, 1, 2].map((c) => {
      const a = memory.f32(evenSums + c * plane, n);
      const b = memory.f32(oddSums + c * plane, n);
      const u = memory.f32(evenWeights, n);
      const v = memory.f32(oddWeights, n);
      const mean = new Float32Array(n);
      for (let i = 0; i < n; i++) mean[i] = 0.5 * (a[i] / u[i] + b[i] / v[i]);
      return mean;
    }),
  );
}

/** What the square of a feature's difference is weighed by, where the feature has this squared slope. */
const weightOfSlope = (slope: number): number =>
  1 / (L.DENOISE_FEATURE_STRICT ** 2 * Math.max(L.DENOISE_LEAST_SLOPE, slope));

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
