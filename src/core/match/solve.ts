import type { Adjusted } from "./adjust.ts";
import { adjust } from "./adjust.ts";
import { describe } from "./answer.ts";
import type { Evidence } from "./evidence.ts";
import { finding, nothing } from "./finding.ts";
import { MISFIT } from "./findings.ts";
import { doubledEdges, missingEvidence } from "./missing.ts";
import { withoutOutliers } from "./outliers.ts";
import type { Solution } from "./problem.ts";
import { chooseUnknowns, gatherEvidence, prepare } from "./problem.ts";
import type { Finding, SolveAnswer, SolveRequest } from "./request.ts";
import {
  distinctStarts,
  orthogonalFocals,
  pixelOfFocal,
  shiftedLens,
  startFromEdges,
  startsFromTies,
} from "./starts.ts";
import type { State, Unknowns } from "./unknowns.ts";
import { unknownCount } from "./unknowns.ts";
import { widened } from "./widen.ts";
import type { Camera, Frame } from "../optics/camera.ts";
import { foldsWithin } from "../optics/distortion.ts";

/** The solver's own view of a solution, for everything that is told about it besides the answer. */
export interface Inside {
  unknowns: Unknowns;
  state: State;
  evidence: Evidence[];
  adjusted: Adjusted;
  hasScale: boolean;
  /** Of the unknowns, widened by how the marks scatter and how true the marked things are; null where one is open. */
  covariance: Float64Array | null;
}

/** Solves one request. Never throws on well-formed input: what cannot be solved is answered with a finding. */
export const solve = (request: SolveRequest): SolveAnswer => solveInside(request).answer;

export interface Solved {
  answer: SolveAnswer;
  inside: Inside | null;
}

/**
 * The answer together with what the solver knows besides it; `inside` is null where there is no camera. Where no camera
 * fits all marks but one fits all except one or two, that one is given, and they are named.
 */
export function solveInside(request: SolveRequest): Solved {
  const solved = solveAll(request);
  return solved.answer.camera ? solved : (withoutCulprits(request, solved) ?? solved);
}

/** Findings that one or two marks in the wrong place may be behind. */
const BLAMABLE = ["focal-unsure", "no-solution", "distortion-folds"];
/** Largest number of marks for which all pairs are tried. */
const FEW = 18;

/** The solution without the one or two edges whose absence lets the rest agree; null where there are none such. */
function withoutCulprits(request: SolveRequest, failed: Solved): Solved | null {
  const edges = request.edges ?? [];
  if (!failed.answer.findings.some((f) => BLAMABLE.includes(f.code)) || edges.length < 5) return null;
  let best: { left: string[]; solved: Solved; misfit: number } | null = null;
  const attempt = (left: string[]) => {
    const solved = solveAll({ ...request, edges: edges.filter((e) => !left.includes(e.id)) });
    if (!solved.inside) return;
    const { adjusted, evidence, unknowns } = solved.inside;
    const freedom = evidence.reduce((s, e) => s + e.size - e.nuisances, 0) - unknownCount(unknowns);
    // Something must be left to agree with, or any two marks could be blamed.
    if (freedom < 2) return;
    const misfit = adjusted.cost / freedom;
    if (misfit < MISFIT / 2 && (!best || misfit < best.misfit)) best = { left, solved, misfit };
  };
  for (const e of edges) attempt([e.id]);
  if (!best && edges.length <= FEW)
    for (let i = 0; i < edges.length; i++) for (let j = 0; j < i; j++) attempt([edges[j].id, edges[i].id]);
  const found = best as { left: string[]; solved: Solved } | null;
  if (!found) return null;
  const one = found.left.length === 1;
  found.solved.answer.findings.unshift(
    finding(
      "contradicts",
      "error",
      `No camera fits all marks. Without ${found.left.join(" and ")} the rest agrees, and that is the camera shown: ${one ? "it lies" : "they lie"} on something else, or ${one ? "has" : "have"} the wrong direction. Correct or mute ${one ? "it" : "them"}.`,
      found.left,
    ),
  );
  return found.solved;
}

