import * as L from "../../kernel/layout.ts";
import type { Vec3 } from "../math/vec3.ts";

/** Weights by which each light's share of the catcher is taken again after the render. */
export interface LightWeights {
  sun: Vec3;
  sky: Vec3;
  bounce: Vec3;
}

export const unitWeights = (): LightWeights => ({ sun: [1, 1, 1], sky: [1, 1, 1], bounce: [1, 1, 1] });

/** What the composite needs, one value set per pixel. `prop` is premultiplied RGBA; `ratio` and `added` are RGB. */
export interface Passes {
  width: number;
  height: number;
  prop: Float32Array;
  ratio: Float32Array;
  added: Float32Array;
  /** Distance along the view axis in metres; 0 where no prop is seen. */
  depth: Float32Array;
}

export function emptyPasses(width: number, height: number): Passes {
  const n = width * height;
  return {
    width,
    height,
    prop: new Float32Array(n * 4),
    ratio: new Float32Array(n * 3).fill(1),
    added: new Float32Array(n * 3),
    depth: new Float32Array(n),
  };
}

/**
 * Passes of a film of sums (layout: src/kernel/layout.ts). The ratio is the quotient of the weighted sums with and
 * without props; exactly 1 where nothing differs, no catcher was met, or nothing arrives.
 */
export function developFilm(
  film: Float32Array,
  width: number,
  height: number,
  weights: LightWeights = unitWeights(),
  into: Passes = emptyPasses(width, height),
): Passes {
  const { prop, ratio, added, depth } = into;
  for (let i = 0, f = 0; i < width * height; i++, f += L.FILM_FLOATS) {
    const samples = film[f + L.FILM_SAMPLES];
    const scale = samples > 0 ? 1 / samples : 0;
    for (let k = 0; k < 4; k++) prop[i * 4 + k] = film[f + L.FILM_PROP + k] * scale;
    const caught = film[f + L.FILM_CATCHER];
    const catcherScale = caught > 0 ? 1 / caught : 0;
    for (let k = 0; k < 3; k++) {
      const w =
        weights.sun[k] * film[f + L.FILM_W_SUN + k] +
        weights.sky[k] * film[f + L.FILM_W_SKY + k] +
        weights.bounce[k] * film[f + L.FILM_W_BOUNCE + k];
      const w0 =
        weights.sun[k] * film[f + L.FILM_W0_SUN + k] +
        weights.sky[k] * film[f + L.FILM_W0_SKY + k] +
        weights.bounce[k] * film[f + L.FILM_W0_BOUNCE + k];
      ratio[i * 3 + k] = w0 > 0 && w !== w0 ? w / w0 : 1;
      added[i * 3 + k] = film[f + L.FILM_ADDED + k] * catcherScale;
    }
    const a = film[f + L.FILM_ALPHA];
    depth[i] = a > 0 ? film[f + L.FILM_DEPTH] / a : 0;
  }
  return into;
}
