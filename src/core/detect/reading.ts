import type { Vec3 } from "../math/vec3.ts";
import { dot, normalize } from "../math/vec3.ts";
import type { Frame } from "../optics/camera.ts";
import { equivalents35mm } from "../optics/camera.ts";
import type { Supposed } from "./headings.ts";
import {
  gainAt,
  gainOf,
  headingApart,
  headingDirection,
  headingPeaks,
  levelBasis,
  turnToDirection,
} from "./headings.ts";
import type { Line, NormalLine } from "./lines.ts";
import { normalLine, turnTo } from "./lines.ts";
import { candidatePoints, shuffler } from "./points.ts";

/**
 * Directions of the world read from the straight lines of a picture: upright, any number of level headings that share a
 * horizon, sloped families, and clutter that belongs to none. The lens is not supposed: every likely one is tried, and
 * how well each explains the lines, with what is known of it beforehand, tells how sure it is. After the ways of Lezama
 * and others 2014 and Simon, Fond and Berger 2018 (zenith first, then level directions judged against chance), with
 * expectation and maximisation over families and clutter at the end (both from memory).
 */

/** What is known of the focal length beforehand: its value in pixels and the standard deviation of its logarithm. */
export interface LensBelief {
  focalPx: number;
  relative: number;
}

export interface Family {
  /** z, x, y, level:NAME, level:NAME+90 (at right angles to its namesake), or free:NAME. */
  axis: string;
  /** Indices of its lines. */
  lines: number[];
  /** In the camera's frame. */
  direction: Vec3;
  /** Chance that it is what it is said to be. */
  sure: number;
}

export interface Reading {
  families: Family[];
  /** Most likely focal length, and the standard deviation of its logarithm. */
  focalPx: number;
  relative: number;
  up: Vec3;
  /** Chance that the right angles are meant to be; 0 without any. */
  square: number;
  /** True if the lens is known to a few per cent, and right angles or what was known of it beforehand confirm it. */
  lensSure: boolean;
  /** The same from the lines alone, with nothing known of the lens but that photographs have it. */
  alone: { focalPx: number; relative: number };
}

/** Photographs are mostly taken with a lens of 24 to 70 mm equivalent: mean and standard deviation of the logarithm (common practice, no published source). */
const USUAL_MM = 32;
const USUAL_SPREAD = 0.5;
/** Lenses that are tried, millimetres equivalent, and by which factor they follow one another. */
const TRIED_MM = { from: 13, to: 190, step: 1.09 };
/** Lines of one wall are off together: each counts as so much of a witness. */
const WITNESS = 0.5;
/** Gain (natural logarithm) from which a heading is more than chance. */
const LEAST_GAIN = 9;
const MOST_HEADINGS = 8;
/** Corners of houses are square to so much, radians (common practice, no published source). */
const SQUARE_SIGMA = 0.009;
/**
 * Chance that two headings are at right angles by intent: of any two, and how much more where they are nearly all that
 * is level in the picture, as with one house or one room (common practice, no published source).
 */
const SQUARE_KNOWN = { any: 0.25, alone: 0.6 };
/** The camera is held level to so much, radians: roll, and tilt about a little downwards (common practice, no published source). */
const ROLL_SIGMA = 0.05;
const TILT_SIGMA = 0.3;

/** A lens known to this standard deviation of its logarithm is sure: within a tenth, nine times of ten. */
const LENS_SURE = 0.065;
/** What distortion and things that are not quite true leave in the logarithm of the focal length, however many lines there are. */
const SYSTEMATIC = 0.04;
const SQUARE_SURE = 0.85;
/** Standard deviations from which two lenses contradict each other. */
const APART = 2.5;

/** True if a lens that the lines give does not contradict one that is noted. */
const agrees = (alone: { mean: number; spread: number }, belief: LensBelief): boolean =>
  Math.abs(alone.mean - Math.log(belief.focalPx)) < APART * Math.hypot(alone.spread, belief.relative);

interface Fit {
  supposed: Supposed;
  headings: { heading: number; gain: number; sigma: number }[];
  /** Gain over clutter of all lines together with what is known beforehand. */
  score: number;
}

export interface ReadOptions {
  /** Standard deviation of the lines' ends, pixels. */
  sigmaPx?: number;
  belief?: LensBelief | null;
}

