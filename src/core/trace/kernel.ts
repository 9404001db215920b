/** What the WebAssembly module exports (see src/kernel/index.ts for meanings and layouts). Addresses are in bytes. */
export interface Kernel {
  buildBvh(
    positions: number,
    triangles: number,
    count: number,
    records: number,
    binary: number,
    out: number,
    blocks: number,
    work: number,
  ): void;
  closest(
    root: number,
    ox: number,
    oy: number,
    oz: number,
    dx: number,
    dy: number,
    dz: number,
    tMin: number,
    tMax: number,
  ): number;
  closestBatch(
    root: number,
    rays: number,
    stride: number,
    count: number,
    tMin: number,
    tMax: number,
    distances: number,
    ids: number,
  ): void;
  occludedBatch(
    root: number,
    rays: number,
    stride: number,
    count: number,
    tMin: number,
    tMax: number,
    out: number,
  ): void;
  hitT(): number;
  hitU(): number;
  hitV(): number;
  setScratch(address: number): void;
  samplePoints(pixel: number, seed: number, pair: number, count: number, out: number): void;
  renderTile(params: number, x0: number, y0: number, x1: number, y1: number, s0: number, s1: number): number;
  renderFill(params: number, y0: number, y1: number, width: number, height: number, samples: number, out: number): void;
  probePixels(params: number, pixels: number, count: number, samples: number, out: number): void;
}

/** The part of WebAssembly.Memory that the tracer uses; it must be shared between threads. */
export interface KernelMemory {
  readonly buffer: ArrayBufferLike;
  grow(pages: number): number;
}

/** Pages of 64 KiB that the module asks for at the start, and the most it may grow to. */
export const MEMORY_PAGES = { initial: 64, maximum: 65536, shared: true } as const;
