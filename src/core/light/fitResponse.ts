import { solveSymmetric } from "../math/nnls.ts";
import { toScene } from "../image/response.ts";
import { MODEL_SIGMA } from "./solveSources.ts";

/** A probed patch, for the plate's curve: luminances. */
export interface ResponsePatch {
  /** What its codes say as linear light. */
  plate: number;
  /** Reflectance, its relative spread, and what shares its error. */
  albedo: number;
  spread: number;
  surface: string;
  /** What each source brings there as it is in the rig, and what the set gives back. */
  units: number[];
  bounce: number;
}

/** The curve that explains the probes. */
export interface FittedResponse {
  shoulder: number;
  /** Exponent about middle grey: the one given, unless the probes cannot be explained with it. */
  contrast: number;
  /** Standard deviation of it; null where the probes leave it open on one side. */
  sigma: number | null;
  /** Sum of squared misfits in standard deviations, with a straight plate and with this one. */
  straight: number;
  bent: number;
  /** The probes cannot be explained by a straight plate. */
  sure: boolean;
}

const CANDIDATES = Array.from({ length: 66 }, (_, i) => 0.35 + i / 100);
/** Shoulders that a contrast is tried with. */
const COARSE = CANDIDATES.filter((_, i) => i % 5 === 0);
const CONTRASTS = Array.from({ length: 21 }, (_, i) => Number((0.7 + i * 0.05).toFixed(2)));
/** How far a source may lie from what it is in the rig, in the logarithm: a factor of two and a half or so. */
const SOURCE_SIGMA = 1;
const ROUNDS = 12;
/** Chi-squared of one more unknown that chance reaches once in a thousand times. */
const SURE = 10.8;

/**
 * The plate's curve, by the probes themselves: for every shoulder the sources and the albedos are brought to where they
 * explain the probes best; least squares of logarithms. Probes of one surface share its albedo, so that a bright and a
 * dark thing, each in the sun and in the shade, tell it; so do the greys of a chart, and these its contrast too. Null with
 * fewer than three probes.
 */
export function fitResponse(patches: readonly ResponsePatch[], given: number): FittedResponse | null {
  if (patches.length < 3) return null;
  const contrast = contrastOf(patches, given);
  const fits = CANDIDATES.map((shoulder) => ({ shoulder, chi: misfit(patches, shoulder, contrast) }));
  const straight = fits[fits.length - 1].chi;
  const best = fits.reduce((a, b) => (b.chi < a.chi ? b : a));
  const within = fits.filter(({ chi }) => chi <= best.chi + 1);
  const [low, high] = [within[0].shoulder, within[within.length - 1].shoulder];
  const open = low === CANDIDATES[0] || high === CANDIDATES[CANDIDATES.length - 1];
  return {
    shoulder: Number(best.shoulder.toFixed(2)),
    contrast,
    sigma: open ? null : Math.max(0.005, (high - low) / 2),
    straight,
    bent: best.chi,
    sure: contrast !== given || straight - best.chi > SURE,
  };
}

/** The contrast that explains the probes, with the shoulder that suits it best; the given one where it does as well. */
function contrastOf(patches: readonly ResponsePatch[], given: number): number {
  const least = (contrast: number) => Math.min(...COARSE.map((shoulder) => misfit(patches, shoulder, contrast)));
  const own = least(given);
  // A curve of either kind is not needed where none is.
  if (own < SURE) return given;
  const tried = CONTRASTS.map((contrast) => ({ contrast, chi: least(contrast) }));
  const best = tried.reduce((a, b) => (b.chi < a.chi ? b : a));
  // At the end of what is tried it is something else that is wrong: an albedo, or what is in the sun.
  const open = best === tried[0] || best === tried[tried.length - 1];
  return own - best.chi > SURE && !open ? best.contrast : given;
}

/** Least misfit of the probes under a shoulder, over the levels of sources and albedos. */
function misfit(patches: readonly ResponsePatch[], shoulder: number, contrast: number): number {
  const scene = patches.map(({ plate }) => Math.log(Math.max(1e-6, toScene({ shoulder, contrast }, plate))));
  const sources = patches[0].units.length;
  const surfaces = [...new Set(patches.map(({ surface }) => surface))];
  const spreads = surfaces.map((of) =>
    Math.max(...patches.filter(({ surface }) => surface === of).map((p) => p.spread)),
  );
  const n = sources + surfaces.length;
  const x = new Array<number>(n).fill(0);
  let chi = Infinity;
  for (let round = 0; round < ROUNDS; round++) {
    const normal = Array.from({ length: n }, () => new Array<number>(n).fill(0));
    const right = new Array<number>(n).fill(0);
    let sum = 0;
    const add = (row: number[], residual: number, sigma: number) => {
      sum += (residual / sigma) ** 2;
      row.forEach((a, i) => {
        if (a === 0) return;
        right[i] += (a * residual) / sigma ** 2;
        row.forEach((b, j) => (normal[i][j] += (a * b) / sigma ** 2));
      });
    };
    patches.forEach(({ units, bounce, albedo, surface }, i) => {
      // Bounced light goes with all sources together.
      const level = units.reduce((total, u) => total + u, 0);
      const parts = units.map((u, s) => (u + (level > 0 ? (bounce * u) / level : 0)) * Math.exp(x[s]));
      const light = parts.reduce((total, p) => total + p, level > 0 ? 0 : bounce);
      const at = surfaces.indexOf(surface);
      const told = Math.log(Math.max(1e-9, (albedo * light) / Math.PI)) + x[sources + at];
      const row = new Array<number>(n).fill(0);
      parts.forEach((p, s) => (row[s] = p / Math.max(1e-12, light)));
      row[sources + at] = 1;
      add(row, scene[i] - told, MODEL_SIGMA);
    });
    const pull = (i: number, sigma: number) => {
      const row = new Array<number>(n).fill(0);
      row[i] = 1;
      add(row, -x[i], sigma);
    };
    for (let s = 0; s < sources; s++) pull(s, SOURCE_SIGMA);
    spreads.forEach((spread, i) => pull(sources + i, Math.max(0.02, spread)));
    chi = sum;
    solveSymmetric(normal, right).forEach((d, i) => (x[i] += Math.max(-0.7, Math.min(0.7, d))));
  }
  return chi;
}