/** Reads the directions of lines; null where there is nothing that more than chance explains. */
export function readDirections(
  list: Line[],
  frame: Frame,
  { sigmaPx = 0.7, belief = null }: ReadOptions = {},
): Reading | null {
  if (list.length < 3) return null;
  const half = Math.hypot(frame.width, frame.height) / 2;
  // Half the diagonal is 43.27 / 2 mm at full frame.
  const fullFrame = fullFrameHalf(frame);
  const lines = straightened(list, frame, sigmaPx);
  const zeniths = zenithCandidates(lines);
  const tried: { fit: Fit; log: number }[] = [];
  for (let mm = TRIED_MM.from; mm <= TRIED_MM.to; mm *= TRIED_MM.step) {
    const focal = mm / fullFrame;
    const starts = zeniths
      .map((z) => supposedFit(lines, { focal, up: z(focal) }))
      .sort((a, b) => b.score - a.score)
      .slice(0, 2);
    const best = starts.map((s) => refined(lines, s)).sort((a, b) => b.score - a.score)[0];
    tried.push({ fit: best, log: Math.log(focal * half) });
  }
  if (tried.every((t) => t.fit.headings.length === 0 && uprightGain(lines, t.fit.supposed) < LEAST_GAIN)) return null;
  const usual = (log: number) => -0.5 * ((log - Math.log((USUAL_MM / fullFrame) * half)) / USUAL_SPREAD) ** 2;
  const known = (log: number) => {
    if (!belief) return usual(log);
    const e = (log - Math.log(belief.focalPx)) / Math.hypot(belief.relative, Math.log(TRIED_MM.step) / 2);
    // What is noted of a lens is wrong at times (crops, adapters, other cameras' files).
    return Math.log(
      0.97 * (Math.exp(-0.5 * e * e) / Math.max(belief.relative, 0.01)) * 0.1 + 0.03 * Math.exp(usual(log)),
    );
  };
  const alone = weighed(tried, usual);
  const all = weighed(tried, known);
  const chosen = tried[all.index].fit;
  const square = squareChance(tried, known);
  const confirmed = square > SQUARE_SURE || (belief !== null && agrees(alone, belief));
  return {
    families: familiesOf(
      lines,
      chosen,
      square,
      tried.map(({ fit }, i) => ({ fit, weight: all.weights[i] })),
    ),
    focalPx: Math.exp(all.mean),
    relative: all.spread,
    up: chosen.supposed.up,
    square,
    lensSure: confirmed && all.spread < LENS_SURE,
    alone: { focalPx: Math.exp(alone.mean), relative: alone.spread },
  };
}

/** Millimetres at full frame of a focal length of half the diagonal. */
const fullFrameHalf = (frame: Frame): number =>
  equivalents35mm(Math.hypot(frame.width, frame.height) / 2, frame).diagonal;

/** Distortions that are tried, and how lenses scatter (common practice, no published source). */
const BENDS = { from: -0.08, to: 0.04, step: 0.01, sigma: 0.025 };

/** The lines with the distortion taken out under which they meet best, judged at three usual lenses. */
function straightened(list: Line[], frame: Frame, sigmaPx: number): NormalLine[] {
  const full = fullFrameHalf(frame);
  const scored: { bend: number; score: number }[] = [];
  for (let bend = BENDS.from; bend < BENDS.to + 1e-9; bend += BENDS.step) {
    const lines = list.map((l) => normalLine(l, frame, sigmaPx, bend));
    const zeniths = zenithCandidates(lines);
    const best = Math.max(
      ...[22, 30, 45].flatMap((mm) =>
        zeniths.map((z) => supposedFit(lines, { focal: mm / full, up: z(mm / full) }).score),
      ),
    );
    scored.push({ bend, score: best - 0.5 * (bend / BENDS.sigma) ** 2 });
  }
  const top = scored.reduce((a, b) => (b.score > a.score ? b : a));
  return list.map((l) => normalLine(l, frame, sigmaPx, top.bend));
}

