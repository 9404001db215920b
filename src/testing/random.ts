import type { Vec3 } from "#core/math/vec3";

/** Seeded random numbers for tests (mulberry32), uniform in 0..1. */
export function seeded(seed: number): () => number {
  let s = seed >>> 0;
  return () => {
    s = (s + 0x6d2b79f5) >>> 0;
    let t = Math.imul(s ^ (s >>> 15), 1 | s);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

/** Normal deviates from uniform ones (Box and Muller 1958). */
export const gaussian = (random: () => number): number =>
  Math.sqrt(-2 * Math.log(1 - random())) * Math.cos(2 * Math.PI * random());

export const between = (random: () => number, low: number, high: number): number => low + (high - low) * random();

export function unitVector(random: () => number): Vec3 {
  const z = 2 * random() - 1;
  const a = 2 * Math.PI * random();
  const r = Math.sqrt(1 - z * z);
  return [r * Math.cos(a), r * Math.sin(a), z];
}
