import { availableParallelism } from "node:os";
import type { RenderChoice } from "#core/render/schema";
import { denoiseLayout } from "#core/trace/denoise";
import type { FilmLayout, LightWeights, Passes } from "#core/trace/film";
import { emptyPasses } from "#core/trace/film";
import { DenoisePool } from "./denoisePool.ts";
import type { Band } from "./renderScene.ts";

/** Pixels beyond what it gives that a run of the denoiser looks at. */
const HALO = 16;
/** About so many pixels of whole rows are taken in hand at a time, not to hold much more than a band of a wide picture. */
const RUN_PIXELS = 120_000;
/** Most columns that a thread gets at a time. */
const COLUMNS = 1024;

/** Bands without their noise, asked for from the top. */
export interface DenoisedBands {
  of: (band: number) => Promise<Passes>;
  close: () => Promise<void>;
}

/**
 * Takes the noise from kept bands on worker threads: some bands together, cut into columns, while those before them are
 * written. Memory is that of a few bands, whatever the picture's size.
 */
export async function denoisedBands(
  width: number,
  bands: Band[],
  layout: FilmLayout,
  choice: RenderChoice,
  weights: LightWeights,
  read: (band: Band) => Promise<Float32Array>,
): Promise<DenoisedBands> {
  const together = Math.max(1, Math.round(RUN_PIXELS / (width * (bands[0].y1 - bands[0].y0))));
  const count = Math.ceil(bands.length / together);
  const pieces = piecesOf(width);
  const pool = await DenoisePool.open(Math.min(choice.threads || availableParallelism(), 2 * pieces.length));
  const lean = denoiseLayout(layout);
  const runs: (Promise<Passes> | null)[] = [];

  /** Sums of rows y0 to y1, as far as denoising looks at them. */
  const rowsOf = async (y0: number, y1: number): Promise<Float32Array> => {
    const rows = new Float32Array(width * (y1 - y0) * lean.stride);
    for (const band of bands) {
      const [from, to] = [Math.max(y0, band.y0), Math.min(y1, band.y1)];
      if (from >= to) continue;
      const film = await read(band);
      let [at, out] = [(from - band.y0) * width * layout.stride, (from - y0) * width * lean.stride];
      for (let i = (to - from) * width; i > 0; i--, at += layout.stride, out += lean.stride)
        rows.set(film.subarray(at, at + lean.stride), out);
    }
    return rows;
  };

  const start = async (run: number): Promise<Passes> => {
    const own = bands.slice(run * together, (run + 1) * together);
    const [top, end] = [own[0].y0, own[own.length - 1].y1];
    const [y0, y1] = [Math.max(0, top - HALO), Math.min(bands[bands.length - 1].y1, end + HALO)];
    const film = await rowsOf(y0, y1);
    const all = emptyPasses(width, end - top);
    const each = pieces.map(async ({ x0, x1 }) => {
      const [left, right] = [Math.max(0, x0 - HALO), Math.min(width, x1 + HALO)];
      const passes = await pool.run(() => ({
        film: columnsOf(film, width, lean.stride, left, right),
        width: right - left,
        height: y1 - y0,
        layout: lean,
        weights,
      }));
      paste(all, passes, { x0, x1, left, top: top - y0 });
    });
    await Promise.all(each);
    return all;
  };

  return {
    of: async (band) => {
      const run = Math.floor(band / together);
      // The next one is in hand while this one is written.
      for (let r = runs.length; r <= Math.min(run + 1, count - 1); r++) {
        runs[r] = start(r);
        // One that fails is heard of when it is its turn.
        runs[r]!.catch(() => undefined);
      }
      if (run > 0) runs[run - 1] = null;
      const all = await runs[run]!;
      return rowsFrom(all, bands[band].y0 - bands[run * together].y0, bands[band].y1 - bands[band].y0);
    },
    close: () => pool.close(),
  };
}

/** The columns of a picture in pieces of like width. */
function piecesOf(width: number): { x0: number; x1: number }[] {
  const count = Math.ceil(width / COLUMNS);
  return Array.from({ length: count }, (_, i) => ({
    x0: Math.round((i * width) / count),
    x1: Math.round(((i + 1) * width) / count),
  }));
}

function columnsOf(film: Float32Array, width: number, stride: number, left: number, right: number): Float32Array {
  const rows = film.length / width / stride;
  const cut = new Float32Array(rows * (right - left) * stride);
  for (let y = 0; y < rows; y++)
    cut.set(film.subarray((y * width + left) * stride, (y * width + right) * stride), y * (right - left) * stride);
  return cut;
}

const STRIDES = { prop: 4, ratio: 3, added: 3, depth: 1 } as const;
const KEYS = Object.keys(STRIDES) as (keyof typeof STRIDES)[];

/** Puts the columns x0 to x1 of a piece, which begins at `left` and has `top` rows above, into the whole. */
function paste(all: Passes, piece: Passes, at: { x0: number; x1: number; left: number; top: number }): void {
  for (const key of KEYS) {
    const stride = STRIDES[key];
    for (let y = 0; y < all.height; y++) {
      const from = ((y + at.top) * piece.width + at.x0 - at.left) * stride;
      const row = piece[key].subarray(from, from + (at.x1 - at.x0) * stride);
      all[key].set(row, (y * all.width + at.x0) * stride);
    }
  }
}

function rowsFrom(all: Passes, first: number, rows: number): Passes {
  const { width } = all;
  const cut = (key: keyof typeof STRIDES) =>
    all[key].slice(first * width * STRIDES[key], (first + rows) * width * STRIDES[key]);
  return { width, height: rows, prop: cut("prop"), ratio: cut("ratio"), added: cut("added"), depth: cut("depth") };
}
