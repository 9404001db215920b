import { luminance } from "../colour/srgb.ts";
import type { Vec2 } from "../math/vec3.ts";

/** Step that an edge has at least, in linear light. */
const LEAST_CONTRAST = 0.04;
/** Samples that one fit takes. */
const MOST_SAMPLES = 2500;
/** Light near which a camera clips: an edge that does looks sharper than it is. */
const CLIPS = 0.95;

/** Error function by Abramowitz and Stegun, Handbook of Mathematical Functions, 7.1.26; within 1.5e-7. */
function erf(x: number): number {
  const t = 1 / (1 + 0.3275911 * Math.abs(x));
  const y =
    1 -
    ((((1.061405429 * t - 1.453152027) * t + 1.421413741) * t - 0.284496736) * t + 0.254829592) * t * Math.exp(-x * x);
  return x < 0 ? -y : y;
}

/**
 * Spread of a piece of an edge of a plate, from `a` to `b` along it, seen so far to either side: the standard deviation of
 * the Gaussian that blurs a step into it, pixels. Null where no blurred step explains that share of what is there, where
 * it has hardly any contrast, or clips.
 */
export function stepSpread(plate: LinearPicture, a: Vec2, b: Vec2, reach: number, leastFit: number): number | null {
  const samples = samplesAcross(plate, a, b, reach);
  return (
    samples &&
    (fitStep(
      samples.map(([off, r, g, bl]): Vec2 => [off, luminance(r, g, bl)]),
      reach,
      leastFit,
    )?.sigma ??
      null)
  );
}

/**
 * Where such a piece's step lies in each channel: pixels to the right of the way from `a` to `b`. Null where a channel is no
 * clean step.
 */
export function stepPlaces(
  plate: LinearPicture,
  a: Vec2,
  b: Vec2,
  reach: number,
  leastFit: number,
): [number, number, number] | null {
  const samples = samplesAcross(plate, a, b, reach);
  if (!samples) return null;
  const places = [1, 2, 3].map(
    (k) =>
      fitStep(
        samples.map((s): Vec2 => [s[0], s[k]]),
        reach,
        leastFit,
      )?.place ?? null,
  );
  return places.every((p) => p !== null) ? (places as [number, number, number]) : null;
}

export interface LinearPicture {
  width: number;
  height: number;
  linear: Float32Array;
}

/** Distance from a line and light of each channel, of pixels along it; null where the frame ends or light clips. */
function samplesAcross(
  { width, height, linear }: LinearPicture,
  a: Vec2,
  b: Vec2,
  reach: number,
): [number, number, number, number][] | null {
  const length = Math.hypot(b[0] - a[0], b[1] - a[1]);
  const [dx, dy] = [(b[0] - a[0]) / length, (b[1] - a[1]) / length];
  const samples: [number, number, number, number][] = [];
  let brightest = 0;
  const low = [Math.min(a[0], b[0]) - reach, Math.min(a[1], b[1]) - reach].map(Math.floor);
  const high = [Math.max(a[0], b[0]) + reach, Math.max(a[1], b[1]) + reach].map(Math.ceil);
  if (low[0] < 0 || low[1] < 0 || high[0] >= width || high[1] >= height) return null;
  for (let y = low[1]; y <= high[1]; y++)
    for (let x = low[0]; x <= high[0]; x++) {
      const [px, py] = [x + 0.5 - a[0], y + 0.5 - a[1]];
      const along = px * dx + py * dy;
      const off = py * dx - px * dy;
      if (along < 0 || along > length || Math.abs(off) > reach) continue;
      const i = (y * width + x) * 3;
      brightest = Math.max(brightest, linear[i], linear[i + 1], linear[i + 2]);
      samples.push([off, linear[i], linear[i + 1], linear[i + 2]]);
    }
  // The mark may lie beside the edge, and slant against it: both are found with the spread.
  if (samples.length < 6 * length || brightest > CLIPS) return null;
  const each = Math.ceil(samples.length / MOST_SAMPLES);
  return samples.filter((_, i) => i % each === 0);
}

/** Place and spread of a blurred step through samples of (distance, light), by its place and width on a grid that gets finer. */
function fitStep(samples: readonly Vec2[], reach: number, leastFit: number): { place: number; sigma: number } | null {
  const mean = samples.reduce((sum, [, v]) => sum + v, 0) / samples.length;
  const total = samples.reduce((sum, [, v]) => sum + (v - mean) ** 2, 0);
  let best = { place: 0, sigma: 1, rest: Infinity, height: 0 };
  const consider = (place: number, sigma: number) => {
    // Level and height of the step follow by least squares.
    let [s1, s2, sv, s1v] = [0, 0, 0, 0];
    for (const [d, v] of samples) {
      const e = erf((d - place) / (Math.SQRT2 * sigma));
      s1 += e;
      s2 += e * e;
      sv += v;
      s1v += e * v;
    }
    const n = samples.length;
    const det = n * s2 - s1 * s1;
    if (!(det > 1e-9)) return;
    const height = (n * s1v - s1 * sv) / det;
    const level = (sv - height * s1) / n;
    let rest = 0;
    for (const [d, v] of samples) rest += (v - level - height * erf((d - place) / (Math.SQRT2 * sigma))) ** 2;
    if (rest < best.rest) best = { place, sigma, rest, height };
  };
  const far = (3 / 7) * reach;
  for (let place = -far; place <= far; place += far / 6)
    for (const sigma of [0.06, 0.1, 0.16, 0.24, 0.37]) consider(place, sigma * reach);
  for (let step = 0.4; step > 0.004; step /= 2) {
    const { place, sigma } = best;
    for (const p of [-1, 0, 1])
      for (const s of [1 / (1 + step), 1, 1 + step])
        consider(place + (p * step * reach) / 7, Math.min(0.86 * reach, Math.max(0.15, sigma * s)));
  }
  const explained = 1 - best.rest / Math.max(1e-12, total);
  return 2 * Math.abs(best.height) > LEAST_CONTRAST && explained > leastFit ? best : null;
}
