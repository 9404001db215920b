import type { Adjusted } from "./adjust.ts";
import { adjust, covarianceOf } from "./adjust.ts";
import type { Evidence } from "./evidence.ts";
import { valueEvidence } from "./evidence.ts";
import type { Finding, SolveRequest } from "./request.ts";
import type { Unknowns } from "./unknowns.ts";
import { FOCAL_INDEX, unknownCount } from "./unknowns.ts";
import { widened } from "./widen.ts";

/** What is noted of the lens (EXIF, kit, database) against what the marks say of it. */

const beliefs = new WeakSet<Evidence>();

/** A focal length with its standard deviation, pixels, as evidence. */
export function lensEvidence(focalPx: number, sigmaPx: number): Evidence {
  const evidence = valueEvidence((s) => s.camera.focalPx, focalPx, sigmaPx);
  beliefs.add(evidence);
  return evidence;
}

/** Standard deviations from which the two are said to contradict each other. */
const APART = 2.5;

/** The focal length that the marks alone give: its pixels and the standard deviation of its logarithm; null where they leave it open. */
export function focalOfMarks(
  u: Unknowns,
  solution: Pick<Adjusted, "state" | "cost" | "linear"> & { evidence: Evidence[] },
  request: SolveRequest,
): { focalPx: number; relative: number } | null {
  const evidence = solution.evidence.filter((e) => !beliefs.has(e));
  const open = { ...u, focal: true };
  const same = u.focal && evidence.length === solution.evidence.length;
  const free = same ? solution : { ...adjust(open, evidence, solution.state), evidence };
  if (!covarianceOf(open, free.linear)) return null;
  const n = unknownCount(open);
  const wide = widened(open, free, request);
  const relative = wide ? Math.sqrt(wide.covariance[FOCAL_INDEX * n + FOCAL_INDEX]) : Infinity;
  return relative < 0.5 ? { focalPx: free.state.camera.focalPx, relative } : null;
}

/** A finding where what is noted of the lens and the marks contradict each other; null where they agree or one is open. */
export function lensAgainstMarks(
  request: SolveRequest,
  u: Unknowns,
  solution: Pick<Adjusted, "state" | "cost" | "linear"> & { evidence: Evidence[] },
  relative: number,
): Finding | null {
  const noted = request.lens?.noted;
  if (!noted) return null;
  const held = !u.focal || solution.evidence.some((e) => beliefs.has(e));
  const marks = held ? focalOfMarks(u, solution, request) : { focalPx: solution.state.camera.focalPx, relative };
  if (!marks) return null;
  const off = Math.log(marks.focalPx / noted.focalPx);
  if (Math.abs(off) < APART * Math.hypot(marks.relative, noted.relative)) return null;
  const pixels = (f: number) => `${f.toFixed(0)} px`;
  return {
    code: "lens-against-marks",
    severity: "warning",
    message: `${noted.source} gives ${pixels(noted.focalPx)} (± ${(noted.relative * 100).toFixed(0)} %), the marks alone give ${pixels(marks.focalPx)} ± ${pixels(marks.focalPx * marks.relative)}: ${Math.abs(Math.expm1(off) * 100).toFixed(0)} % ${off < 0 ? "shorter" : "longer"}. It was cropped since, or marks are not square, level or upright.`,
    ids: [],
    numbers: { noted: noted.focalPx, marks: marks.focalPx },
  };
}
