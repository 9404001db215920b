import { adjust, covarianceOf, leaveOut } from "./adjust.ts";
import type { Solution } from "./problem.ts";
import type { Unknowns } from "./unknowns.ts";
import { FOCAL_INDEX, unknownCount } from "./unknowns.ts";

/** Robust solving: marks that the rest contradicts are left out, one at a time (data snooping, Baarda 1968). */

/** How many marks are tried as the one to leave out. */
const SUSPECTS = 5;
/** Two suspects whose sums of squares are closer than this cannot be told apart. */
const ALIKE = 6;

/**
 * Leaves out, one at a time, marks that the others contradict by over three and a half standard deviations (data snooping, Baarda
 * 1968). Where two marks are equally suspect both go, if the rest still determines the focal length about as well.
 */
export function withoutOutliers(u: Unknowns, start: Solution): { solution: Solution; rejected: string[] } {
  let solution = start;
  const rejected: string[] = [];
  const most = Math.floor(start.evidence.length / 3);
  while (rejected.length < most) {
    const suspects = solution.evidence
      .map((e, i) => ({ i, drop: e.id ? (leaveOut(u, solution.linear, i)?.drop ?? 0) : 0 }))
      .filter((s) => s.drop > 12)
      .sort((a, b) => b.drop - a.drop)
      .slice(0, SUSPECTS);
    if (suspects.length === 0) break;
    // One step of the linearised problem may blame a neighbour: the likeliest few are really left out, and the best stays so.
    const without = (ids: (string | null)[]) => {
      const evidence = solution.evidence.filter((e) => e.id === null || !ids.includes(e.id));
      return { ids: ids as string[], evidence, ...adjust(u, evidence, solution.state) };
    };
    const tries = suspects.map(({ i }) => without([solution.evidence[i].id])).sort((a, b) => a.cost - b.cost);
    let best = tries[0];
    if (tries.length > 1 && tries[1].cost - best.cost < ALIKE && rejected.length + 2 <= most) {
      const both = without([best.ids[0], tries[1].ids[0]]);
      const sigma = (linear: Solution["linear"]) => {
        const covariance = covarianceOf(u, linear);
        return covariance ? Math.sqrt(covariance[FOCAL_INDEX * (unknownCount(u) + 1)]) : Infinity;
      };
      if (!u.focal || sigma(both.linear) < 2.5 * sigma(best.linear)) best = both;
    }
    rejected.push(...best.ids);
    solution = { ...best, assumed: start.assumed };
  }
  return { solution, rejected };
}
