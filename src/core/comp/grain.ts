import type { Comp, GrainModel } from "./schema.ts";
import type { GrainBlocks } from "./stages/grain.ts";
import { FREQUENCIES } from "./stages/grain.ts";
import type { Layers } from "./layers.ts";

/** Grain laid on what is rendered, with the plate's own statistics. */

/** How much louder than in the darkest place that was measured grain may be on a screen in what is darker still. */
const LOUDER = 2;

/** Slope of sRGB's curve, by which a screen shows noise (IEC 61966-2-1). */
const shownSlope = (light: number): number => (light <= 0.0031308 ? 12.92 : (1.055 / 2.4) * light ** (1 / 2.4 - 1));

/**
 * Variance of the grain at a level of linear light. What is fitted is no reading of what is darker than all that was
 * measured: on a screen, where the curve is steep, it would soon be speckles, which cameras and JPEG do not leave. There it
 * is held to twice of what the darkest place shows (common practice, no published source).
 */
export function grainVariance({ read, shot, from }: GrainModel, k: number, light: number): number {
  const dark = read[k] * read[k];
  const own = dark + shot[k] * Math.max(0, light);
  if (!(light < from[k])) return own;
  const most = (LOUDER * shownSlope(from[k])) / shownSlope(light);
  return Math.min(own, most * most * (dark + shot[k] * from[k]));
}

/** Pixels to either side that grain is joined over. */
const REACH = 4;

/** Taps of the Gaussian that the grain is as coarse as, with unit sum of squares. */
export function grainTaps(size: number): number[] {
  const taps = Array.from({ length: 2 * REACH + 1 }, (_, i) =>
    size > 0 ? Math.exp(-((i - REACH) ** 2) / (2 * size * size)) : i === REACH ? 1 : 0,
  );
  const norm = Math.sqrt(taps.reduce((sum, t) => sum + t * t, 0));
  return taps.map((t) => t / norm);
}

/** Correlation of grain of a size with itself one pixel on. */
export function neighbourCorrelation(size: number): number {
  const taps = grainTaps(size);
  return taps.slice(1).reduce((sum, t, i) => sum + t * taps[i], 0);
}

/** Size of the grain whose neighbours are so correlated. */
export function sizeOfCorrelation(correlation: number): number {
  if (!(correlation > 0)) return 0;
  let [low, high] = [0, 3];
  for (let i = 0; i < 40; i++) {
    const middle = (low + high) / 2;
    if (neighbourCorrelation(middle) < correlation) low = middle;
    else high = middle;
  }
  return (low + high) / 2;
}

/**
 * The grain of a picture at another size of its sides: averaging pixels makes it weaker and finer, spreading them coarser.
 */
export function grainAt(model: GrainModel, scale: number): GrainModel {
  if (scale === 1) return model;
  const size = model.size * scale;
  const { blocks } = model;
  if (blocks?.on) {
    const { left, spectrum } = averaged(blocks.spectrum, Math.max(1, 1 / scale));
    const own = { ...blocks, side: blocks.side * scale, x: blocks.x * scale, y: blocks.y * scale, spectrum };
    return { ...weaker(model, left), size, blocks: own };
  }
  if (scale > 1) return { ...model, size };
  // Averaged over n pixels that are joined over an area of a: a / (a + n - 1) of the variance is left.
  const taps = grainTaps(model.size);
  const area = taps.reduce((sum, t) => sum + t, 0) ** 4;
  const left = area / (area + 1 / (scale * scale) - 1);
  return { ...weaker(model, left), size };
}

const weaker = (model: GrainModel, left: number): GrainModel => ({
  ...model,
  read: model.read.map((r) => r * Math.sqrt(left)) as GrainModel["read"],
  shot: model.shot.map((s) => s * left) as GrainModel["shot"],
});

/** What averaging over so many pixels, across and down, leaves of each frequency of a square. */
function averaged(spectrum: readonly number[], pixels: number): { left: number; spectrum: number[] } {
  const kept = Array.from({ length: FREQUENCIES }, (_, f) => {
    const turn = (Math.PI * f * pixels) / (2 * FREQUENCIES);
    return turn > 0 ? (Math.sin(turn) / turn) ** 2 : 1;
  });
  const shares = spectrum.map((s, i) => s * kept[i % FREQUENCIES] * kept[Math.floor(i / FREQUENCIES)]);
  const left = shares.reduce((sum, s) => sum + s, 0);
  return { left, spectrum: shares.map((s) => s / left) };
}

