import type { Vec3 } from "../math/vec3.ts";
import { cross, dot, normalize } from "../math/vec3.ts";
import type { NormalLine } from "./lines.ts";
import { turnTo } from "./lines.ts";

/**
 * Level directions under a supposed lens and up direction. Every line of the picture that is level in the world has one
 * heading then, and things that stand at one heading give a peak among the headings of all lines: any number of houses,
 * streets that bend.
 */

/** A supposed camera: focal length in halves of the diagonal, and the up direction in its frame. */
export interface Supposed {
  focal: number;
  up: Vec3;
}

/** Chance of a line to belong to a family over its chance to be clutter. */
const KNOWN = 0.15;
/** Lines whose heading is less sure than this say nothing of a peak, radians. */
const VAGUE = 0.15;

/** How many times likelier the line is under a direction that it meets exactly than as clutter, before the distance counts. */
export const gainAt = (sigma: number): number => KNOWN * Math.sqrt(Math.PI / 2 / (sigma * sigma));

/** Natural logarithm of how much likelier a turn makes the line than clutter does; never below 0. */
export function gainOf(l: NormalLine, turn: number): number {
  const e = turn / l.sigma;
  return e > 4 || e < -4 ? 0 : Math.log1p(gainAt(l.sigma) * Math.exp(-0.5 * e * e));
}

/** Two level unit vectors in the camera's frame, the first pointing away from it. */
export function levelBasis(up: Vec3): [Vec3, Vec3] {
  const ahead = normalize([-up[0] * up[2], -up[1] * up[2], 1 - up[2] * up[2]]);
  return [ahead, cross(ahead, up)];
}

/** Direction in the camera's frame of a heading, radians from straight ahead. */
export const headingDirection = (basis: [Vec3, Vec3], heading: number): Vec3 => {
  const [c, s] = [Math.cos(heading), Math.sin(heading)];
  return [0, 1, 2].map((k) => c * basis[0][k] + s * basis[1][k]) as Vec3;
};

/** Angle of a line to a direction in the camera's frame. */
export const turnToDirection = (l: NormalLine, d: Vec3, focal: number): number =>
  turnTo(l, focal * d[0], focal * d[1], d[2]);

/** Heading that a line has if it is level, 0 to π, and how sure that is. */
function headingOf(l: NormalLine, { focal, up }: Supposed, basis: [Vec3, Vec3]): { heading: number; sigma: number } {
  const of = (turn: number): number => {
    const [c, s] = [Math.cos(turn), Math.sin(turn)];
    const [dx, dy] = [l.direction[0] * c - l.direction[1] * s, l.direction[0] * s + l.direction[1] * c];
    // Normal of the plane through the camera and the line.
    const n = cross([l.middle[0], l.middle[1], focal], [dx, dy, 0]);
    const h = cross(n, up);
    const angle = Math.atan2(dot(h, basis[1]), dot(h, basis[0]));
    return angle < 0 ? angle + Math.PI : angle;
  };
  const [a, b] = [of(-l.sigma), of(l.sigma)];
  let spread = Math.abs(a - b);
  if (spread > Math.PI / 2) spread = Math.PI - spread;
  return { heading: of(0), sigma: Math.max(spread / 2, 1e-4) };
}

/** Headings closer than this, radians, are taken apart only where it explains so many times more. */
const CLOSE = 0.09;
const CLOSE_GAIN = 4;

export interface Peak {
  heading: number;
  /** How much likelier the lines are with it than without, natural logarithm. */
  gain: number;
}

/** Difference of two headings, −π/2 to π/2. */
export const headingApart = (a: number, b: number): number => {
  const d = (((a - b) % Math.PI) + Math.PI) % Math.PI;
  return d > Math.PI / 2 ? d - Math.PI : d;
};

/**
 * Headings at which lines pile up, the strongest first, each counted by what it explains beyond the ones before and
 * beyond `known` (what each line gains already). `least` is the gain that a peak must bring.
 */
export function headingPeaks(
  lines: NormalLine[],
  supposed: Supposed,
  known: Float64Array,
  least: number,
  most: number,
): { peaks: Peak[]; total: number } {
  const basis = levelBasis(supposed.up);
  const best = known.slice();
  const all = lines.map((l) => headingOf(l, supposed, basis));
  const usable = all.map((_, i) => i).filter((i) => all[i].sigma < VAGUE);
  const levels = lines.map((l) => gainAt(l.sigma));
  const gain = (i: number, heading: number): number => {
    let d = heading - all[i].heading;
    if (d > Math.PI / 2) d -= Math.PI;
    else if (d < -Math.PI / 2) d += Math.PI;
    const e = d / all[i].sigma;
    return e > 4 || e < -4 ? 0 : Math.log1p(levels[i] * Math.exp(-0.5 * e * e));
  };
  const tries = usable.filter((i) => all[i].sigma < 0.05).map((i) => all[i].heading);
  const peaks: Peak[] = [];
  while (peaks.length < most) {
    let top: Peak = { heading: 0, gain: 0 };
    for (const heading of tries) {
      let sum = 0;
      for (const i of usable) {
        const g = gain(i, heading) - best[i];
        if (g > 0) sum += g;
      }
      // Close to a heading that is there it is rather the same thing, not quite true.
      const doubted = peaks.some((p) => Math.abs(headingApart(p.heading, heading)) < CLOSE);
      if (doubted && sum < CLOSE_GAIN * least) continue;
      if (sum > top.gain) top = { heading, gain: sum };
    }
    if (top.gain < least) break;
    // The mean of what it gathers stands for it.
    let [weight, shift] = [0, 0];
    for (const i of usable) {
      const d = headingApart(all[i].heading, top.heading);
      if (Math.abs(d) > 2 * all[i].sigma) continue;
      const w = 1 / all[i].sigma ** 2;
      weight += w;
      shift += w * d;
    }
    const heading = weight > 0 ? top.heading + shift / weight : top.heading;
    for (const i of usable) best[i] = Math.max(best[i], gain(i, top.heading), gain(i, heading));
    peaks.push({ heading, gain: top.gain });
  }
  let total = 0;
  for (const b of best) total += b;
  return { peaks, total };
}
