import { adjust } from "./adjust.ts";
import type { Inside } from "./solve.ts";

/** How well every focal length fits the marks: the fall of the log likelihood from its best. */
export interface FocalCurve {
  focalPx: number[];
  /** Natural logarithm of the likelihood relative to the best point of the curve: 0 at best, −0.5 at one sigma. */
  logLikelihood: number[];
}

/**
 * Profile likelihood of the focal length: it is held at each value and everything else solved again, without what was
 * said about the lens. Reaches `reach` in either direction of its logarithm. Null where the focal length is not solved.
 */
export function focalCurve(inside: Inside, focalSigma: number): FocalCurve | null {
  const { unknowns, state, evidence } = inside;
  if (!unknowns.focal) return null;
  const u = { ...unknowns, focal: false };
  const marks = evidence.filter((e) => e.id !== null || e.size > 1);
  const reach = Math.min(1.2, Math.max(0.06, 5 * focalSigma));
  const count = 41;
  const focal = Array.from(
    { length: count },
    (_, i) => state.camera.focalPx * Math.exp(reach * ((2 * i) / (count - 1) - 1)),
  );
  const cost = new Array<number>(count).fill(0);
  for (const direction of [1, -1]) {
    let from = state;
    for (let k = 0; k <= count >> 1; k++) {
      const i = (count >> 1) + direction * k;
      const result = adjust(u, marks, { ...from, camera: { ...from.camera, focalPx: focal[i] } }, 12);
      from = result.state;
      cost[i] = result.cost;
    }
  }
  const best = Math.min(...cost);
  return { focalPx: focal, logLikelihood: cost.map((c) => -(c - best) / 2) };
}