/** Normal deviates at the middles of even shares of probability, from which a hash picks. */
const QUANTILES = quantiles(4096);

function quantiles(count: number): Float32Array {
  const out = new Float32Array(count);
  // The normal distribution cumulated by small steps.
  let [x, sum] = [-6, 0];
  const step = 1e-4;
  const scale = step / Math.sqrt(2 * Math.PI);
  for (let i = 0; i < count; i++) {
    const wanted = (i + 0.5) / count;
    while (sum < wanted && x < 6) {
      sum += scale * Math.exp((-x * x) / 2);
      x += step;
    }
    out[i] = x;
  }
  const variance = out.reduce((total, v) => total + v * v, 0) / count;
  return out.map((v) => v / Math.sqrt(variance));
}

/** A well mixed number of 32 bits of a place (after Wellons, "Prospecting for hash functions", lowbias32). */
function mixed(x: number, y: number, seed: number): number {
  let h = (Math.imul(x + 1, 0x9e3779b1) ^ Math.imul(y + 1, 0x85ebca6b) ^ seed) >>> 0;
  h = Math.imul(h ^ (h >>> 16), 0x7feb352d);
  h = Math.imul(h ^ (h >>> 15), 0x846ca68b);
  return (h ^ (h >>> 16)) >>> 0;
}

/** Rows of grain of unit variance; a place has the same in every call, so that bands and tiles join. */
class GrainRows {
  private readonly taps: number[];
  private readonly first: number;
  /** Rows blurred across, by their number. */
  private readonly across = new Map<number, Float32Array>();
  /** Memory of rows that are done with. */
  private readonly spare: Float32Array[] = [];
  private readonly white: Float32Array;
  private readonly out: Float32Array;
  private readonly mix: Mixing;
  private readonly blocks: BlockRows | null;

  constructor(
    model: GrainModel,
    private readonly width: number,
    private readonly seed: number,
  ) {
    this.white = new Float32Array((width + 2 * REACH) * 3);
    this.out = new Float32Array(width * 3);
    this.taps = grainTaps(model.size);
    this.first = this.taps.findIndex((t) => t > 1e-4);
    this.mix = mixing(model.joined);
    this.blocks = model.blocks?.on ? new BlockRows(model.blocks, width, seed, this.mix) : null;
  }

  /** Row y, of which pixels from one to before another are asked for; the memory is that of the next one. */
  row(y: number, from: number, to: number): Float32Array {
    const { taps, first, out } = this;
    if (this.blocks) {
      this.blocks.fill(out, y, from, to);
      return out;
    }
    out.fill(0);
    for (let t = first; t < taps.length - first; t++) addScaled(out, this.acrossRow(y + t - REACH), 0, taps[t]);
    for (const [key, row] of this.across)
      if (key < y - REACH) {
        this.across.delete(key);
        this.spare.push(row);
      }
    const [rr, gr, gg, br, bg, bb] = this.mix;
    for (let i = 0; i < out.length; i += 3) {
      const r = out[i];
      const g = out[i + 1];
      out[i] = rr * r;
      out[i + 1] = gr * r + gg * g;
      out[i + 2] = br * r + bg * g + bb * out[i + 2];
    }
    return out;
  }

  private acrossRow(y: number): Float32Array {
    const kept = this.across.get(y);
    if (kept) return kept;
    const { width, taps, first, seed, white } = this;
    for (let x = -REACH; x < width + REACH; x++) {
      const [a, b] = [mixed(x, y, seed), mixed(x, y, seed ^ 0x5bd1e995)];
      const at = (x + REACH) * 3;
      white[at] = QUANTILES[a & 4095];
      white[at + 1] = QUANTILES[(a >>> 12) & 4095];
      white[at + 2] = QUANTILES[b & 4095];
    }
    const out = this.spare.pop()?.fill(0) ?? new Float32Array(width * 3);
    for (let t = first; t < taps.length - first; t++) addScaled(out, white, t * 3, taps[t]);
    this.across.set(y, out);
    return out;
  }
}

/** Grain as JPEG leaves it, of unit variance: each square a sum of cosines of its own (ITU-T T.81, inverse DCT). */
class BlockRows {
  private readonly firstBlock: number;
  /** Where the pixels of each square begin, and where the last one's end. */
  private readonly starts: Int32Array;
  /** Amplitudes of the squares of one row of them, 64 for each channel, those down first to change. */
  private readonly held: Float32Array;
  /** Row of squares that each square's amplitudes are of. */
  private readonly heldRows: Float64Array;
  /** Cosines at each pixel of a row. */
  private readonly across: Float64Array;
  private readonly amplitudes: number[];

