import type { Vec3 } from "../math/vec3.ts";
import { cross, normalize, toRadians } from "../math/vec3.ts";
import type { Adjusted } from "./adjust.ts";
import { covarianceOf, gradientOf } from "./adjust.ts";
import type { Evidence } from "./evidence.ts";
import { EdgeEvidence, axisDirection, familyName } from "./evidence.ts";
import type { SolveRequest } from "./request.ts";
import type { State, Unknowns } from "./unknowns.ts";
import { unknownCount } from "./unknowns.ts";

/**
 * Uncertainty that holds for real things: wider than the marks' own noise says where the marks contradict that noise, and
 * where what they lie on is not quite true (a house out of square, a warped sill).
 */
export interface Widened {
  /** Covariance of the unknowns. */
  covariance: Float64Array;
  /** By how much more than their own noise the marks scatter; 1 where chance explains it. */
  scatter: number;
}

/**
 * Directions of built things are true to a quarter of a degree, as standard deviation of a whole family against its
 * world direction (common practice, no published source: half a degree out of square is bad work).
 */
export const USUAL_TOLERANCE_DEG = 0.25;

/** Standard deviation, radians, of the direction of a family's things. */
export function toleranceOf(request: SolveRequest, axis: string): number {
  const { tolerance } = request;
  return toRadians(tolerance?.families?.[axis] ?? tolerance?.deg ?? 0);
}

/** Value that a sum of squares of so many degrees of freedom exceeds by chance once in twenty times (Wilson and Hilferty 1931). */
export const chanceLimit = (freedom: number): number => {
  const a = 2 / (9 * freedom);
  return freedom * (1 - a + 1.6449 * Math.sqrt(a)) ** 3;
};

/** The covariance widened; null where the evidence leaves an unknown open. */
export function widened(
  u: Unknowns,
  solution: Pick<Adjusted, "state" | "cost" | "linear"> & { evidence: Evidence[] },
  request: SolveRequest,
): Widened | null {
  const n = unknownCount(u);
  const own = covarianceOf(u, solution.linear);
  if (!own) return null;
  const { evidence, state, cost } = solution;
  const freedom = evidence.reduce((s, e) => s + e.size - e.nuisances, 0) - n;
  const scatter = freedom > 0 && cost > chanceLimit(freedom) ? Math.sqrt(cost / freedom) : 1;
  const covariance = own.map((c) => c * scatter * scatter);
  for (const axis of new Set(evidence.flatMap((e) => (e instanceof EdgeEvidence ? [e.edge.axis] : [])))) {
    const tolerance = toleranceOf(request, axis);
    if (tolerance === 0 || axis.startsWith("free:")) continue;
    const family = evidence.filter((e) => e instanceof EdgeEvidence && e.edge.axis === axis);
    for (const across of deviations(state, axis)) {
      const answer = response(u, own, family, state, axis, across);
      for (let i = 0; i < n; i++)
        for (let j = 0; j < n; j++) covariance[i * n + j] += answer[i] * answer[j] * tolerance * tolerance;
    }
  }
  return { covariance, scatter };
}

/** Unit directions in which a family may be off: a level one with a heading of its own only up or down. */
function deviations(state: State, axis: string): Vec3[] {
  const d = axisDirection(state, axis);
  if (axis.startsWith("level:")) return [[0, 0, 1]];
  const one = normalize(cross(d, Math.abs(d[2]) < 0.8 ? [0, 0, 1] : [1, 0, 0]));
  return [one, cross(d, one)];
}

/** Change of every unknown when a family turns by one radian towards `across`. */
function response(
  u: Unknowns,
  covariance: Float64Array,
  family: Evidence[],
  state: State,
  axis: string,
  across: Vec3,
): Float64Array {
  const n = unknownCount(u);
  const h = 1e-5;
  const turned = (by: number): State => {
    const d = axisDirection(state, axis);
    const moved = normalize([0, 1, 2].map((k) => d[k] + by * across[k]) as Vec3);
    return { ...state, families: new Map(state.families).set(familyName(axis), moved) };
  };
  const [a, b] = [gradientOf(u, family, turned(h)), gradientOf(u, family, turned(-h))];
  const out = new Float64Array(n);
  for (let i = 0; i < n; i++) {
    for (let j = 0; j < n; j++) out[i] -= (covariance[i * n + j] * (a[j] - b[j])) / (2 * h);
  }
  for (const e of family) e.settle(state);
  return out;
}

/** Standard deviation of something with this gradient. */
export function deviationOf(covariance: Float64Array, gradient: ArrayLike<number>): number {
  const n = gradient.length;
  let v = 0;
  for (let i = 0; i < n; i++) for (let j = 0; j < n; j++) v += gradient[i] * covariance[i * n + j] * gradient[j];
  return Math.sqrt(Math.max(0, v));
}
