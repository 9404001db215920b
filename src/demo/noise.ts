/** Deterministic noise for procedural textures. All functions repeat with the given integer period. */

const { floor, imul } = Math;

/** Hash of two integers to 0..1. */
export function hash2(x: number, y: number, seed = 0): number {
  let h = imul(x | 0, 0x27d4eb2d) ^ imul(y | 0, 0x165667b1) ^ imul(seed | 0, 0x9e3779b1);
  h = imul(h ^ (h >>> 15), 0x85ebca6b);
  h = imul(h ^ (h >>> 13), 0xc2b2ae35);
  return ((h ^ (h >>> 16)) >>> 0) / 4294967296;
}

/** Value noise in 0..1 at (x, y), repeating every `period` cells. */
export function valueNoise(x: number, y: number, period: number, seed = 0): number {
  const ix = floor(x);
  const iy = floor(y);
  let fx = x - ix;
  let fy = y - iy;
  fx = fx * fx * (3 - 2 * fx);
  fy = fy * fy * (3 - 2 * fy);
  const x0 = ix >= 0 && ix < period ? ix : ((ix % period) + period) % period;
  const y0 = iy >= 0 && iy < period ? iy : ((iy % period) + period) % period;
  const x1 = x0 + 1 === period ? 0 : x0 + 1;
  const y1 = y0 + 1 === period ? 0 : y0 + 1;
  const a = hash2(x0, y0, seed);
  const c = hash2(x0, y1, seed);
  const top = a + (hash2(x1, y0, seed) - a) * fx;
  return top + (c + (hash2(x1, y1, seed) - c) * fx - top) * fy;
}

/** Sum of octaves of value noise in 0..1 over the unit square, `cells` cells across at the lowest octave. */
export function fractal(u: number, v: number, cells: number, octaves: number, seed = 0): number {
  let sum = 0;
  let weight = 0;
  for (let o = 0, a = 1, c = cells; o < octaves; o++, a *= 0.5, c *= 2) {
    sum += a * valueNoise(u * c, v * c, c, seed + o * 17);
    weight += a;
  }
  return sum / weight;
}

export const smoothstep = (a: number, b: number, x: number): number => {
  const t = Math.min(1, Math.max(0, (x - a) / (b - a)));
  return t * t * (3 - 2 * t);
};

/** Pseudo-random numbers in 0..1 from a seed (mulberry32). */
export function randomFrom(seed: number): () => number {
  let s = seed >>> 0;
  return () => {
    s = (s + 0x6d2b79f5) >>> 0;
    let t = imul(s ^ (s >>> 15), 1 | s);
    t = (t + imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}
