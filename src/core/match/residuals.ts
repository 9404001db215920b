import type { Evidence } from "./evidence.ts";
import { EdgeEvidence, LineEvidence } from "./evidence.ts";
import type { State } from "./unknowns.ts";

/** How far marks lie off a camera. */

/** Root mean square distance of a mark's points from the best line through the solved vanishing point, pixels. */
export function ownRms(e: Evidence, state: State): number {
  const out = new Float64Array(e.size);
  e.settle(state);
  e.residuals(state, new Float64Array(8), out);
  const isEdge = e instanceof EdgeEvidence || e instanceof LineEvidence;
  const sigma = isEdge ? e.sigma : (e.pixelSigma ?? 1);
  const n = isEdge ? e.size : Math.min(e.size, 4);
  return Math.sqrt(out.slice(0, n).reduce((s, r) => s + r * r, 0) / n) * sigma;
}

export function rmsOf(evidence: Evidence[], state: State): number {
  let sum = 0;
  let count = 0;
  for (const e of evidence) {
    if (e.id === null) continue;
    const n = e instanceof EdgeEvidence || e instanceof LineEvidence ? e.size : Math.min(e.size, 4);
    sum += ownRms(e, state) ** 2 * n;
    count += n;
  }
  return count > 0 ? Math.sqrt(sum / count) : 0;
}
