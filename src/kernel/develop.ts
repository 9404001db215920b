// Films of sums as the passes of the composite; core/trace/film says what they mean, and gives the same bits.

import {
  FILM_ADDED,
  FILM_ALPHA,
  FILM_CATCHER,
  FILM_DEPTH,
  FILM_GLOSS,
  FILM_PROP,
  FILM_SAMPLES,
  LIGHT_FLOATS,
} from "./layout";

const LIGHT_BYTES: u32 = LIGHT_FLOATS << 2;

// @ts-ignore: decorator
@inline
function sum(pixel: u32, float: u32): f64 {
  return <f64>load<f32>(pixel + (float << 2));
}

/** True of a pixel that no prop changed: nothing covers it, nothing is added, and every light is the one without props. */
function isBare(pixel: u32, lights: u32, end: u32): bool {
  for (let k: u32 = 0; k < 4; k++) if (load<f32>(pixel + ((FILM_PROP + k) << 2)) != 0) return false;
  for (let k: u32 = 0; k < 3; k++) if (load<f32>(pixel + ((FILM_ADDED + k) << 2)) != 0) return false;
  for (let at = lights; at < end; at += LIGHT_BYTES)
    for (let k: u32 = 0; k < 12; k += 4) if (load<f32>(at + k) != load<f32>(at + k, 12)) return false;
  return true;
}

/**
 * Develops `pixels` of a film of `stride` floats a pixel. `weights` holds RGB of every light group as f64; `changes` the same
 * for the light on the props less 1, that lies from float `propLights` on, 0 for none. Four, three, three floats and one a
 * pixel go to `prop`, `ratio`, `added` and `depth`.
 */
export function developFilm(
  film: u32,
  pixels: u32,
  stride: u32,
  lights: u32,
  groups: u32,
  weights: u32,
  propLights: u32,
  changes: u32,
  prop: u32,
  ratio: u32,
  added: u32,
  depth: u32,
): void {
  let pixel = film;
  for (let i: u32 = 0; i < pixels; i++, pixel += stride << 2, prop += 16, ratio += 12, added += 12, depth += 4) {
    const first = pixel + (lights << 2),
      end = first + groups * LIGHT_BYTES;
    if (isBare(pixel, first, end)) {
      v128.store(prop, i32x4.splat(0));
      for (let k: u32 = 0; k < 12; k += 4) {
        store<f32>(ratio + k, 1);
        store<f32>(added + k, 0);
      }
      store<f32>(depth, 0);
      continue;
    }
    const samples = sum(pixel, FILM_SAMPLES),
      alpha = sum(pixel, FILM_ALPHA),
      caught = sum(pixel, FILM_CATCHER),
      scale = samples > 0 ? 1 / samples : 0,
      free = samples - alpha,
      part = caught < free ? caught / free : 1,
      catcherScale = caught > 0 ? part / caught : 0;
    for (let k: u32 = 0; k < 4; k++) store<f32>(prop + (k << 2), <f32>(sum(pixel, FILM_PROP + k) * scale));
    for (let k: u32 = 0; k < 3; k++) {
      if (changes !== 0 && alpha > 0) {
        let change: f64 = 0;
        for (let g: u32 = 0; g < groups; g++)
          change += load<f64>(changes + ((g * 3 + k) << 3)) * sum(pixel, propLights + g * 3 + k);
        store<f32>(prop + (k << 2), <f32>(<f64>load<f32>(prop + (k << 2)) + change * scale));
      }
      let w: f64 = 0,
        w0: f64 = 0;
      for (let at = first + (k << 2), weight = weights + (k << 3); at < end; at += LIGHT_BYTES, weight += 24) {
        w += load<f64>(weight) * <f64>load<f32>(at);
        w0 += load<f64>(weight) * <f64>load<f32>(at, 12);
      }
      const own = w0 > 0 && w != w0 ? w / w0 : 1,
        gloss = (1 - own) * sum(pixel, FILM_GLOSS + k);
      store<f32>(ratio + (k << 2), <f32>(part < 1 ? 1 - part * (1 - own) : own));
      store<f32>(added + (k << 2), <f32>((sum(pixel, FILM_ADDED + k) + gloss) * catcherScale));
    }
    store<f32>(depth, alpha > 0 ? <f32>(sum(pixel, FILM_DEPTH) / alpha) : 0);
  }
}

/** Copies `count` floats of every pixel, those whose numbers stand at `floats`, to planes that lie one behind the other. */
export function filmPlanes(film: u32, pixels: u32, stride: u32, floats: u32, count: u32, planes: u32): void {
  for (let i: u32 = 0, pixel = film; i < pixels; i++, pixel += stride << 2)
    for (let c: u32 = 0, to = planes + (i << 2); c < count; c++, to += pixels << 2)
      store<u32>(to, load<u32>(pixel + (load<u32>(floats + (c << 2)) << 2)));
}
