import { linearToSrgb } from "#core/colour/srgb";
import { randomFrom } from "./noise.ts";

/** The made-up camera's curve: sRGB with a soft shoulder from 0.72 of linear light on. */
export const SHOULDER = 0.72;
export const toneCurve = (linear: number): number => {
  const x = Math.max(0, linear);
  const rest = 1 - SHOULDER;
  return linearToSrgb(x <= SHOULDER ? x : SHOULDER + rest * (1 - Math.exp(-(x - SHOULDER) / rest)));
};

/** Standard deviation of the lens's and demosaicing's blur, in pixels. */
export const SOFTNESS = 0.55;
/** Sensor noise in linear light: standard deviation squared = read^2 + shot * light. */
export const NOISE = { read: 0.0016, shot: 0.00016 };

/** Hot pixels of the path tracer (over four times the median of the eight around) take the mean of the calm ones. */
export function despeckle(pixels: Float32Array, width: number, height: number): void {
  const before = pixels.slice();
  const light = (i: number) => before[i] + before[i + 1] + before[i + 2];
  for (let y = 1; y + 1 < height; y++) {
    for (let x = 1; x + 1 < width; x++) {
      const at = (y * width + x) * 3;
      const around: number[] = [];
      for (let dy = -1; dy <= 1; dy++)
        for (let dx = -1; dx <= 1; dx++) if (dx || dy) around.push(at + (dy * width + dx) * 3);
      const lights = around.map(light).sort((a, b) => a - b);
      if (light(at) <= 4 * lights[4]) continue;
      const calm = around.filter((i) => light(i) <= 2 * lights[4]);
      for (let k = 0; k < 3; k++) pixels[at + k] = calm.reduce((s, i) => s + before[i + k], 0) / calm.length;
    }
  }
}

function blur(pixels: Float32Array, width: number, height: number, sigma: number): Float32Array {
  const radius = Math.ceil(3 * sigma);
  const kernel = Array.from({ length: 2 * radius + 1 }, (_, i) => Math.exp(-((i - radius) ** 2) / (2 * sigma * sigma)));
  const sum = kernel.reduce((a, b) => a + b);
  const pass = (source: Float32Array, dx: number, dy: number) => {
    const out = new Float32Array(source.length);
    for (let y = 0; y < height; y++) {
      for (let x = 0; x < width; x++) {
        for (let j = -radius; j <= radius; j++) {
          const sx = Math.min(width - 1, Math.max(0, x + j * dx));
          const sy = Math.min(height - 1, Math.max(0, y + j * dy));
          const w = kernel[j + radius] / sum;
          for (let k = 0; k < 3; k++) out[(y * width + x) * 3 + k] += w * source[(sy * width + sx) * 3 + k];
        }
      }
    }
    return out;
  };
  return pass(pass(pixels, 1, 0), 0, 1);
}

/** Turns clean linear light into 8-bit codes as the made-up camera would: softness, noise, curve. */
export function develop(clean: Float32Array, width: number, height: number, seed: number): Uint8Array {
  const soft = blur(clean, width, height, SOFTNESS);
  const random = randomFrom(seed);
  const codes = new Uint8Array(soft.length);
  for (let i = 0; i < soft.length; i++) {
    const sigma = Math.sqrt(NOISE.read ** 2 + NOISE.shot * Math.max(0, soft[i]));
    const gauss = Math.sqrt(-2 * Math.log(1 - random())) * Math.cos(2 * Math.PI * random());
    codes[i] = Math.round(255 * Math.min(1, toneCurve(soft[i] + sigma * gauss)));
  }
  return codes;
}