/** Mean and spread of the logarithm of the focal length, each tried one weighed by how likely it makes the lines. */
function weighed(tried: { fit: Fit; log: number }[], before: (log: number) => number) {
  const scores = tried.map((t) => t.fit.score + before(t.log));
  const top = Math.max(...scores);
  let [sum, mean, square] = [0, 0, 0];
  scores.forEach((s, i) => {
    const w = Math.exp(s - top);
    sum += w;
    mean += w * tried[i].log;
    square += w * tried[i].log ** 2;
  });
  mean /= sum;
  // Between two that were tried it is not known either.
  const between = Math.log(TRIED_MM.step) / Math.sqrt(12);
  const spread = Math.sqrt(Math.max(0, square / sum - mean * mean) + between * between + SYSTEMATIC * SYSTEMATIC);
  const weights = scores.map((s) => Math.exp(s - top) / sum);
  return { mean, spread, index: scores.indexOf(top), weights };
}

/**
 * Chance that headings at right angles are meant to be: a lens that is open makes any two square, so it counts how much
 * likelier the lines are with right angles than without, over all lenses that they allow.
 */
function squareChance(tried: { fit: Fit; log: number }[], before: (log: number) => number): number {
  const open = tried.map(({ fit, log }) => fit.score - squareGain(fit.headings) + before(log));
  const top = Math.max(...open);
  let [sum, square, without] = [0, 0, 0];
  tried.forEach(({ fit }, i) => {
    const w = Math.exp(open[i] - top);
    const pairs = squarePairs(fit.headings);
    sum += w;
    square += w * Math.exp(pairs.reduce((g, p) => g + p.gain, 0));
    without += w * pairs.reduce((c, p) => c * (1 - p.known), 1);
  });
  return sum > 0 && square > 0 ? Math.max(0, 1 - without / square) : 0;
}

/** Ways to tell the up direction for a focal length: from points where steep lines meet, and for cameras held level. */
function zenithCandidates(lines: NormalLine[]): ((focal: number) => Vec3)[] {
  const steep = lines.map((_, i) => i).filter((i) => Math.abs(lines[i].direction[0]) < 0.5);
  const random = shuffler(lines.length * 7919 + 13);
  const points = candidatePoints(lines, steep, 0.025, random)
    .filter((c) => c.members.length >= 2 && Math.atan2(Math.abs(c.point[0]), Math.abs(c.point[1])) < 0.45)
    .slice(0, 4)
    .map((c) => c.point);
  const upwards = (d: Vec3): Vec3 => (d[1] > 0 ? [-d[0], -d[1], -d[2]] : d);
  const met = points.map((p) => (focal: number) => upwards(normalize([p[0] / focal, p[1] / focal, p[2]])));
  // Lines that hardly converge upright, or none: a camera that is held level, or tilted a little.
  const held = [-0.3, -0.15, 0, 0.15].map((tilt) => () => [0, -Math.cos(tilt), Math.sin(tilt)] as Vec3);
  const clear = met.some((z) => uprightGain(lines, { focal: 1.4, up: z(1.4) }) > 6 * LEAST_GAIN);
  return clear ? met : [...met, ...held];
}

const uprightGain = (lines: NormalLine[], { focal, up }: Supposed): number =>
  lines.reduce((sum, l) => sum + gainOf(l, turnToDirection(l, up, focal)), 0);

/** What is known of how cameras are held. */
function heldPrior(up: Vec3): number {
  const roll = Math.atan2(up[0], -up[1]);
  const tilt = Math.asin(Math.max(-1, Math.min(1, up[2])));
  return -0.5 * (roll / ROLL_SIGMA) ** 2 - 0.5 * ((tilt + 0.03) / TILT_SIGMA) ** 2;
}

/** A supposed camera with the headings that pile up under it. */
function supposedFit(lines: NormalLine[], supposed: Supposed): Fit {
  const known = Float64Array.from(lines, (l) => gainOf(l, turnToDirection(l, supposed.up, supposed.focal)));
  const { peaks } = headingPeaks(lines, supposed, known, LEAST_GAIN, MOST_HEADINGS);
  const headings = peaks.map((p) => ({ ...p, sigma: 0.01 }));
  return { supposed, headings, score: scoreOf(lines, supposed, headings) };
}

