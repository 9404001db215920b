import type { Vec3 } from "../math/vec3.ts";
import { nonNegativeLeastSquares, solveSymmetric } from "../math/nnls.ts";

/** A patch of the plate, and what every source brings there at one unit of its radiance (or of the sun's irradiance). */
export interface LitPatch {
  id: string;
  /** Mean linear colour of the patch. */
  colour: Vec3;
  albedo: Vec3;
  /** Relative standard deviation of the albedo, and what shares its error. */
  spread: number;
  surface: string;
  /** As how many it counts; 1 where nothing is said. */
  weight?: number;
  /** Irradiance that comes from the set and the floor, plate units. */
  bounce: Vec3;
  /** Irradiance by source, in the order of the sources. */
  units: Vec3[];
}

export interface SourceColours {
  /** By source: what explains the patches. */
  colours: Vec3[];
  /** By source: relative standard deviation of its green, from what the set and the patches do not say. */
  sigma: number[];
  /** Relative standard deviation of the level of everything, from the albedo. */
  levelSigma: number;
  /** By patch: what the sources give it, and its relative difference in luminance from the plate. */
  rendered: Vec3[];
  residual: number[];
  /** Pairs of sources, by number, that the patches do not tell apart. */
  confused: [number, number][];
}

/** Relative standard deviation of a patch for what the set does not have (common practice, no published source). */
export const MODEL_SIGMA = 0.04;
/** A source whose colour is asked for. */
export interface Unknown {
  /** Its colour now. */
  colour: Vec3;
  /** Sources of one kind are likely alike: windows look at one sky. */
  kind: string;
}

/** How far a kind of source may lie from its share in the present rig where no patch says otherwise, relative (our own choice). */
const PRIOR_SIGMA = 3;
/** The same for a source among its own kind. */
const ALIKE_SIGMA = 0.3;
const ROUNDS = 8;
/** Above this relative ± a source is not told by the patches. */
const UNKNOWN = 0.5;

const lum = (c: Vec3) => 0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2];

/**
 * Rows of least squares for one channel, in units of `start`: a patch each, then a pull of each source to the level of its
 * kind and of each kind to a common level. Columns: the sources, the kinds, the common level.
 */
function rowsOf(patches: LitPatch[], start: Vec3[], kinds: string[], k: number): { rows: number[][]; right: number[] } {
  const n = start.length;
  const named = [...new Set(kinds)];
  const width = n + named.length + 1;
  const rows: number[][] = [];
  const right: number[] = [];
  for (const { colour, albedo, bounce, units, weight: counts = 1 } of patches) {
    const e = (Math.PI * colour[k]) / albedo[k];
    const weight = Math.sqrt(counts) / (MODEL_SIGMA * Math.max(e, 1e-6));
    const row = new Array<number>(width).fill(0);
    units.forEach((u, s) => (row[s] = u[k] * start[s][k] * weight));
    rows.push(row);
    right.push(Math.max(0, e - bounce[k]) * weight);
  }
  const pull = (a: number, b: number, sigma: number) => {
    const row = new Array<number>(width).fill(0);
    row[a] = 1 / sigma;
    row[b] = -1 / sigma;
    rows.push(row);
    right.push(0);
  };
  kinds.forEach((kind, s) => pull(s, n + named.indexOf(kind), ALIKE_SIGMA));
  named.forEach((_, i) => pull(n + i, width - 1, PRIOR_SIGMA));
  return { rows, right };
}

/** Covariance of the unknowns over the present colours, for patches that are each off by `MODEL_SIGMA`. */
function covariance(rows: number[][]): number[][] {
  const n = rows[0].length;
  const normal = Array.from({ length: n }, (_, i) =>
    Array.from({ length: n }, (_, j) => rows.reduce((sum, r) => sum + r[i] * r[j], 0)),
  );
  return Array.from({ length: n }, (_, c) =>
    solveSymmetric(
      normal,
      Array.from({ length: n }, (_, i) => (i === c ? 1 : 0)),
    ),
  );
}

/** Pairs of sources, by number, that a covariance over their present colours does not tell apart, and each one's ±. */
function untold(spread: number[][], shares: number[]): { sigma: number[]; confused: [number, number][] } {
  const sigma = shares.map((x, s) => Math.sqrt(Math.max(0, spread[s][s])) / Math.max(x, 0.05));
  const confused: [number, number][] = [];
  for (let a = 0; a < shares.length; a++)
    for (let b = a + 1; b < shares.length; b++) {
      const together = spread[a][b] / Math.sqrt(Math.max(1e-30, spread[a][a] * spread[b][b]));
      if (together < -0.6 && Math.max(sigma[a], sigma[b]) > UNKNOWN) confused.push([a, b]);
    }
  return { sigma, confused };
}

