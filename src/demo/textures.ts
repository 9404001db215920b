import type { Texture } from "#core/props/model";
import { linearToSrgb } from "#core/colour/srgb";
import type { Vec3 } from "#core/math/vec3";
import { fractal, hash2, smoothstep, valueNoise } from "./noise.ts";

const { floor, hypot, max, min, round } = Math;

/** Textures made by procedure. Colours are linear reflectances; files hold sRGB. */

type Shade = (u: number, v: number) => Vec3;

export function paint(size: number, shade: Shade, encode = true): Texture {
  const texels = new Uint8Array(size * size * 4);
  for (let y = 0; y < size; y++) {
    for (let x = 0; x < size; x++) {
      const c = shade((x + 0.5) / size, (y + 0.5) / size);
      const at = (y * size + x) * 4;
      for (let k = 0; k < 3; k++) {
        const value = encode ? linearToSrgb(max(0, c[k])) : c[k];
        texels[at + k] = round(255 * min(1, max(0, value)));
      }
      texels[at + 3] = 255;
    }
  }
  return { width: size, height: size, texels };
}

const blend = (a: Vec3, b: Vec3, t: number): Vec3 => [
  a[0] + (b[0] - a[0]) * t,
  a[1] + (b[1] - a[1]) * t,
  a[2] + (b[2] - a[2]) * t,
];
const times = (a: Vec3, s: number): Vec3 => [a[0] * s, a[1] * s, a[2] * s];

/** A height field turned into a tangent-space normal map; `strength` is height over texel size. */
function bumps(size: number, height: (u: number, v: number) => number, strength: number): Texture {
  const field = new Float32Array(size * size);
  for (let i = 0; i < field.length; i++) field[i] = height(((i % size) + 0.5) / size, (floor(i / size) + 0.5) / size);
  const at = (x: number, y: number) => field[((y + size) % size) * size + ((x + size) % size)];
  return paint(
    size,
    (u, v) => {
      const x = floor(u * size);
      const y = floor(v * size);
      const dx = (at(x + 1, y) - at(x - 1, y)) * strength;
      const dy = (at(x, y + 1) - at(x, y - 1)) * strength;
      const l = 1 / hypot(dx, dy, 1);
      return [0.5 - dx * l * 0.5, 0.5 + dy * l * 0.5, 0.5 + l * 0.5];
    },
    false,
  );
}

/** Where a point lies in courses of slabs or bricks with staggered joints: cell, and distance to the nearest joint. */
function courses(u: number, v: number, rows: number, columns: number, seed: number) {
  const row = floor(v * rows);
  const fv = v * rows - row;
  const wrapped = ((row % rows) + rows) % rows;
  const shift = hash2(wrapped, 3, seed);
  const x = u * columns + shift;
  const column = ((floor(x) % columns) + columns) % columns;
  const fu = x - floor(x);
  const joint = min(min(fu, 1 - fu) / columns, min(fv, 1 - fv) / rows);
  return { row: wrapped, column, joint };
}

/** Quay paving: granite setts in courses, 6 m of them across the texture. */
export function paving(): { colour: Texture; normal: Texture } {
  const rows = 10;
  const columns = 6;
  const edge = (u: number, v: number) => 0.0013 + 0.0012 * (fractal(u, v, 40, 2, 31) - 0.3);
  const colour = paint(2048, (u, v) => {
    const wobble = (fractal(u, v, 24, 2, 9) - 0.5) * 0.002;
    const { row, column, joint } = courses(u + wobble, v + wobble, rows, columns, 4);
    const tone = 0.78 + 0.4 * hash2(row, column, 5);
    const warm = hash2(row, column, 6);
    const grain = 0.62 + 0.76 * fractal(u, v, 220, 3, 11);
    const stain = smoothstep(0.45, 0.75, fractal(u, v, 5, 5, 21));
    let c: Vec3 = blend([0.3, 0.285, 0.262], [0.335, 0.3, 0.25], warm);
    c = times(c, tone * grain);
    c = blend(c, times([0.2, 0.195, 0.175], grain), stain * 0.55);
    const lichen = smoothstep(0.66, 0.74, fractal(u, v, 60, 4, 77)) * 0.5;
    c = blend(c, [0.36, 0.36, 0.29], lichen);
    const speck = valueNoise(u * 700, v * 700, 700, 3) > 0.93 ? 0.7 : 1;
    c = times(c, speck);
    return blend([0.105, 0.1, 0.085], c, smoothstep(0, edge(u, v), joint));
  });
  const normal = bumps(
    1024,
    (u, v) => {
      const wobble = (fractal(u, v, 24, 2, 9) - 0.5) * 0.002;
      const { row, column, joint } = courses(u + wobble, v + wobble, rows, columns, 4);
      return (
        0.006 * smoothstep(0, 0.003, joint) + 0.002 * fractal(u, v, 120, 3, 12) + 0.0015 * hash2(row, column, 8) * u
      );
    },
    140,
  );
  return { colour, normal };
}