/** Natural logarithm of how much likelier the lines are than clutter, families paid for, with right angles and how cameras are held. */
function scoreOf(lines: NormalLine[], supposed: Supposed, headings: Fit["headings"]): number {
  const basis = levelBasis(supposed.up);
  const directions = [supposed.up, ...headings.map((h) => headingDirection(basis, h.heading))];
  let sum = 0;
  for (const l of lines) {
    let odds = 0;
    for (const d of directions) {
      const e = turnToDirection(l, d, supposed.focal) / l.sigma;
      if (e < 5 && e > -5) odds += Math.exp(-0.5 * e * e);
    }
    if (odds > 0) sum += Math.log1p(gainAt(l.sigma) * odds);
  }
  // A heading is one more number: it costs as much as its place among all others says.
  const paid = headings.length * Math.log(Math.PI / 0.02);
  return WITNESS * (sum - paid) + squareGain(headings) + heldPrior(supposed.up);
}

/** Pairs of headings at right angles: how much likelier they are by intent than by chance. */
function squareGain(headings: Fit["headings"]): number {
  return squarePairs(headings).reduce((sum, p) => sum + p.gain, 0);
}

interface SquarePair {
  a: number;
  b: number;
  gain: number;
  /** Chance beforehand that it is meant. */
  known: number;
}

/** Headings in pairs at right angles, each in one pair at most, the likeliest first. */
function squarePairs(headings: Fit["headings"]): SquarePair[] {
  const pairs: SquarePair[] = [];
  const all = headings.reduce((sum, h) => sum + h.gain, 0);
  for (let a = 0; a < headings.length; a++) {
    for (let b = a + 1; b < headings.length; b++) {
      const off = Math.PI / 2 - Math.abs(headingApart(headings[a].heading, headings[b].heading));
      const sigma = Math.hypot(SQUARE_SIGMA, headings[a].sigma, headings[b].sigma);
      const chance = 2 / Math.PI;
      const intent = (2 / (sigma * Math.sqrt(2 * Math.PI))) * Math.exp(-0.5 * (off / sigma) ** 2);
      const share = (headings[a].gain + headings[b].gain) / all;
      const known = SQUARE_KNOWN.any + SQUARE_KNOWN.alone * share * share;
      const gain = Math.log(1 - known + known * (intent / chance));
      if (gain > 0) pairs.push({ a, b, gain, known });
    }
  }
  const taken = new Set<number>();
  return pairs
    .sort((p, q) => q.gain - p.gain)
    .filter((p) => {
      if (taken.has(p.a) || taken.has(p.b)) return false;
      taken.add(p.a).add(p.b);
      return true;
    });
}

/** Expectation and maximisation over upright, headings and clutter, the focal length held. */
function refined(lines: NormalLine[], start: Fit): Fit {
  const { focal } = start.supposed;
  let up = start.supposed.up;
  let headings = start.headings;
  for (let round = 0; round < 4; round++) {
    const basis = levelBasis(up);
    const count = 2 + headings.length;
    const matrix = new Float64Array(count * count);
    const gradient = new Float64Array(count);
    const h = 1e-4;
    // The up direction turns about the camera's ahead and across.
    const turnedUp = (roll: number, tilt: number): Vec3 =>
      normalize([0, 1, 2].map((k) => up[k] + roll * basis[1][k] + tilt * basis[0][k]) as Vec3);
    const tiltedUps = [turnedUp(h, 0), turnedUp(0, h)];
    const tiltedBases = tiltedUps.map(levelBasis);
    for (const l of lines) {
      const turns = [
        turnToDirection(l, up, focal),
        ...headings.map((p) => turnToDirection(l, headingDirection(basis, p.heading), focal)),
      ];
      const odds = turns.map((t) => gainOdds(l, t));
      const sum = odds.reduce((a, b) => a + b, 1);
      odds.forEach((o, k) => {
        const share = o / sum;
        if (share < 0.02) return;
        const e = turns[k];
        const weight = (WITNESS * share) / l.sigma ** 2;
        const slope = [0, 1].map((i) => {
          const d = k === 0 ? tiltedUps[i] : headingDirection(tiltedBases[i], headings[k - 1].heading);
          return (turnToDirection(l, d, focal) - e) / h;
        });
        const own =
          k === 0 ? 0 : (turnToDirection(l, headingDirection(basis, headings[k - 1].heading + h), focal) - e) / h;
        if (![...slope, own].every((s) => Math.abs(s) < 50)) return;
        const terms: [number, number][] = [
          [0, slope[0]],
          [1, slope[1]],
        ];
        if (k > 0) terms.push([k + 1, own]);
        for (const [p, a] of terms) {
          gradient[p] += weight * a * e;
          for (const [q, b] of terms) matrix[p * count + q] += weight * a * b;
        }
      });
    }
    matrix[0] += 1 / ROLL_SIGMA ** 2;
    matrix[count + 1] += 1 / TILT_SIGMA ** 2;
    for (let i = 0; i < count; i++) matrix[i * count + i] += 1e-6 + 1e-3 * matrix[i * count + i];
    const inverse = inverted(matrix, count);
    if (!inverse) break;
    const step = Array.from({ length: count }, (_, i) => {
      let s = 0;
      for (let j = 0; j < count; j++) s -= inverse[i * count + j] * gradient[j];
      return Math.max(-0.05, Math.min(0.05, s));
    });
    up = turnedUp(step[0], step[1]);
    headings = headings.map((p, k) => ({
      ...p,
      heading: p.heading + step[k + 2],
      sigma: Math.sqrt(Math.max(1e-8, inverse[(k + 2) * count + k + 2])),
    }));
  }
  const supposed = { focal, up };
  const score = scoreOf(lines, supposed, headings);
  return score > start.score ? { supposed, headings, score } : start;
}