function solveAll(request: SolveRequest): Solved {
  const without = (findings: Finding[]) => ({ answer: nothing(findings), inside: null });
  let p = prepare(request);
  const doubled = doubledEdges(p);
  p = { ...p, ...prepare({ ...request, edges: doubled.kept }) };
  const findings = doubled.findings;
  const u = chooseUnknowns(p);
  const missing = missingEvidence(p, u);
  if (missing) return without([...findings, missing]);

  const orthogonal = u.focal ? orthogonalFocals(p) : [];
  const guesses = pixelOfFocal(p);
  let focals = [p.focalPx ?? guesses[2], ...orthogonal];
  // Where the closed form answers, two guesses besides are enough to find another answer.
  if (u.focal && p.focalPx === null) focals = orthogonal.length > 0 ? [...orthogonal, guesses[1], guesses[3]] : guesses;
  let starts = focals.map((f) => startFromEdges(p, u, f)).filter((s) => s !== null);
  const elsewhere = u.principal ? shiftedLens(p) : null;
  if (elsewhere) {
    const shifted = startFromEdges(
      { ...p, lens: { principal: elsewhere.principal, distortion: elsewhere.distortion } },
      u,
      u.focal ? elsewhere.focalPx : p.focalPx!,
    );
    if (shifted) starts.push(shifted);
  }
  if (starts.length === 0 && p.ties.length >= 4)
    starts = startsFromTies(p, p.focalPx === null ? pixelOfFocal(p) : [p.focalPx], p.focalPx !== null);
  if (starts.length === 0) {
    return without([
      ...findings,
      finding(
        "no-start",
        "error",
        "The marks of a direction are all alike, so nothing can be told from where they meet. Add an edge that lies elsewhere and runs at another angle in the picture.",
      ),
    ]);
  }
  starts.sort((a, b) => a.cost - b.cost);
  const most = p.edges.length > 0 && p.ties.length === 0 ? (u.principal ? 3 : 2) : 8;
  const tried = distinctStarts(starts, most);
  const solutions = tried
    .map((s) => {
      const evidence = gatherEvidence(p, u, s.state, s.assumed);
      return { ...adjust(u, evidence, s.state), evidence, assumed: s.assumed };
    })
    .filter((s) => plausible(s))
    .sort((a, b) => a.cost - b.cost);
  if (solutions.length === 0) {
    return without([
      ...findings,
      finding(
        "no-solution",
        "error",
        "No camera fits these marks. Check the directions of the edges, and that lengths start on the ground.",
      ),
    ]);
  }
  let best = solutions[0];
  let rejected: string[] = [];
  const full = best;
  if (request.robust) {
    const result = withoutOutliers(u, best);
    best = result.solution;
    rejected = result.rejected;
  }
  const reach = cornerReach(best.state.camera, p.frame);
  if (foldsWithin(best.state.camera.distortion, reach)) {
    return without([
      ...findings,
      finding(
        "distortion-folds",
        "error",
        "The distortion folds inside the frame: two directions would land on one pixel. Hold k1 at 0, or mark curved edges near the border.",
      ),
    ]);
  }
  const wide = widened(u, best, p.request);
  const answer = describe(p, u, best, full, solutions.slice(1), rejected, findings, wide);
  const inside: Inside = {
    unknowns: u,
    state: best.state,
    evidence: best.evidence,
    adjusted: best,
    hasScale: p.hasScale,
    covariance: wide?.covariance ?? null,
  };
  return { answer, inside: answer.camera ? inside : null };
}

function plausible(s: Solution): boolean {
  const { camera } = s.state;
  return Number.isFinite(s.cost) && camera.focalPx > 1 && camera.position.every(Number.isFinite);
}
const cornerReach = (camera: Camera, frame: Frame): number => {
  const [cx, cy] = camera.principal;
  const far = Math.hypot(Math.max(cx, frame.width - cx), Math.max(cy, frame.height - cy));
  return (far / camera.focalPx) * 1.02;
};