  constructor(
    private readonly blocks: GrainBlocks,
    width: number,
    private readonly seed: number,
    private readonly mix: Mixing,
  ) {
    const place = (x: number) => (x + 0.5 - blocks.x) / blocks.side;
    this.firstBlock = Math.floor(place(0));
    const count = Math.floor(place(width - 1)) - this.firstBlock + 1;
    this.starts = new Int32Array(count + 1);
    for (let x = 0; x < width; x++) this.starts[Math.floor(place(x)) - this.firstBlock + 1] = x + 1;
    this.held = new Float32Array(count * 3 * FREQUENCIES * FREQUENCIES);
    this.heldRows = new Float64Array(count).fill(NaN);
    this.across = new Float64Array(width * FREQUENCIES);
    for (let x = 0; x < width; x++) cosines(place(x), this.across, x * FREQUENCIES);
    this.amplitudes = blocks.spectrum.map((_, i) => {
      const [u, v] = [Math.floor(i / FREQUENCIES), i % FREQUENCIES];
      return FREQUENCIES * Math.sqrt(blocks.spectrum[v * FREQUENCIES + u]);
    });
  }

  /** Pixels from one to before another of row y in `row`, and those that share their squares. */
  fill(row: Float32Array, y: number, from: number, to: number): void {
    const place = (y + 0.5 - this.blocks.y) / this.blocks.side;
    const down = Math.floor(place);
    const own = cosines(place, new Float64Array(FREQUENCIES), 0);
    const { held, heldRows, starts } = this;
    const square = 3 * FREQUENCIES * FREQUENCIES;
    for (let block = 0; block + 1 < starts.length && starts[block] < to; block++) {
      if (starts[block + 1] <= from) continue;
      if (heldRows[block] !== down) this.hold(block, down);
      for (let k = 0; k < 3; k++)
        this.fillSquare(row, k, starts[block], starts[block + 1], held, block * square + k * (square / 3), own);
    }
  }

  /** A row of a square in one channel: its amplitudes are summed down first. */
  private fillSquare(
    row: Float32Array,
    k: number,
    from: number,
    to: number,
    held: Float32Array,
    at: number,
    own: Float64Array,
  ): void {
    const { across } = this;
    const s0 = summedDown(held, at, own);
    const s1 = summedDown(held, at + 8, own);
    const s2 = summedDown(held, at + 16, own);
    const s3 = summedDown(held, at + 24, own);
    const s4 = summedDown(held, at + 32, own);
    const s5 = summedDown(held, at + 40, own);
    const s6 = summedDown(held, at + 48, own);
    const s7 = summedDown(held, at + 56, own);
    for (let x = from, i = from * 3 + k, c = from * FREQUENCIES; x < to; x++, i += 3, c += FREQUENCIES)
      row[i] =
        s0 * across[c] +
        s1 * across[c + 1] +
        s2 * across[c + 2] +
        s3 * across[c + 3] +
        s4 * across[c + 4] +
        s5 * across[c + 5] +
        s6 * across[c + 6] +
        s7 * across[c + 7];
  }

  private hold(block: number, down: number): void {
    const { held, firstBlock, seed, amplitudes } = this;
    const [rr, gr, gg, br, bg, bb] = this.mix;
    const all = FREQUENCIES * FREQUENCIES;
    for (let f = 0, at = block * 3 * all; f < all; f++, at++) {
      const place = (firstBlock + block) * all + f;
      const [a, b] = [mixed(place, down, seed), mixed(place, down, seed ^ 0x5bd1e995)];
      const r = amplitudes[f] * QUANTILES[a & 4095];
      const g = amplitudes[f] * QUANTILES[(a >>> 12) & 4095];
      held[at] = rr * r;
      held[at + all] = gr * r + gg * g;
      held[at + 2 * all] = br * r + bg * g + bb * amplitudes[f] * QUANTILES[b & 4095];
    }
    this.heldRows[block] = down;
  }
}