/**
 * Kinds of which the patches tell only the sum, as one: else the least disagreement of patches alike, such as cards that all
 * lie in the sun, would give all of it to one of them.
 */
function joinedKinds(
  patches: LitPatch[],
  sound: Vec3[],
  kinds: string[],
): { kinds: string[]; joined: [number, number][] } {
  // Looked at where every kind gives as much of the light: what is told does not hang on how the rig is now.
  const sum = (of: (patch: LitPatch) => number) => patches.reduce((total, patch) => total + of(patch), 0);
  const light = sum(({ colour, albedo, bounce }) => Math.max(0, (Math.PI * colour[1]) / albedo[1] - bounce[1]));
  const gives = (kind: string) =>
    sum(({ units }) => units.reduce((e, u, s) => e + (kinds[s] === kind ? u[1] * sound[s][1] : 0), 0));
  const levels = new Map([...new Set(kinds)].map((kind) => [kind, light / Math.max(1e-9, gives(kind))]));
  const start = sound.map((c, s) => c.map((x) => x * Math.max(1e-4, levels.get(kinds[s])! / levels.size)) as Vec3);
  const { confused } = untold(
    covariance(rowsOf(patches, start, kinds, 1).rows),
    sound.map(() => 1),
  );
  const joined = confused.filter(([a, b]) => kinds[a] !== kinds[b]);
  let own = kinds;
  for (const [a, b] of joined) own = own.map((kind) => (kind === own[b] ? own[a] : kind));
  return { kinds: own, joined };
}

/**
 * Colours of the sources that explain the patches: radiance = albedo / π times irradiance (Lambert's law), and irradiance
 * is a sum over the sources, so that each channel is least squares with unknowns that are not below 0. `present` are the
 * sources' now: where the patches say nothing of how two sources compare, their colours do. At least one patch.
 */
export function solveSources(patches: LitPatch[], present: Unknown[]): SourceColours {
  const named = present.map(({ kind }) => kind);
  const sound = present.map(({ colour }) => {
    const level = Math.max(lum(colour), 1e-3);
    return colour.map((x) => Math.max(x, 0.01 * level)) as Vec3;
  });
  const { kinds, joined } = joinedKinds(patches, sound, named);
  let start = sound;
  let colours = sound;
  // Each round starts from the answer before, so that the pull between kinds no longer draws what the patches tell well.
  for (let round = 0; round < ROUNDS; round++) {
    const found = present.map((): Vec3 => [0, 0, 0]);
    for (let k = 0; k < 3; k++) {
      const { rows, right } = rowsOf(patches, start, kinds, k);
      const { x } = nonNegativeLeastSquares(rows, right);
      found.forEach((c, s) => (c[k] = x[s] * start[s][k]));
    }
    colours = found;
    start = sound.map((own, s) => {
      const kin = kinds.flatMap((kind, i) => (kind === kinds[s] ? [i] : []));
      return own.map((x, k) => {
        const level = kin.reduce((sum, i) => sum + colours[i][k] / sound[i][k], 0) / kin.length;
        return x * Math.max(level, 1e-4);
      }) as Vec3;
    });
  }
  const { sigma, confused } = untold(
    covariance(rowsOf(patches, start, named, 1).rows),
    colours.map((c, s) => c[1] / start[s][1]),
  );
  for (const pair of joined) if (!confused.some(([a, b]) => a === pair[0] && b === pair[1])) confused.push(pair);
  const rendered = patches.map(
    ({ albedo, bounce, units }) =>
      [0, 1, 2].map(
        (k) => (albedo[k] / Math.PI) * (bounce[k] + units.reduce((sum, u, s) => sum + u[k] * colours[s][k], 0)),
      ) as Vec3,
  );
  // Patches of one surface share its error; different surfaces make the level surer.
  const surfaces = new Map(patches.map(({ surface, spread: own }) => [surface, own]));
  const levelSigma = Math.hypot(...surfaces.values()) / surfaces.size;
  return {
    colours,
    sigma,
    levelSigma,
    rendered,
    residual: patches.map(({ colour }, i) => lum(rendered[i]) / Math.max(1e-9, lum(colour)) - 1),
    confused,
  };
}

/** By how much a further patch with those units would lessen the summed variance of the sources, green. */
export function worthOf(patches: LitPatch[], present: Unknown[], colours: Vec3[], candidate: LitPatch): number {
  const start = colours.map((c, s) => c.map((x, k) => Math.max(x, 0.01 * present[s].colour[k], 1e-4)) as Vec3);
  const kinds = present.map(({ kind }) => kind);
  const total = (all: LitPatch[]) =>
    covariance(rowsOf(all, start, kinds, 1).rows)
      .slice(0, present.length)
      .reduce((sum, row, i) => sum + row[i], 0);
  return total(patches) - total([...patches, candidate]);
}
