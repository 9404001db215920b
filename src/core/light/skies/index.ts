import type { Vec3 } from "../../math/vec3.ts";
import type { Picture, Surround } from "../../trace/scene.ts";
import type { Slope } from "../level.ts";
import { levelDirection, newSlope } from "../level.ts";
import type { SkySpread } from "../schema.ts";
import type { PictureSpread } from "../surroundings/known.ts";
import { groundMean, litPicture } from "../surroundings/known.ts";
import { turnMatrix } from "../surroundings/turn.ts";
import { even, general, overcast } from "./general.ts";
import { gradient } from "./gradient.ts";
import { physical } from "./physical.ts";
import { picture } from "./picture.ts";
import type { SkyKind, SkyShape } from "./sky.ts";

/** Every kind of sky. A forgotten one is a type error. */
export const SKIES: { [K in SkySpread["kind"]]: SkyKind<Extract<SkySpread, { kind: K }>> } = {
  even,
  overcast,
  general,
  physical,
  gradient,
  picture,
};

const WIDTH = 256;
const HEIGHT = 128;

/** The brightness of a spread by direction, up to a factor; null for an even sky. */
export const shapeOf = (spread: SkySpread, sun: Vec3): SkyShape | null =>
  (SKIES[spread.kind] as SkyKind<SkySpread>).shape(spread, sun);

/** Middle of a cell's row and column as a unit vector: +Y in the middle of the picture, up at the top. */
function directionOf(column: number, row: number): Vec3 {
  const turn = ((column + 0.5) / WIDTH - 0.5) * 2 * Math.PI;
  const tilt = ((row + 0.5) / HEIGHT) * Math.PI;
  return [Math.sin(tilt) * Math.sin(turn), Math.sin(tilt) * Math.cos(turn), Math.cos(tilt)];
}

/** Radiance of what lies far off below the horizon, of the sky's mean: usual ground (Oke 1987, table 1.1, from memory). */
const FAR_GROUND = 0.2;

/** Mean of a sky over the world's ground, weighed by the cosine: radiance of the even sky that lights it alike. */
export function groundLevel(shape: SkyShape, sun: Vec3, slope: Slope = newSlope()): Vec3 {
  const sum: Vec3 = [0, 0, 0];
  let weights = 0;
  for (let y = 0; y < HEIGHT / 2; y++)
    for (let x = 0; x < WIDTH; x++) {
      const { colour, weight } = cellAt(shape, sun, slope, x, y);
      weights += weight;
      colour?.forEach((c, k) => (sum[k] += weight * c));
    }
  return sum.map((s) => s / weights) as Vec3;
}

/**
 * A sky as a picture around the place, latitude by longitude: the mean over the world's ground (weighed by the cosine) is 1
 * in every channel, so that the sky's own radiance is that of the even sky which gives the ground the same light. Below
 * the world's horizon it is black but for the row that the horizon is read from: there the ground stands. Where the ground
 * slopes, what lies under the level horizon and over the ground's is the country far off. `sun` is a direction against what
 * is level, as a kind of sky takes it.
 */
export function skyPicture(shape: SkyShape, sun: Vec3, slope: Slope = newSlope()): Picture {
  const pixels = new Float32Array(WIDTH * HEIGHT * 3);
  const sum: Vec3 = [0, 0, 0];
  let weights = 0;
  for (let y = 0; y < HEIGHT / 2; y++) {
    for (let x = 0; x < WIDTH; x++) {
      const { colour, weight } = cellAt(shape, sun, slope, x, y);
      weights += weight;
      for (let k = 0; k < 3; k++) {
        pixels[(y * WIDTH + x) * 3 + k] = colour ? colour[k] : -1;
        if (colour) sum[k] += weight * colour[k];
      }
    }
  }
  for (let i = 0; i < (WIDTH * HEIGHT * 3) / 2; i++)
    pixels[i] = pixels[i] < 0 ? FAR_GROUND : pixels[i] * (weights / Math.max(1e-12, sum[i % 3]));
  const row = WIDTH * 3;
  pixels.copyWithin((HEIGHT / 2) * row, (HEIGHT / 2 - 1) * row, (HEIGHT / 2) * row);
  return { width: WIDTH, height: HEIGHT, pixels };
}

/** Colour of a cell of the world, null under the level horizon, and how much it counts on the ground. */
function cellAt(
  shape: SkyShape,
  sun: Vec3,
  slope: Slope,
  x: number,
  y: number,
): { colour: Vec3 | null; weight: number } {
  const d = directionOf(x, y);
  const weight = d[2] * Math.sqrt(1 - d[2] * d[2]);
  const level = levelDirection(slope, d);
  if (level[2] <= 0) return { colour: null, weight };
  const toSun = Math.acos(Math.min(1, Math.max(-1, level[0] * sun[0] + level[1] * sun[1] + level[2] * sun[2])));
  return { colour: shape(level[2], toSun, level), weight };
}

const kept = new Map<string, Picture>();

/** What the tracer takes for a sky that is not the same everywhere. */
interface Environment {
  environment: Picture | null;
  surround: Surround | null;
}
const NOTHING: Environment = { environment: null, surround: null };

/** A coloured sky as the tracer takes it; its picture is the same object as long as it can be. Nothing for an even one. */
export function skyEnvironment(spread: SkySpread, radiance: Vec3, sun: Vec3, slope: Slope = newSlope()): Environment {
  if (spread.kind === "even") return NOTHING;
  if (spread.kind === "picture") return surroundings(spread, radiance, slope);
  return { environment: skyTable(spread, radiance, sun, slope), surround: null };
}

/** Turning, strength and colour are asked along the ray, so that the picture stays in the tracer's memory as it is. */
function surroundings(spread: PictureSpread, radiance: Vec3, slope: Slope): Environment {
  const environment = litPicture(spread);
  if (!environment) return NOTHING;
  const mean = groundMean(spread, slope);
  const gain = radiance.map((r, k) => (mean[k] > 0 ? r / mean[k] : 0)) as Vec3;
  return { environment, surround: { turn: turnMatrix(spread, slope), gain, extent: spread.extent } };
}

/** `sun` is a direction of the world. */
function skyTable(spread: SkySpread, radiance: Vec3, sun: Vec3, slope: Slope): Picture {
  const follows = spread.kind === "overcast" ? "" : sun.map((x) => x.toFixed(4)).join();
  const key = JSON.stringify([spread, radiance, follows, slope]);
  const before = kept.get(key);
  if (before) return before;
  const level = levelDirection(slope, sun);
  const picture = skyPicture(shapeOf(spread, level)!, level, slope);
  for (let i = 0; i < picture.pixels.length; i++) picture.pixels[i] *= radiance[i % 3];
  if (kept.size > 3) kept.clear();
  kept.set(key, picture);
  return picture;
}