const gainOdds = (l: NormalLine, turn: number): number => Math.expm1(gainOf(l, turn));

/** Gauss and Jordan with pivots; null for a singular matrix. */
function inverted(source: Float64Array, n: number): Float64Array | null {
  const a = source.slice();
  const out = new Float64Array(n * n);
  for (let i = 0; i < n; i++) out[i * n + i] = 1;
  for (let c = 0; c < n; c++) {
    let pivot = c;
    for (let r = c + 1; r < n; r++) if (Math.abs(a[r * n + c]) > Math.abs(a[pivot * n + c])) pivot = r;
    const p = a[pivot * n + c];
    if (Math.abs(p) < 1e-14) return null;
    for (let k = 0; k < n; k++) {
      [a[c * n + k], a[pivot * n + k]] = [a[pivot * n + k], a[c * n + k]];
      [out[c * n + k], out[pivot * n + k]] = [out[pivot * n + k], out[c * n + k]];
    }
    for (let k = 0; k < n; k++) {
      a[c * n + k] /= p;
      out[c * n + k] /= p;
    }
    for (let r = 0; r < n; r++) {
      if (r === c) continue;
      const f = a[r * n + c];
      if (f === 0) continue;
      for (let k = 0; k < n; k++) {
        a[r * n + k] -= f * a[c * n + k];
        out[r * n + k] -= f * out[c * n + k];
      }
    }
  }
  return out;
}

const NAMES = "ABCDEFGHIJKLMNOPQRSTUVWXYZ";
/** Standard deviations up to which a line belongs to its family. */
const BELONGS = 2.6;

/** Chance from a gain over chance, of which some was needed to look for it at all. */
const chanceOf = (gain: number): number => 1 / (1 + Math.exp(-(WITNESS * gain - 5)));

interface Members {
  /** Upright first, then the headings in their order. */
  directions: Vec3[];
  lines: number[][];
  gains: number[];
  left: number[];
}

/** Which lines belong to which direction of a fit; those that could be of two belong to none. */
function membersOf(lines: NormalLine[], { supposed, headings }: Fit): Members {
  const { focal, up } = supposed;
  const basis = levelBasis(up);
  const directions = [up, ...headings.map((h) => headingDirection(basis, h.heading))];
  const members: Members = { directions, lines: directions.map(() => []), gains: directions.map(() => 0), left: [] };
  lines.forEach((l, i) => {
    const turns = directions.map((d) => Math.abs(turnToDirection(l, d, focal)) / l.sigma);
    const k = turns.indexOf(Math.min(...turns));
    if (!(turns[k] < BELONGS)) {
      members.left.push(i);
      return;
    }
    members.gains[k] += gainOf(l, turnToDirection(l, directions[k], focal));
    const others = turns.filter((t, j) => j !== k && t < BELONGS);
    if (others.length === 0 || others.every((t) => t > turns[k] + 1.5)) members.lines[k].push(i);
  });
  return members;
}

/**
 * How much of each family stays together over all lenses that the lines allow: a family that another lens would put
 * together differently is no sure one.
 */
