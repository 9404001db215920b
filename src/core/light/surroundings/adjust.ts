import { luminance } from "../../colour/srgb.ts";
import { toRadians } from "../../math/vec3.ts";
import { shrink } from "../../image/resize.ts";
import type { Picture } from "../../trace/scene.ts";
import { cellOf } from "./sphere.ts";

/**
 * Brightness beyond where a picture clips, made up: what lies within a fifth of that level is raised smoothly, by so many
 * stops at the level itself. What the place really had there nobody knows.
 */
export function expanded(picture: Picture, clippedAt: number, stops: number): Picture {
  const pixels = picture.pixels.slice();
  for (let i = 0; i < pixels.length; i += 3) {
    const most = Math.max(pixels[i], pixels[i + 1], pixels[i + 2]) / clippedAt;
    const t = Math.min(1, Math.max(0, (most - 0.8) / 0.2));
    const gain = 2 ** (stops * t * t * (3 - 2 * t));
    for (let k = 0; k < 3; k++) pixels[i + k] *= gain;
  }
  return { ...picture, pixels };
}

/** Bright places brighter and dark ones darker, or less so, about the mean of all directions; colours stay. */
export function contrasted(picture: Picture, contrast: number): Picture {
  const { width, height } = picture;
  const pixels = picture.pixels.slice();
  const mean = meanLuminance(picture);
  if (!(mean > 0)) return picture;
  for (let i = 0; i < width * height * 3; i += 3) {
    const l = luminance(pixels[i], pixels[i + 1], pixels[i + 2]);
    const gain = l > 0 ? (l / mean) ** (contrast - 1) : 0;
    for (let k = 0; k < 3; k++) pixels[i + k] *= gain;
  }
  return { width, height, pixels };
}

function meanLuminance(picture: Picture): number {
  const { width, height, pixels } = picture;
  let sum = 0;
  for (let y = 0; y < height; y++) {
    const cell = cellOf(picture, y);
    for (let i = y * width * 3; i < (y + 1) * width * 3; i += 3)
      sum += cell * luminance(pixels[i], pixels[i + 1], pixels[i + 2]);
  }
  return sum / (4 * Math.PI);
}

/** Pixels that a blur of one standard deviation has at least. */
const FINE = 3;

/**
 * The picture blurred on the sphere by a Gaussian of a standard deviation, degrees. It comes back only as wide as the
 * blur needs. All its light stays.
 */
export function blurred(picture: Picture, sigmaDeg: number): Picture {
  const width = Math.min(picture.width, Math.max(64, Math.ceil((360 * FINE) / sigmaDeg)));
  const source = shrink(picture, width, Math.max(32, Math.round(width / 2)));
  const { height } = source;
  const sigma = toRadians(sigmaDeg);
  const reach = Math.min(Math.PI, 3 * sigma);
  const pixels = new Float32Array(source.pixels.length);
  const angleOf = (y: number) => ((y + 0.5) / height) * Math.PI;
  for (let y = 0; y < height; y++) {
    const a = angleOf(y);
    const sums = new Float64Array(width * 3);
    let weights = 0;
    for (let from = 0; from < height; from++) {
      const b = angleOf(from);
      if (Math.abs(a - b) > reach) continue;
      const taps = tapsAcross(a, b, reach, sigma, width, cellOf(source, from));
      weights += taps[0] + 2 * taps.slice(1).reduce((n, w) => n + w, 0);
      addRow(source.pixels, from * width * 3, width, taps, sums);
    }
    for (let i = 0; i < width * 3; i++) pixels[y * width * 3 + i] = sums[i] / weights;
  }
  return { width, height, pixels };
}

/** Weights of the pixels of one row for a pixel of another, by how many columns they are apart. */
function tapsAcross(a: number, b: number, reach: number, sigma: number, width: number, cell: number): number[] {
  const taps: number[] = [];
  const [up, along] = [Math.cos(a) * Math.cos(b), Math.sin(a) * Math.sin(b)];
  for (let i = 0; i <= Math.floor((width - 1) / 2); i++) {
    const apart = Math.acos(Math.min(1, Math.max(-1, up + along * Math.cos((i / width) * 2 * Math.PI))));
    if (apart > reach) break;
    taps.push(cell * Math.exp(-0.5 * (apart / sigma) ** 2));
  }
  return taps.length > 0 ? taps : [0];
}

function addRow(pixels: Float32Array, at: number, width: number, taps: readonly number[], sums: Float64Array): void {
  taps.forEach((weight, apart) => {
    if (weight === 0) return;
    for (let x = 0; x < width; x++) {
      const right = at + ((x + apart) % width) * 3;
      const left = at + ((x - apart + width) % width) * 3;
      for (let k = 0; k < 3; k++)
        sums[x * 3 + k] += weight * (apart === 0 ? pixels[right + k] : pixels[right + k] + pixels[left + k]);
    }
  });
}
