/** What the WebAssembly module exports (see src/kernel/index.ts for meanings and layouts). Addresses are in bytes. */
export interface Kernel {
  buildTriangles(
    positions: number,
    triangles: number,
    count: number,
    records: number,
    nodes: number,
    work: number,
  ): number;
  buildBoxes(boxes: number, count: number, records: number, nodes: number, work: number): number;
  planCollapse(nodes: number, used: number, plan: number, work: number): number;
  emit(
    nodes: number,
    plan: number,
    positions: number,
    triangles: number,
    parts: number,
    base: number,
    records: number,
    out: number,
    shift: number,
    work: number,
  ): number;
  closest: Trace;
  closestBatch: TraceBatch;
  occludedBatch(
    root: number,
    rays: number,
    stride: number,
    count: number,
    tMin: number,
    tMax: number,
    out: number,
  ): void;
  closestInstanceBatch(
    params: number,
    root: number,
    rays: number,
    stride: number,
    count: number,
    tMin: number,
    tMax: number,
    distances: number,
    ids: number,
  ): void;
  occludedInstanceBatch(
    params: number,
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
  takeRayCount(): number;
  setScratch(address: number): void;
  setParams(address: number): void;
  samplePoints(pixel: number, seed: number, pair: number, count: number, out: number): void;
  renderTile(params: number, x0: number, y0: number, x1: number, y1: number, s0: number, s1: number): number;
  renderFill(
    params: number,
    y0: number,
    y1: number,
    width: number,
    height: number,
    samples: number,
    out: number,
  ): number;
  probePixels(params: number, pixels: number, count: number, samples: number, out: number): void;
  lookFrom(
    params: number,
    x: number,
    y: number,
    z: number,
    directions: number,
    count: number,
    sample: number,
    unlit: number,
    out: number,
  ): void;
  denoiseTerms(terms: number): void;
  featureRows(
    values: number,
    weights: number,
    plane: number,
    width: number,
    y: number,
    dy: number,
    first: number,
    x0: number,
    x1: number,
    terms: number,
    apart: number,
    pitch: number,
  ): void;
  differenceRows(
    even: number,
    odd: number,
    spread: number,
    plane: number,
    width: number,
    y: number,
    dy: number,
    first: number,
    x0: number,
    x1: number,
    terms: number,
    scratch: number,
    sums: number,
    room: number,
    pitch: number,
  ): void;
  weightRows(
    up: number,
    middle: number,
    down: number,
    apart: number,
    width: number,
    first: number,
    x0: number,
    x1: number,
    terms: number,
    weights: number,
    pitch: number,
  ): void;
  gatherRow(
    own: number,
    sums: number,
    total: number,
    plane: number,
    width: number,
    y: number,
    dy: number,
    first: number,
    x0: number,
    x1: number,
    weights: number,
    pitch: number,
    back: number,
  ): void;
  packPixels(values: number, pixels: number, stride: number, twins: number, masks: number, words: number): number;
  unpackPixels(
    masks: number,
    words: number,
    count: number,
    pixels: number,
    stride: number,
    twins: number,
    values: number,
    there: number,
  ): number;
  blockRows(plan: number, channels: number, width: number, rows: number, pairs: number, out: number): void;
  unblockRows(
    bytes: number,
    plan: number,
    channels: number,
    width: number,
    rows: number,
    pairs: number,
    from: number,
    to: number,
  ): void;
  repeats(address: number, count: number, stride: number): boolean;
  developFilm(
    film: number,
    pixels: number,
    stride: number,
    lights: number,
    groups: number,
    weights: number,
    propLights: number,
    changes: number,
    prop: number,
    ratio: number,
    added: number,
    depth: number,
  ): void;
  filmPlanes(film: number, pixels: number, stride: number, floats: number, count: number, planes: number): void;
  adler32(at: number, length: number): number;
  filterRows(from: number, row: number, rows: number, step: number, to: number): void;
  pickPixel(params: number, u: number, v: number): number;
  pickedPropNumber(): number;
  drawBsdf(params: number, vx: number, vy: number, vz: number, front: number, count: number, out: number): void;
}

type Trace = (
  root: number,
  ox: number,
  oy: number,
  oz: number,
  dx: number,
  dy: number,
  dz: number,
  tMin: number,
  tMax: number,
) => number;

type TraceBatch = (
  root: number,
  rays: number,
  stride: number,
  count: number,
  tMin: number,
  tMax: number,
  distances: number,
  ids: number,
) => void;

/** The part of WebAssembly.Memory that the tracer uses; it must be shared between threads. */
export interface KernelMemory {
  readonly buffer: ArrayBufferLike;
  grow(pages: number): number;
}

/** Pages of 64 KiB that the module asks for at the start, and the most it may grow to. */
export const MEMORY_PAGES = { initial: 64, maximum: 65536, shared: true } as const;
