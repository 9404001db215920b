import { leaveOut } from "./adjust.ts";
import type { Evidence } from "./evidence.ts";
import { axisDirection, EdgeEvidence, readLength } from "./evidence.ts";
import { axisWord, finding } from "./finding.ts";
import { lensAgainstMarks } from "./notedLens.ts";
import type { Problem, Solution } from "./problem.ts";
import type { AnswerSigma, Finding, SolveAnswer } from "./request.ts";
import { ownRms } from "./residuals.ts";
import type { StartRotation } from "./start.ts";
import { signVote } from "./start.ts";
import type { Unknowns } from "./unknowns.ts";
import { placeAtHeight, unknownCount } from "./unknowns.ts";
import type { Widened } from "./widen.ts";
import type { Vec2 } from "../math/vec3.ts";
import { apply } from "../math/vec3.ts";

/** What is said of a solved camera: each finding by itself. */

/** What is known when the findings of a solved camera are told. */
export interface Told {
  problem: Problem;
  unknowns: Unknowns;
  best: Solution;
  /** With all marks, where some were left out of the best. */
  full: Solution;
  rejected: string[];
  residuals: SolveAnswer["residuals"];
  /** Relative standard deviation of the focal length. */
  focalSigma: number;
  wide: Widened | null;
  sigmaWidened: AnswerSigma | null;
}

/** Drop of the sum of squares, per degree of freedom, from which an edge is said to disagree: three and a half standard deviations. */
const ODD_EDGE = 12.25;
/** The same of a tie point, over both of its coordinates. */
const ODD_TIE = 24;

/** The mark of a kind whose leaving out saves most, beyond a least. */
function oddest(told: Told, counts: (e: Evidence) => boolean, least: (e: Evidence) => number) {
  const { unknowns, full } = told;
  return full.evidence
    .map((e, i) => ({ e, out: e.id && counts(e) ? leaveOut(unknowns, full.linear, i) : null }))
    .flatMap(({ e, out }) => (out && out.drop > least(e) ? [{ e, drop: out.drop }] : []))
    .reduce<{ e: Evidence; drop: number } | null>((best, one) => (!best || one.drop > best.drop ? one : best), null);
}

function leftOut({ rejected }: Told): Finding[] {
  if (rejected.length === 0) return [];
  const message = `Left out as contradicting the rest: ${rejected.join(", ")}. Check what they lie on, or their direction.`;
  return [finding("left-out", "warning", message, rejected)];
}

function edgeDisagrees(told: Told): Finding[] {
  if (told.rejected.length > 0) return [];
  const isEdge = (e: Evidence) => e instanceof EdgeEvidence;
  const found = oddest(told, isEdge, (e) => ODD_EDGE * (e.size - e.nuisances));
  if (!found || !(found.e instanceof EdgeEvidence)) return [];
  const { edge, sigma } = found.e;
  const pull = Math.sqrt(found.drop) * sigma;
  const advice = edge.axis === "z" ? "is it really upright?" : "is it really level and parallel to the others?";
  const message = `Edge ${edge.id} pulls by ${pull.toFixed(1)} px against the others along ${axisWord(edge.axis)}: ${advice}`;
  return [finding("edge-disagrees", "warning", message, [edge.id])];
}

function tieDisagrees(told: Told): Finding[] {
  if (told.rejected.length > 0) return [];
  const ties = new Set(told.problem.ties.map((t) => t.id));
  const found = oddest(
    told,
    (e) => ties.has(e.id!),
    () => ODD_TIE,
  );
  if (!found) return [];
  const off = ownRms(found.e, told.best.state).toFixed(1);
  const message = `Tie point ${found.e.id} lies ${off} times its noise off and pulls at the others: check its pixel and its metres.`;
  return [finding("tie-disagrees", "warning", message, [found.e.id!])];
}

/** Mean square of the residuals, in units of their own noise, from which the whole is said not to fit. */
export const MISFIT = 9;

/** Change of the focal length, in standard deviations, from which a mark is said to decide it. */
const DECISIVE = 1.2;

function misfit({ best, unknowns }: Told): Finding[] {
  const freedom = best.evidence.reduce((s, e) => s + e.size - e.nuisances, 0) - unknownCount(unknowns);
  if (freedom <= 0 || best.cost / freedom <= MISFIT) return [];
  const message = `Altogether the marks lie ${Math.sqrt(best.cost / freedom).toFixed(1)} times farther off than marks set by hand do: something among them does not belong to this camera. Check the marks that are named, or switch “robust” on.`;
  return [finding("misfit", "warning", message)];
}