/** Eight amplitudes, weighed by the cosines of a height. */
function summedDown(held: Float32Array, at: number, own: Float64Array): number {
  return (
    own[0] * held[at] +
    own[1] * held[at + 1] +
    own[2] * held[at + 2] +
    own[3] * held[at + 3] +
    own[4] * held[at + 4] +
    own[5] * held[at + 5] +
    own[6] * held[at + 6] +
    own[7] * held[at + 7]
  );
}

/** The cosines of a place in a square, squares to one: the basis of the DCT. */
function cosines(place: number, out: Float64Array, at: number): Float64Array {
  const t = place - Math.floor(place);
  for (let f = 0; f < FREQUENCIES; f++)
    out[at + f] = Math.sqrt((f === 0 ? 1 : 2) / FREQUENCIES) * Math.cos(Math.PI * f * t);
  return out;
}

/** Grain of unit variance that was made before, for who lays the same grain again and again. */
export class GrainMemory {
  private key = "";
  private rows = new Map<number, Float32Array>();

  of(model: GrainModel, width: number, seed: number): Pick<GrainRows, "row"> {
    const key = JSON.stringify([model.size, model.joined, model.blocks, width, seed]);
    if (key !== this.key) [this.key, this.rows] = [key, new Map()];
    let maker: GrainRows | null = null;
    const { rows } = this;
    return {
      row: (y) => {
        let kept = rows.get(y);
        if (!kept) {
          maker ??= new GrainRows(model, width, seed);
          kept = maker.row(y, 0, width).slice();
          rows.set(y, kept);
        }
        return kept;
      },
    };
  }
}

function addScaled(to: Float32Array, from: Float32Array, skip: number, weight: number): void {
  for (let i = 0; i < to.length; i++) to[i] += weight * from[i + skip];
}

type Mixing = [number, number, number, number, number, number];

/** Lower triangle by which independent deviates get the channels' correlations (Cholesky). */
function mixing([rg, rb, gb]: GrainModel["joined"]): Mixing {
  const gg = Math.sqrt(Math.max(1e-6, 1 - rg * rg));
  const bg = (gb - rg * rb) / gg;
  const bb = Math.sqrt(Math.max(0, 1 - rb * rb - bg * bg));
  const norm = Math.sqrt(rb * rb + bg * bg + bb * bb);
  return [1, rg, gg, rb / norm, bg / norm, bb / norm];
}

/**
 * Lays grain on the pixels of a composite that the passes touch: as much as the plate has at that brightness, less what
 * is left there of the plate's own behind coverage and shadow. `y0` is the first row's number in the whole picture,
 * `scale` the picture's size over the plate's. Linear light, in place.
 */
export function layGrain(
  out: Float32Array,
  plate: { width: number; height: number; linear: Float32Array },
  { prop, ratio, cover }: Pick<Layers, "prop" | "ratio" | "cover">,
  grain: Comp["grain"],
  scale: number,
  y0: number,
  touched: Uint8Array,
  matte: Float32Array | null = null,
  memory: GrainMemory | null = null,
): void {
  if (!grain.on || !grain.model || grain.strength === 0) return;
  const model = grainAt(grain.model, scale);
  const { width, height, linear } = plate;
  const rows = memory?.of(model, width, grain.seed) ?? new GrainRows(model, width, grain.seed);
  const { shot, from } = model;
  const dark = model.read.map((r) => r * r);
  for (let y = 0; y < height; y++) {
    const first = touched.indexOf(1, y * width) - y * width;
    if (first < 0) return;
    if (first >= width) continue;
    const last = touched.lastIndexOf(1, (y + 1) * width - 1) - y * width;
    const row = rows.row(y0 + y, first, last + 1);
    for (let x = first; x <= last; x++) {
      const pixel = y * width + x;
      if (!touched[pixel]) continue;
      const through = 1 - prop[pixel * 4 + 3];
      const weight = matte ? grain.strength * matte[pixel] : grain.strength;
      for (let k = 0; k < 3; k++) {
        const i = pixel * 3 + k;
        const left = (cover ? 1 - cover[i] : through) * ratio[i];
        const wanted = out[i];
        const own = linear[i];
        const all = wanted >= from[k] && wanted >= 0 ? dark[k] + shot[k] * wanted : grainVariance(model, k, wanted);
        const there = own >= from[k] && own >= 0 ? dark[k] + shot[k] * own : grainVariance(model, k, own);
        const missing = all - left * left * there;
        if (missing > 0) out[i] += weight * Math.sqrt(missing) * row[x * 3 + k];
      }
    }
  }
}
