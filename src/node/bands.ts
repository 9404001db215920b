import { lightWeights, scaleProp } from "#core/comp/weights";
import type { LightPart } from "#core/light/schema";
import type { FilmLayout, Passes } from "#core/trace/film";
import { developFilm } from "#core/trace/film";
import { TILE_SIZE } from "#core/trace/tiles";

/** Sums of a render and where they stand. */
export interface Film {
  width: number;
  height: number;
  pixels: Float32Array;
  layout: FilmLayout;
}

export interface Band {
  y0: number;
  y1: number;
}

/** Rows of a render in bands of about a hundred thousand pixels, whole tiles high. */
export function bandsOf(width: number, height: number): Band[] {
  const rows = TILE_SIZE * Math.max(1, Math.floor(100_000 / (width * TILE_SIZE)));
  return Array.from({ length: Math.ceil(height / rows) }, (_, i) => ({
    y0: i * rows,
    y1: Math.min(height, (i + 1) * rows),
  }));
}

/** Passes of a band's film with the shot's own weights and level. */
export function developBand(shot: LightPart, film: Film): Passes {
  const passes = developFilm(film.pixels, film.width, film.height, film.layout, lightWeights(shot));
  scaleProp(passes.prop, shot.light.propLevel);
  return passes;
}
