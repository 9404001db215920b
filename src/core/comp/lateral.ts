import { findSegments } from "../detect/segments.ts";
import type { LinearPicture } from "../detect/step.ts";
import { stepPlaces } from "../detect/step.ts";
import { toneOf } from "../detect/tone.ts";
import type { Vec2 } from "../math/vec3.ts";

/** By how much a lens spreads colours towards the corner. */
export interface MeasuredLateral {
  /** Pixels by which red, and blue, lie farther out than green in the corner. */
  redPx: number;
  bluePx: number;
  /** Standard deviation of either. */
  sigmaPx: number;
  places: number;
}

const REACH = 7;
const ALONG = 24;
const LEAST_FIT = 0.95;
const LEAST_PLACES = 12;
/** Least share of the corner's radius that an edge's place has across it, to count. */
const LEAST_LEVER = 0.1;
/** Beyond so many median deviations a place is another thing's own colour. */
const ODD = 4;
const ROUNDS = 6;

/**
 * Lateral colour of a plate by edges that lie across the radius: where the step lies in red and blue against green, which
 * grows with the distance from the middle. Each piece of 24 pixels is one witness; those far from the common line are left
 * out, round by round. Null where too few edges tell.
 */
export function measureLateral(plate: LinearPicture, marks: readonly (readonly Vec2[])[]): MeasuredLateral | null {
  const { width, height } = plate;
  const [cx, cy] = [width / 2, height / 2];
  const corner = Math.hypot(cx, cy);
  const found = findSegments(toneOf(plate.linear, width, height));
  const witnesses: { lever: number; red: number; blue: number }[] = [];
  for (const line of [...marks, ...found.map(({ from, to }): Vec2[] => [from, to])])
    for (let i = 1; i < line.length; i++) {
      const [from, to] = [line[i - 1], line[i]];
      const length = Math.hypot(to[0] - from[0], to[1] - from[1]);
      const normal: Vec2 = [-(to[1] - from[1]) / length, (to[0] - from[0]) / length];
      for (let p = 0; p < Math.min(60, Math.floor(length / ALONG)); p++) {
        const at = (s: number): Vec2 => [
          from[0] + ((to[0] - from[0]) * s) / length,
          from[1] + ((to[1] - from[1]) * s) / length,
        ];
        const [a, b] = [at(p * ALONG), at((p + 1) * ALONG)];
        const middle: Vec2 = [(a[0] + b[0]) / 2 - cx, (a[1] + b[1]) / 2 - cy];
        const lever = (middle[0] * normal[0] + middle[1] * normal[1]) / corner;
        if (Math.abs(lever) < LEAST_LEVER) continue;
        const places = stepPlaces(plate, a, b, REACH, LEAST_FIT);
        if (places) witnesses.push({ lever, red: places[0] - places[1], blue: places[2] - places[1] });
      }
    }
  const red = slopeOf(witnesses.map(({ lever, red: shift }) => [lever, shift]));
  const blue = slopeOf(witnesses.map(({ lever, blue: shift }) => [lever, shift]));
  if (!red || !blue) return null;
  return {
    redPx: red.slope,
    bluePx: blue.slope,
    sigmaPx: Math.max(red.sigma, blue.sigma),
    places: Math.min(red.places, blue.places),
  };
}

/** Slope of a line through nothing at nothing, by least squares without what is odd. */
function slopeOf(points: readonly Vec2[]): { slope: number; sigma: number; places: number } | null {
  let kept = points;
  for (let round = 0; round < ROUNDS; round++) {
    if (kept.length < LEAST_PLACES) return null;
    const [xx, xy] = kept.reduce(([a, b], [x, y]) => [a + x * x, b + x * y], [0, 0]);
    const slope = xy / xx;
    const off = kept.map(([x, y]) => Math.abs(y - slope * x));
    const median = [...off].sort((a, b) => a - b)[Math.floor(off.length / 2)];
    const next = kept.filter((_, i) => off[i] <= ODD * Math.max(median, 1e-3));
    if (next.length === kept.length || round === ROUNDS - 1) {
      const variance = off.reduce((sum, d) => sum + d * d, 0) / Math.max(1, kept.length - 1);
      return { slope, sigma: Math.sqrt(variance / xx), places: kept.length };
    }
    kept = next;
  }
  return null;
}