/** Limewashed render: uneven, weather-streaked. */
export const limewash = (): Texture =>
  paint(1024, (u, v) => {
    const tone = 0.9 + 0.16 * (fractal(u, v, 6, 5, 41) - 0.5) + 0.1 * (fractal(u, v, 90, 3, 43) - 0.5);
    const streak =
      smoothstep(0.55, 0.85, fractal(u * 1, v * 0.12, 64, 3, 45)) * smoothstep(0.3, 0.8, fractal(u, v, 3, 3, 44));
    return times(blend([0.66, 0.62, 0.54], [0.4, 0.37, 0.31], streak * 0.45), tone);
  });

/** Coursed grey stone, for plinths, quay walls and the chapel. */
export const masonry = (): Texture =>
  paint(1024, (u, v) => {
    const wobble = (fractal(u, v, 16, 2, 51) - 0.5) * 0.01;
    const { row, column, joint } = courses(u + wobble, v + wobble, 8, 4, 52);
    const tone = (0.7 + 0.55 * hash2(row, column, 53)) * (0.7 + 0.6 * fractal(u, v, 70, 4, 54));
    const c = times(blend([0.27, 0.255, 0.225], [0.31, 0.27, 0.215], hash2(row, column, 55)), tone);
    return blend([0.33, 0.31, 0.275], c, smoothstep(0.001, 0.007, joint));
  });

/** Slate roofing in thin courses. */
export const slate = (): Texture =>
  paint(1024, (u, v) => {
    const { row, column, joint } = courses(u, v, 16, 12, 61);
    const fv = v * 16 - floor(v * 16);
    const tone = (0.65 + 0.6 * hash2(row, column, 62)) * (0.8 + 0.4 * fractal(u, v, 60, 3, 63)) * (0.75 + 0.35 * fv);
    return blend([0.03, 0.03, 0.032], times([0.105, 0.115, 0.135], tone), smoothstep(0, 0.0018, joint));
  });

/** Painted boards, upright. */
export const boards = (paintColour: Vec3): Texture =>
  paint(512, (u, v) => {
    const n = 6;
    const i = floor(u * n);
    const fu = u * n - i;
    const joint = smoothstep(0, 0.06, min(fu, 1 - fu));
    const tone = 0.85 + 0.25 * hash2(i, 1, 71) + 0.2 * (fractal(u * 1, v * 0.2, 60, 3, 72) - 0.5);
    const bare = smoothstep(0.68, 0.78, fractal(u, v, 14, 4, 73));
    const c = blend(times(paintColour, tone), [0.24, 0.19, 0.14], bare * 0.7);
    return times(c, 0.25 + 0.75 * joint);
  });

/** Rusting iron under old tar. */
export const tarredIron = (): Texture =>
  paint(512, (u, v) => {
    const rust = smoothstep(0.5, 0.7, fractal(u, v, 10, 5, 81));
    const c = blend([0.028, 0.027, 0.027], [0.17, 0.075, 0.035], rust * 0.75);
    return times(c, 0.8 + 0.4 * fractal(u, v, 50, 3, 82));
  });

/** Ripples of the harbour water, as a normal map. */
export const ripples = (): Texture =>
  bumps(1024, (u, v) => 0.5 * fractal(u, v, 9, 3, 91) + 0.5 * fractal(v, u, 14, 3, 92), 9);

/** Buoy paint: a colour with white band, rust runs below the rivets; and its roughness and metal. */
export function buoyPaint(): { colour: Texture; surface: Texture } {
  const rustAt = (u: number, v: number) => {
    const runs = smoothstep(0.62, 0.8, fractal(u, v * 0.16, 40, 3, 101)) * smoothstep(0.15, 0.75, v);
    const spots = smoothstep(0.64, 0.72, fractal(u, v, 18, 5, 102));
    return min(1, runs * 0.8 + spots);
  };
  const colour = paint(1024, (u, v) => {
    const rust = rustAt(u, v);
    const fade = 0.86 + 0.2 * fractal(u, v, 5, 4, 103);
    const band = smoothstep(0.415, 0.42, v) * (1 - smoothstep(0.56, 0.565, v));
    const coat = blend([0.44, 0.045, 0.03], [0.7, 0.69, 0.65], band);
    const rusty = times([0.21, 0.085, 0.035], 0.7 + 0.6 * fractal(u, v, 80, 3, 104));
    const dirt = smoothstep(0.5, 0.8, fractal(u, v, 9, 5, 105)) * 0.25;
    return blend(blend(times(coat, fade), [0.2, 0.17, 0.13], dirt), rusty, rust);
  });
  const surface = paint(
    512,
    (u, v) => {
      const rust = rustAt(u, v);
      return [0, 0.4 + 0.5 * rust + 0.12 * (fractal(u, v, 30, 3, 106) - 0.5), 0];
    },
    false,
  );
  return { colour, surface };
}

/** Galvanised steel of the stand, with rust. */
export function galvanised(): { colour: Texture; surface: Texture } {
  const rustAt = (u: number, v: number) => smoothstep(0.55, 0.7, fractal(u, v, 8, 5, 111));
  return {
    colour: paint(512, (u, v) =>
      blend(times([0.42, 0.43, 0.44], 0.8 + 0.4 * fractal(u, v, 30, 3, 112)), [0.2, 0.085, 0.04], rustAt(u, v)),
    ),
    surface: paint(512, (u, v) => [0, 0.45 + 0.45 * rustAt(u, v), 0.9 * (1 - rustAt(u, v))], false),
  };
}