function edgeDecides({ problem, rejected, residuals }: Told): Finding[] {
  if (!problem.request.robust || rejected.length > 0) return [];
  const decisive = residuals
    .filter((r) => r.influence !== null && Math.abs(r.influence) > DECISIVE)
    .sort((a, b) => Math.abs(b.influence!) - Math.abs(a.influence!))[0];
  if (!decisive) return [];
  const message = `${decisive.id} alone decides much of the focal length (without it: ${Math.abs(decisive.influence!).toFixed(1)} standard deviations away), and no other mark can check it. Look at it closely, or add another edge beside it.`;
  return [finding("edge-decides", "info", message, [decisive.id])];
}

function edgesTurned({ best }: Told): Finding[] {
  const { state } = best;
  const { rotation } = state.camera;
  const reversed = best.evidence.flatMap((e) => {
    if (!(e instanceof EdgeEvidence) || e.edge.axis.includes(":")) return [];
    const along = apply(rotation, axisDirection(state, e.edge.axis));
    return signVote(state.camera, e.edge, along) < 0 ? [e.edge] : [];
  });
  if (reversed.length === 0) return [];
  const names = reversed.map((e) => `${e.id} (${axisWord(e.axis)})`).join(", ");
  const message =
    reversed.length === 1
      ? `Edge ${reversed[0].id} was drawn against ${axisWord(reversed[0].axis)} and counts turned round.`
      : `Drawn against their directions and counted turned round: ${names}.`;
  return [
    finding(
      "edge-turned",
      "info",
      message,
      reversed.map((e) => e.id),
    ),
  ];
}

const ASSUMED: Record<Exclude<StartRotation["assumed"], null | undefined>, [Finding["severity"], string]> = {
  level: [
    "warning",
    "One direction alone does not tell which way is up; the camera is taken as held level (± 0.5°). Mark two upright edges to be sure.",
  ],
  heading: ["info", "Upright edges alone do not tell where X and Y run; the camera is taken to look along +Y."],
};

function assumed({ best }: Told): Finding[] {
  if (!best.assumed) return [];
  const [severity, message] = ASSUMED[best.assumed];
  return [finding(`assumed-${best.assumed}`, severity, message)];
}

function noScale({ problem }: Told): Finding[] {
  if (problem.hasScale) return [];
  const message =
    "No known length yet, so the camera is taken to be 1 m above the ground. Mark something whose size you know.";
  return [finding("no-scale", "warning", message)];
}

/** Relative standard deviation from which the focal length is called loose. */
const LOOSE = 0.05;

function focalLoose({ unknowns, focalSigma }: Told): Finding[] {
  if (!unknowns.focal || focalSigma <= LOOSE) return [];
  const message = `The focal length is only known to ± ${(focalSigma * 100).toFixed(0)} %. Add edges far apart that differ in angle, or type the focal length.`;
  return [finding("focal-loose", "warning", message)];
}

function lengthsUnreadable({ problem, best }: Told): Finding[] {
  return (problem.request.lengths ?? []).flatMap((length) => {
    if (readLength(best.state.camera, length) !== null) return [];
    const message = length.on
      ? `Length ${length.id} does not lie on its surface in view. Put both ends on it.`
      : `Length ${length.id} does not start on the ground in view. Put its start on the ground.`;
    return [finding("length-unreadable", "error", message, [length.id])];
  });
}

function originAboveHorizon({ problem, best }: Told): Finding[] {
  const { origin } = problem.request;
  if (!origin || placeAtHeight(best.state.camera, 1, origin as Vec2).every((value) => Math.abs(value) <= 1e4))
    return [];
  const message = "The origin lies on or above the horizon, where there is no ground. Put it lower.";
  return [finding("origin-above-horizon", "error", message)];
}

function widenedSigma({ wide }: Told): Finding[] {
  if (!wide || wide.scatter <= 1) return [];
  const message = `The marks scatter ${wide.scatter.toFixed(1)} times as much as their own noise explains, so every ± is widened by that.`;
  return [finding("sigma-widened", "info", message)];
}

function againstLens({ problem, unknowns, best, sigmaWidened }: Told): Finding[] {
  const relative = sigmaWidened && sigmaWidened.focalPx / best.state.camera.focalPx;
  const against = relative === null ? null : lensAgainstMarks(problem.request, unknowns, best, relative);
  return against ? [against] : [];
}

/** Everything that is told of a solved camera, in the order in which it is told. */
export const FINDINGS: ((told: Told) => Finding[])[] = [
  leftOut,
  edgeDisagrees,
  tieDisagrees,
  misfit,
  edgeDecides,
  edgesTurned,
  assumed,
  noScale,
  focalLoose,
  lengthsUnreadable,
  originAboveHorizon,
  widenedSigma,
  againstLens,
];