function steadiness(lines: NormalLine[], chosen: Members, tried: { fit: Fit; weight: number }[]): number[] {
  const shares = chosen.lines.map(() => 0);
  let sum = 0;
  for (const { fit, weight } of tried) {
    if (weight < 0.01) continue;
    const other = membersOf(lines, fit);
    sum += weight;
    chosen.lines.forEach((mine, k) => {
      if (mine.length === 0) return;
      const set = new Set(mine);
      const common = (group: number[]) => group.reduce((n, i) => n + (set.has(i) ? 1 : 0), 0);
      const groups = k === 0 ? [other.lines[0]] : other.lines.slice(1);
      shares[k] += (weight * Math.max(0, ...groups.map(common))) / mine.length;
    });
  }
  return shares.map((s) => s / sum);
}

/** The families of a fit, with their lines and names. */
function familiesOf(lines: NormalLine[], fit: Fit, square: number, tried: { fit: Fit; weight: number }[]): Family[] {
  const { supposed, headings } = fit;
  const chosen = membersOf(lines, fit);
  const { directions, lines: members, gains, left } = chosen;
  const steady = steadiness(lines, chosen, tried);
  const families: Family[] = [];
  const add = (axis: string, k: number, chance = 1) => {
    const lone = members[k].length < 2 ? 0.3 : members[k].length === 2 ? 0.8 : 1;
    if (members[k].length > 0)
      families.push({
        axis,
        lines: members[k],
        direction: directions[k],
        sure: chance * lone * steady[k] * chanceOf(gains[k]),
      });
  };
  add("z", 0);
  const pairs = squarePairs(headings)
    .map((p) => ({ ...p, weight: gains[p.a + 1] + gains[p.b + 1] }))
    .sort((p, q) => q.weight - p.weight);
  const paired = new Set(pairs.flatMap((p) => [p.a, p.b]));
  const single = headings.map((_, i) => i).filter((i) => !paired.has(i));
  single.sort((a, b) => gains[b + 1] - gains[a + 1]);
  const side = (k: number) => {
    const d = directions[k + 1];
    return d[0] / (Math.abs(d[2]) < 1e-6 ? 1e-6 : d[2]);
  };
  let name = 0;
  pairs.forEach(({ a, b }, i) => {
    if (i === 0) {
      const [x, y] = side(a) > side(b) ? [a, b] : [b, a];
      // The stronger of the two stands for itself; the other says that it is square to it.
      add("x", x + 1, gains[x + 1] >= gains[y + 1] ? 1 : square);
      add("y", y + 1, gains[y + 1] > gains[x + 1] ? 1 : square);
      return;
    }
    const [p, q] = gains[a + 1] >= gains[b + 1] ? [a, b] : [b, a];
    const letter = NAMES[name++];
    add(`level:${letter}`, p + 1);
    add(`level:${letter}+90`, q + 1, square);
  });
  for (const k of single) {
    if (pairs.length === 0 && k === single[0]) add(side(k) >= 0 ? "x" : "y", k + 1);
    else add(`level:${NAMES[name++]}`, k + 1);
  }
  families.push(...slopedFamilies(lines, left, supposed));
  return families;
}

/** Families of what is neither upright nor level: roofs, ramps, stairs. */
function slopedFamilies(lines: NormalLine[], left: number[], { focal, up }: Supposed): Family[] {
  const random = shuffler(left.length * 7919 + 17);
  const families: Family[] = [];
  let free = left;
  for (let n = 0; n < 4; n++) {
    const [best] = candidatePoints(lines, free, 0.02, random)
      .map((c) => ({ ...c, gain: c.members.reduce((s, i) => s + gainOf(lines[i], turnOf(lines[i], c.point)), 0) }))
      .filter((c) => c.members.length >= 3 && c.gain > LEAST_GAIN + 4)
      .sort((a, b) => b.gain - a.gain);
    if (!best) break;
    const direction = normalize([best.point[0] / focal, best.point[1] / focal, best.point[2]]);
    // A family at the horizon would be level, and was no peak: it is no more than chance.
    if (Math.abs(dot(direction, up)) > 0.05)
      families.push({
        axis: `free:slope ${NAMES[families.length]}`,
        lines: best.members,
        direction,
        sure: chanceOf(best.gain - 4),
      });
    free = free.filter((i) => !best.members.includes(i));
  }
  return families;
}

const turnOf = (l: NormalLine, [x, y, w]: Vec3): number => turnTo(l, x, y, w);
