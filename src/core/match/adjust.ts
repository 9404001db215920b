import { backSolve, factor, invertSymmetric } from "../math/linear.ts";
import type { Evidence } from "./evidence.ts";
import type { State, Unknowns } from "./unknowns.ts";
import { moved, unknownCount, unknownSteps } from "./unknowns.ts";

/** Normal equations at a state, with every evidence's nuisances eliminated (Schur complement). */
interface Linear {
  cost: number;
  /** Sum over evidence of `matrices`, n x n. */
  matrix: Float64Array;
  gradient: Float64Array;
  matrices: Float64Array[];
  gradients: Float64Array[];
  costs: number[];
  /** For every evidence: nuisance step = -(offset + coupling * camera step). */
  offsets: Float64Array[];
  couplings: Float64Array[];
}

export interface Adjusted {
  state: State;
  /** Sum of squared residuals, each over its own standard deviation. */
  cost: number;
  converged: boolean;
  linear: Linear;
}

const zeros = new Float64Array(8);

export function costOf(evidence: Evidence[], state: State): number {
  let cost = 0;
  const out = new Float64Array(64);
  for (const e of evidence) {
    const r = e.size <= out.length ? out : new Float64Array(e.size);
    e.settle(state);
    e.residuals(state, zeros, r);
    for (let i = 0; i < e.size; i++) cost += r[i] * r[i];
  }
  return cost;
}

/** Linearises all evidence at `state` by central differences. */
function linearise(u: Unknowns, evidence: Evidence[], state: State): Linear {
  const n = unknownCount(u);
  const steps = unknownSteps(u, state);
  const plus: State[] = [];
  const minus: State[] = [];
  const one = new Float64Array(n);
  for (let j = 0; j < n; j++) {
    one[j] = steps[j];
    plus.push(moved(u, state, one));
    one[j] = -steps[j];
    minus.push(moved(u, state, one));
    one[j] = 0;
  }
  const linear: Linear = {
    cost: 0,
    matrix: new Float64Array(n * n),
    gradient: new Float64Array(n),
    matrices: [],
    gradients: [],
    costs: [],
    offsets: [],
    couplings: [],
  };
  for (const e of evidence) {
    const m = e.size;
    const k = e.nuisances;
    const r = new Float64Array(m);
    const a = new Float64Array(m);
    const b = new Float64Array(m);
    const jp = new Float64Array(m * n);
    const jq = new Float64Array(m * k);
    e.settle(state);
    e.residuals(state, zeros, r);
    for (let j = 0; j < n; j++) {
      e.residuals(plus[j], zeros, a);
      e.residuals(minus[j], zeros, b);
      const s = 0.5 / steps[j];
      for (let i = 0; i < m; i++) jp[i * n + j] = (a[i] - b[i]) * s;
    }
    const q = new Float64Array(k);
    for (let j = 0; j < k; j++) {
      const h = 1e-6;
      q[j] = h;
      e.residuals(state, q, a);
      q[j] = -h;
      e.residuals(state, q, b);
      q[j] = 0;
      for (let i = 0; i < m; i++) jq[i * k + j] = ((a[i] - b[i]) * 0.5) / h;
    }
    const matrix = new Float64Array(n * n);
    const gradient = new Float64Array(n);
    let cost = 0;
    for (let i = 0; i < m; i++) {
      cost += r[i] * r[i];
      for (let p = 0; p < n; p++) {
        gradient[p] += jp[i * n + p] * r[i];
        for (let w = 0; w <= p; w++) matrix[p * n + w] += jp[i * n + p] * jp[i * n + w];
      }
    }
    const offset = new Float64Array(k);
    const coupling = new Float64Array(k * n);
    if (k > 0) {
      const d = new Float64Array(k * k);
      const g = new Float64Array(k);
      const c = new Float64Array(k * n);
      for (let i = 0; i < m; i++) {
        for (let p = 0; p < k; p++) {
          g[p] += jq[i * k + p] * r[i];
          for (let w = 0; w < k; w++) d[p * k + w] += jq[i * k + p] * jq[i * k + w];
          for (let w = 0; w < n; w++) c[p * n + w] += jq[i * k + p] * jp[i * n + w];
        }
      }
      for (let p = 0; p < k; p++) d[p * k + p] += 1e-12 * d[p * k + p] + 1e-30;
      if (factor(d, k)) {
        offset.set(g);
        backSolve(d, k, offset);
        const column = new Float64Array(k);
        for (let w = 0; w < n; w++) {
          for (let p = 0; p < k; p++) column[p] = c[p * n + w];
          backSolve(d, k, column);
          for (let p = 0; p < k; p++) coupling[p * n + w] = column[p];
        }
        for (let p = 0; p < n; p++) {
          for (let j = 0; j < k; j++) {
            gradient[p] -= c[j * n + p] * offset[j];
            for (let w = 0; w <= p; w++) matrix[p * n + w] -= c[j * n + p] * coupling[j * n + w];
          }
        }
      }
    }
    for (let p = 0; p < n; p++) for (let w = 0; w < p; w++) matrix[w * n + p] = matrix[p * n + w];
    for (let i = 0; i < n * n; i++) linear.matrix[i] += matrix[i];
    for (let i = 0; i < n; i++) linear.gradient[i] += gradient[i];
    linear.cost += cost;
    linear.matrices.push(matrix);
    linear.gradients.push(gradient);
    linear.costs.push(cost);
    linear.offsets.push(offset);
    linear.couplings.push(coupling);
  }
  return linear;
}

