import type { PartFilter } from "#core/trace/denoise";
import { denoiseFilm } from "#core/trace/denoise";
import type { FilmLayout, LightWeights, Passes } from "#core/trace/film";
import { emptyPasses } from "#core/trace/film";

/** Pixels beyond what it gives that denoising looks at. */
export const DENOISE_HALO = 16;
/** Most columns that are taken in hand at a time: what lies between is held for those alone. */
const COLUMNS = 1024;

/**
 * Rows of a film without their noise: `film` holds rows from `above` before the first one wanted on. Reckoned in columns, so
 * that memory does not grow with the picture's width.
 */
export function denoiseRows(
  film: Float32Array,
  width: number,
  layout: FilmLayout,
  wanted: { above: number; rows: number },
  weights: LightWeights,
  filter: PartFilter,
): Passes {
  const height = film.length / width / layout.stride;
  const all = emptyPasses(width, wanted.rows);
  const pieces = Math.ceil(width / COLUMNS);
  for (let p = 0; p < pieces; p++) {
    const [x0, x1] = [Math.round((p * width) / pieces), Math.round(((p + 1) * width) / pieces)];
    const [left, right] = [Math.max(0, x0 - DENOISE_HALO), Math.min(width, x1 + DENOISE_HALO)];
    const passes = denoiseFilm(
      columnsOf(film, width, layout.stride, left, right),
      right - left,
      height,
      layout,
      weights,
      filter,
    );
    paste(all, passes, { x0, x1, left, top: wanted.above });
  }
  return all;
}

function columnsOf(film: Float32Array, width: number, stride: number, left: number, right: number): Float32Array {
  if (left === 0 && right === width) return film;
  const rows = film.length / width / stride;
  const cut = new Float32Array(rows * (right - left) * stride);
  for (let y = 0; y < rows; y++)
    cut.set(film.subarray((y * width + left) * stride, (y * width + right) * stride), y * (right - left) * stride);
  return cut;
}

const STRIDES = { prop: 4, ratio: 3, added: 3, depth: 1 } as const;

/** Puts the columns x0 to x1 of a piece, which begins at `left` and has `top` rows above, into the whole. */
function paste(all: Passes, piece: Passes, at: { x0: number; x1: number; left: number; top: number }): void {
  for (const key of Object.keys(STRIDES) as (keyof typeof STRIDES)[]) {
    const stride = STRIDES[key];
    for (let y = 0; y < all.height; y++) {
      const from = ((y + at.top) * piece.width + at.x0 - at.left) * stride;
      all[key].set(piece[key].subarray(from, from + (at.x1 - at.x0) * stride), (y * all.width + at.x0) * stride);
    }
  }
}
