import type { Vec3 } from "../../math/vec3.ts";
import type { Camera } from "../../optics/camera.ts";
import { pixelDirection } from "../../optics/camera.ts";
import type { SetRecord } from "../../set/parts/index.ts";
import { pickFace } from "../../set/pick.ts";
import type { Slope } from "../level.ts";
import { levelDirection, newSlope } from "../level.ts";
import type { SkySpread } from "../schema.ts";
import type { SkyKind } from "./sky.ts";

export type GradientSpread = Extract<SkySpread, { kind: "gradient" }>;

/** A sky that goes from one colour at the horizon to another overhead. */
export const gradient: SkyKind<GradientSpread> = {
  label: "gradient",
  shape:
    ({ horizon, zenith, steepness }) =>
    (up) => {
      const low = (1 - Math.min(1, Math.max(0, up))) ** steepness;
      return zenith.map((z, k) => z + (horizon[k] - z) * low) as Vec3;
    },
};

/** Places across and down the plate that are looked at. */
const [ACROSS, DOWN] = [96, 64];
const LEAST_PLACES = 60;
/** Sines of heights that the visible sky must span. */
const LEAST_SPAN = 0.08;
const STEEPNESS = [1, 2, 4, 8];
const ROUNDS = 8;
/** Relative misfit beyond which a place counts less: clouds, masts and roofs that the set does not have. */
const HELD = 0.08;
const BRIGHTEST = 0.985;

/**
 * Gradient of the sky that the plate itself shows: what lies above the horizon and is no part of the set, by least
 * squares that hold what does not fit (Huber). In the plate's own light. A sentence where it shows too little.
 */
export function skyOfPlate(
  camera: Camera | null,
  set: SetRecord,
  plate: { width: number; height: number; linear: Float32Array },
  slope: Slope = newSlope(),
): GradientSpread | string {
  if (!camera) return "Solve the camera first: it tells how high the sky's places are.";
  const places: { up: number; colour: Vec3 }[] = [];
  for (let j = 0; j < DOWN; j++)
    for (let i = 0; i < ACROSS; i++) {
      const [x, y] = [Math.floor(((i + 0.5) * plate.width) / ACROSS), Math.floor(((j + 0.5) * plate.height) / DOWN)];
      const pixel: [number, number] = [x + 0.5, y + 0.5];
      const up = levelDirection(slope, pixelDirection(camera, pixel))[2];
      if (up < 0.02) continue;
      const at = (y * plate.width + x) * 3;
      const colour: Vec3 = [plate.linear[at], plate.linear[at + 1], plate.linear[at + 2]];
      if (Math.max(...colour) >= BRIGHTEST || pickFace(set, camera, pixel)) continue;
      places.push({ up, colour });
    }
  const ups = places.map(({ up }) => up).sort((a, b) => a - b);
  if (places.length < LEAST_PLACES || ups[ups.length - 1] - ups[0] < LEAST_SPAN)
    return "The plate shows too little sky that is not clipped. Choose another sky, and let the probes tell its level.";
  const fits = STEEPNESS.map((steepness) => ({ steepness, ...fitted(places, steepness) }));
  const best = fits.reduce((a, b) => (b.rest < a.rest ? b : a));
  const rounded = (c: Vec3) => c.map((x) => Number(Math.max(0, x).toPrecision(5))) as Vec3;
  return { kind: "gradient", horizon: rounded(best.horizon), zenith: rounded(best.zenith), steepness: best.steepness };
}

function fitted(places: { up: number; colour: Vec3 }[], steepness: number) {
  const lows = places.map(({ up }) => (1 - up) ** steepness);
  let weights = places.map(() => 1);
  let horizon: Vec3 = [0, 0, 0];
  let zenith: Vec3 = [0, 0, 0];
  let rest = Infinity;
  for (let round = 0; round < ROUNDS; round++) {
    let [n, s, ss] = [0, 0, 0];
    const sums: Vec3 = [0, 0, 0];
    const slopes: Vec3 = [0, 0, 0];
    places.forEach(({ colour }, i) => {
      const w = weights[i];
      n += w;
      s += w * lows[i];
      ss += w * lows[i] * lows[i];
      colour.forEach((c, k) => {
        sums[k] += w * c;
        slopes[k] += w * lows[i] * c;
      });
    });
    const det = Math.max(1e-9, n * ss - s * s);
    const slope = slopes.map((x, k) => (n * x - s * sums[k]) / det) as Vec3;
    const mean = sums.map((x) => x / n) as Vec3;
    zenith = mean.map((m, k) => m - (slope[k] * s) / n) as Vec3;
    // What is far beyond the visible part is not believed: overhead within a third and three times of what is seen.
    zenith = zenith.map((z, k) => Math.min(3 * mean[k], Math.max(mean[k] / 3, z))) as Vec3;
    horizon = mean.map((m, k) => zenith[k] + ((m - zenith[k]) * n) / s) as Vec3;
    rest = 0;
    weights = places.map(({ colour }, i) => {
      const off = Math.max(
        ...colour.map((c, k) => Math.abs(c - zenith[k] - (horizon[k] - zenith[k]) * lows[i]) / Math.max(1e-4, mean[k])),
      );
      rest += Math.min(off, HELD) ** 2;
      return off <= HELD ? 1 : HELD / off;
    });
  }
  return { horizon, zenith, rest };
}