/** Levenberg-Marquardt from `start` to the least sum of squares. */
export function adjust(u: Unknowns, evidence: Evidence[], start: State, maxRounds = 40): Adjusted {
  const n = unknownCount(u);
  let state = start;
  let linear = linearise(u, evidence, state);
  let damping = 1e-4;
  let converged = false;
  for (let round = 0; round < maxRounds && !converged; round++) {
    let improved = false;
    for (let attempt = 0; attempt < 12; attempt++) {
      const a = linear.matrix.slice();
      for (let i = 0; i < n; i++) a[i * n + i] += damping * a[i * n + i] + 1e-12;
      const step = Float64Array.from(linear.gradient, (g) => -g);
      if (!factor(a, n)) {
        damping = Math.max(damping * 8, 1e-6);
        continue;
      }
      backSolve(a, n, step);
      evidence.forEach((e, i) => {
        e.save();
        if (e.nuisances === 0) return;
        const q = new Float64Array(e.nuisances);
        for (let p = 0; p < e.nuisances; p++) {
          q[p] = -linear.offsets[i][p];
          for (let w = 0; w < n; w++) q[p] -= linear.couplings[i][p * n + w] * step[w];
        }
        e.move(q);
      });
      const trial = moved(u, state, step);
      const cost = costOf(evidence, trial);
      if (cost <= linear.cost * (1 + 1e-9) && Number.isFinite(cost)) {
        const gain = linear.cost - cost;
        state = trial;
        damping = Math.max(damping / 8, 1e-12);
        converged = gain <= 1e-7 * (1 + cost);
        improved = true;
        break;
      }
      for (const e of evidence) e.restore();
      damping = Math.max(damping * 6, 1e-8);
    }
    if (!improved) {
      costOf(evidence, state);
      converged = true;
      break;
    }
    linear = linearise(u, evidence, state);
  }
  return { state, cost: linear.cost, converged, linear };
}

/** Covariance of the unknowns (the inverse Fisher information), or null where the evidence leaves one of them open. */
export const covarianceOf = (u: Unknowns, linear: Linear): Float64Array | null =>
  invertSymmetric(linear.matrix, unknownCount(u));

/**
 * What leaving out evidence number `i` would do, by one exact step of the linearised problem: the change of every
 * unknown, and by how much the sum of squares falls. Null if the rest no longer determines the unknowns.
 */
export function leaveOut(u: Unknowns, linear: Linear, i: number): { step: Float64Array; drop: number } | null {
  const n = unknownCount(u);
  const a = new Float64Array(n * n);
  for (let k = 0; k < n * n; k++) a[k] = linear.matrix[k] - linear.matrices[i][k];
  const inverse = invertSymmetric(a, n);
  if (!inverse) return null;
  const g = new Float64Array(n);
  for (let k = 0; k < n; k++) g[k] = linear.gradient[k] - linear.gradients[i][k];
  const step = new Float64Array(n);
  let fall = 0;
  for (let p = 0; p < n; p++) {
    for (let w = 0; w < n; w++) step[p] -= inverse[p * n + w] * g[w];
    fall -= step[p] * g[p];
  }
  return { step, drop: linear.costs[i] + fall };
}

/** Gradient of half the sum of squares by the unknowns, nuisances eliminated. */
export const gradientOf = (u: Unknowns, evidence: Evidence[], state: State): Float64Array =>
  linearise(u, evidence, state).gradient;

/** Information (n x n) that one piece of evidence holds on the unknowns, its nuisances eliminated. */
export const informationOf = (u: Unknowns, evidence: Evidence, state: State): Float64Array =>
  linearise(u, [evidence], state).matrices[0];
