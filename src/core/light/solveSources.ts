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

/**
 * Colours of the sources that explain the patches: radiance = albedo / π times irradiance (Lambert's law), and irradiance
 * is a sum over the sources, so that each channel is least squares with unknowns that are not below 0. `present` are the
 * sources' now: where the patches say nothing of how two sources compare, their colours do. At least one patch.
 */
export function solveSources(patches: LitPatch[], present: Unknown[]): SourceColours {
  const kinds = present.map(({ kind }) => kind);
  const sound = present.map(({ colour }) => {
    const level = Math.max(lum(colour), 1e-3);
    return colour.map((x) => Math.max(x, 0.01 * level)) as Vec3;
  });
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
  const spread = covariance(rowsOf(patches, start, kinds, 1).rows);
  const unknown = present.map((_, s) => {
    const x = colours[s][1] / start[s][1];
    return Math.sqrt(Math.max(0, spread[s][s])) / Math.max(x, 0.05);
  });
  const confused: [number, number][] = [];
  for (let a = 0; a < present.length; a++)
    for (let b = a + 1; b < present.length; b++) {
      const together = spread[a][b] / Math.sqrt(Math.max(1e-30, spread[a][a] * spread[b][b]));
      if (together < -0.6 && Math.max(unknown[a], unknown[b]) > UNKNOWN) confused.push([a, b]);
    }
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
    sigma: unknown,
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
