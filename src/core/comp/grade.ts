import * as v from "valibot";
import { Finite } from "../schema/fields.ts";
import type { Table } from "./tabled.ts";
import { tabledBy, valueAt } from "./tabled.ts";
import { luminance } from "../colour/srgb.ts";

/** Changes of colour in linear light, in this order: exposure, balance, white, black, contrast, saturation. */
const within = (least: number, most: number) =>
  v.pipe(Finite, v.minValue(least, `must be ${least} or more`), v.maxValue(most, `must be ${most} or less`));
const Three = (least: number, most: number) => v.tuple([within(least, most), within(least, most), within(least, most)]);

export const gradeEntries = {
  /** Stops. */
  exposure: within(-10, 10),
  /** Warmer is positive: stops that red gains and blue loses. */
  warmth: within(-2, 2),
  /** Towards green is positive: stops. */
  green: within(-2, 2),
  /** What white becomes, by channel. */
  white: Three(0, 16),
  /** Light that is added, by channel. */
  black: Three(-1, 1),
  /** Power about mid grey (0.18). */
  contrast: within(0.1, 4),
  saturation: within(0, 4),
};
export type Grade = v.InferOutput<v.ObjectSchema<typeof gradeEntries, undefined>>;

export const newGrade = (): Grade => ({
  exposure: 0,
  warmth: 0,
  green: 0,
  white: [1, 1, 1],
  black: [0, 0, 0],
  contrast: 1,
  saturation: 1,
});

export const changesNothing = (g: Grade): boolean =>
  g.exposure === 0 &&
  g.warmth === 0 &&
  g.green === 0 &&
  g.contrast === 1 &&
  g.saturation === 1 &&
  g.white.every((w) => w === 1) &&
  g.black.every((b) => b === 0);

const GREY = 0.18;

/** Powers about mid grey. */
const powerOf = tabledBy((contrast) => (x) => (x > 0 ? GREY * Math.pow(x / GREY, contrast) : x));

/** A grade made ready for many colours. */
export interface Grader {
  gain: Float64Array;
  black: Float64Array;
  /** Contrast; null where there is none. */
  power: Table | null;
  saturation: number;
}

export function grader(g: Grade): Grader {
  const stops = Math.pow(2, g.exposure);
  const gain = [g.warmth - g.green / 2, g.green, -g.warmth - g.green / 2].map(
    (s, k) => stops * Math.pow(2, s) * g.white[k],
  );
  return {
    gain: Float64Array.from(gain),
    black: Float64Array.from(g.black),
    power: g.contrast === 1 ? null : powerOf(g.contrast),
    saturation: g.saturation,
  };
}

/** The grade of a colour, in place. */
export function gradeColour({ gain, black, power, saturation }: Grader, c: Float64Array): void {
  let x = gain[0] * c[0] + black[0];
  let y = gain[1] * c[1] + black[1];
  let z = gain[2] * c[2] + black[2];
  if (power !== null) {
    x = valueAt(power, x);
    y = valueAt(power, y);
    z = valueAt(power, z);
  }
  if (saturation !== 1) {
    const grey = luminance(x, y, z);
    x = grey + saturation * (x - grey);
    y = grey + saturation * (y - grey);
    z = grey + saturation * (z - grey);
  }
  c[0] = x;
  c[1] = y;
  c[2] = z;
}

/** A colour of the CG and the one of the plate that it should be. */
export interface ColourPair {
  cg: readonly [number, number, number];
  plate: readonly [number, number, number];
}

/**
 * White and black by picked pairs: with one pair white alone (or black, where the CG has none to scale), with more the line
 * through them by least squares, channel by channel.
 */
export function fitPairs(pairs: readonly ColourPair[]): Pick<Grade, "white" | "black"> {
  const lines = [0, 1, 2].map((k) => {
    const points = pairs.map(({ cg, plate }) => [cg[k], plate[k]]);
    if (points.length === 0) return [1, 0];
    const [x, y] = [0, 1].map((c) => points.reduce((sum, p) => sum + p[c], 0) / points.length);
    const spread = points.reduce((sum, p) => sum + (p[0] - x) ** 2, 0);
    if (points.length === 1 || spread < 1e-9) return x > 0.01 ? [y / x, 0] : [1, y - x];
    const slope = points.reduce((sum, p) => sum + (p[0] - x) * (p[1] - y), 0) / spread;
    return slope > 0 ? [slope, y - slope * x] : [y / Math.max(1e-6, x), 0];
  });
  const hold = (value: number, least: number, most: number) => Math.min(most, Math.max(least, value));
  return {
    white: lines.map(([gain]) => hold(gain, 0, 16)) as Grade["white"],
    black: lines.map(([, lift]) => hold(lift, -1, 1)) as Grade["black"],
  };
}

/** Gain of one channel over another, and of all of them, from which pairs are doubted: the light was measured before. */
const DOUBTED_CAST = 1.6;
const DOUBTED_GAIN = 4;
/** Light by which black may differ between channels: some haze is blue. */
const DOUBTED_TINT = 0.1;
const CHANNELS = ["red", "green", "blue"];

/** What a match by pairs would do that hardly anybody wants, and what to pick instead; null where it is a plain one. */
export function pairsDoubt(pairs: readonly ColourPair[]): string | null {
  const { white, black } = fitPairs(pairs);
  const [most, least] = [Math.max(...white), Math.min(...white)];
  const times = (factor: number) => (Number.isFinite(factor) ? `${factor.toPrecision(2)} times` : "many times");
  if (most > DOUBTED_CAST * least) {
    const [strong, weak] = [most, least].map((gain) => CHANNELS[white.indexOf(gain)]);
    return `This makes ${strong} ${times(most / least)} as strong against ${weak} as it is. Pick what has the same colour on both, best something grey.`;
  }
  if (most > DOUBTED_GAIN || least < 1 / DOUBTED_GAIN)
    return `This makes the prop's lights ${times(least > 1 ? most : least)} as bright. Pick a dark and a bright pair that lie far apart.`;
  const [high, low] = [Math.max(...black), Math.min(...black)];
  if (high - low > DOUBTED_TINT)
    return `This tints what is black on the prop: ${CHANNELS[black.indexOf(high)]} comes out ${(high - low).toFixed(2)} above ${CHANNELS[black.indexOf(low)]}. Pick what has the same colour on both, best something grey.`;
  return null;
}
