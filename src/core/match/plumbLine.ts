import type { Frame, Lens } from "../optics/camera.ts";
import { foldsWithin } from "../optics/distortion.ts";
import type { Distortion } from "../optics/distortion.ts";
import { LineEvidence } from "./evidence.ts";
import { backSolve, factor } from "../math/linear.ts";
import type { RequestEdge } from "./request.ts";
import type { State } from "./unknowns.ts";

export interface PlumbLine {
  distortion: Distortion;
  /** Standard deviations of the solved coefficients, from the marks' own. */
  sigma: number[];
  /** Root mean square distance of the marks from straight lines, pixels, before and after. */
  rmsBefore: number;
  rmsPx: number;
}

/**
 * Distortion from straight things alone (Brown 1971, "Close-range camera calibration": the plumb-line method): marks of
 * three points or more are bent straight by k1, and k2 where asked. The lens keeps its focal length and principal point.
 * A sentence where it cannot be.
 */
export function plumbLine(lens: Lens, frame: Frame, edges: RequestEdge[], solveK2: boolean): PlumbLine | string {
  const curved = edges.filter((e) => e.points.length >= 3).map((e) => new LineEvidence(e));
  if (curved.length === 0) {
    return "No edge has a point between its ends. Mark a long straight thing near the border with several points along it.";
  }
  const n = solveK2 ? 2 : 1;
  const total = curved.reduce((s, e) => s + e.size, 0);
  if (total < 2 * curved.length + n) return "There are too few points for this. Add points along the curved edges.";
  const stateOf = (k: ArrayLike<number>): State => ({
    camera: {
      ...lens,
      distortion: { ...lens.distortion, k1: k[0], ...(solveK2 ? { k2: k[1] } : {}) },
      rotation: [
        [1, 0, 0],
        [0, 1, 0],
        [0, 0, 1],
      ],
      position: [0, 0, 0],
    },
    families: new Map(),
  });
  const residuals = (k: ArrayLike<number>): Float64Array => {
    const out = new Float64Array(total);
    const state = stateOf(k);
    let at = 0;
    for (const e of curved) {
      e.settle(state);
      const r = new Float64Array(e.size);
      e.residuals(state, [0, 0], r);
      out.set(r, at);
      at += e.size;
    }
    return out;
  };
  const pixels = (r: Float64Array): number => {
    let [sum, at] = [0, 0];
    for (const e of curved) for (let i = 0; i < e.size; i++) sum += (r[at++] * e.sigma) ** 2;
    return Math.sqrt(sum / total);
  };
  let k = Float64Array.from(solveK2 ? [lens.distortion.k1, lens.distortion.k2] : [lens.distortion.k1]);
  const before = pixels(residuals(k));
  let normal = new Float64Array(n * n);
  for (let round = 0; round < 20; round++) {
    const r = residuals(k);
    const columns = Array.from({ length: n }, (_, j) => {
      const up = k.slice();
      const down = k.slice();
      up[j] += 1e-5;
      down[j] -= 1e-5;
      const [a, b] = [residuals(up), residuals(down)];
      return a.map((v, i) => (v - b[i]) / 2e-5);
    });
    normal = new Float64Array(n * n);
    const step = new Float64Array(n);
    for (let i = 0; i < n; i++) {
      for (let j = 0; j < n; j++) normal[i * n + j] = columns[i].reduce((s, v, q) => s + v * columns[j][q], 0);
      step[i] = -columns[i].reduce((s, v, q) => s + v * r[q], 0);
    }
    const l = normal.slice();
    if (!factor(l, n)) return "These edges do not show any bend: mark some nearer to the border, away from the middle.";
    backSolve(l, n, step);
    k = k.map((v, i) => v + step[i]);
    if (step.every((s) => Math.abs(s) < 1e-9)) break;
  }
  const { distortion } = stateOf(k).camera;
  const [cx, cy] = lens.principal;
  const corner = Math.hypot(Math.max(cx, frame.width - cx), Math.max(cy, frame.height - cy)) / lens.focalPx;
  if (foldsWithin(distortion, corner * 1.02)) {
    return "The distortion that would straighten these edges folds inside the frame. Check that they are straight things, and add more.";
  }
  const sigma = Array.from({ length: n }, (_, i) => {
    const l = normal.slice();
    const unit = new Float64Array(n);
    unit[i] = 1;
    factor(l, n);
    backSolve(l, n, unit);
    return Math.sqrt(unit[i]);
  });
  return { distortion, sigma, rmsBefore: before, rmsPx: pixels(residuals(k)) };
}
