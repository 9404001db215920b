import type { OddFamily } from "./families.ts";
import { oddFamily, oddFamilyMessage } from "./families.ts";
import type { FocalCurve } from "./focalCurve.ts";
import { focalCurve } from "./focalCurve.ts";
import type { GhostEdge } from "./nextEdge.ts";
import { ghostEdges } from "./nextEdge.ts";
import type { Finding, SolveAnswer, SolveRequest } from "./request.ts";
import type { ScaleReading } from "./scales.ts";
import { HEIGHT_ID, oddScale, weighScales } from "./scales.ts";
import type { Inside } from "./solve.ts";
import { solveInside } from "./solve.ts";
import type { Spread } from "./spread.ts";
import { spreadOf } from "./spread.ts";

/** What is told about a solved camera besides the answer; takes a few times as long as the answer itself. */
export interface Details {
  spread: Spread;
  scales: ScaleReading[];
  family: OddFamily | null;
  ghosts: GhostEdge[];
  focal: FocalCurve | null;
  findings: Finding[];
}

/** Standard deviation that a further edge's marks are taken to have, pixels. */
const NEXT_SIGMA = 0.7;

export function detailsOf(request: SolveRequest, answer: SolveAnswer, inside: Inside): Details {
  const spread = spreadOf(inside);
  const scales = weighScales(request, inside.state.camera, spread);
  const family = oddFamily(inside);
  const findings: Finding[] = [];
  if (family) {
    findings.push({
      code: "family-disagrees",
      severity: "warning",
      message: oddFamilyMessage(family),
      ids: family.ids,
    });
  }
  const shifted = shiftedMiddle(request, inside);
  if (shifted) findings.push(shifted);
  const odd = oddScale(scales);
  if (odd)
    findings.push({ code: "length-disagrees", severity: "warning", message: scaleMessage(odd, scales), ids: [odd.id] });
  return {
    spread,
    scales,
    family,
    ghosts: ghostEdges(inside, request.plate, NEXT_SIGMA),
    focal: answer.sigma ? focalCurve(inside, answer.sigma.focalPx / inside.state.camera.focalPx) : null,
    findings,
  };
}

/** A finding if the marks fit very much better with the lens's middle elsewhere: the plate is a crop, or the lens was shifted. */
function shiftedMiddle(request: SolveRequest, inside: Inside): Finding | null {
  const { width, height } = request.plate;
  const solveFor = request.lens?.solve ?? ["focal"];
  if (solveFor.includes("principal") || inside.adjusted.cost < 60) return null;
  const axes = new Set((request.edges ?? []).map((e) => e.axis));
  if (!["x", "y", "z"].every((a) => axes.has(a))) return null;
  const free = solveInside({ ...request, lens: { ...request.lens, solve: [...solveFor, "principal"] } });
  if (!free.inside || free.inside.adjusted.cost > 0.35 * inside.adjusted.cost) return null;
  const [u, v] = free.inside.state.camera.principal;
  const [x, y] = [((u - width / 2) / width) * 100, ((v - height / 2) / height) * 100];
  if (Math.hypot(x, y) < 2) return null;
  const where = `${Math.abs(x).toFixed(0)} % ${x < 0 ? "left" : "right"} and ${Math.abs(y).toFixed(0)} % ${y < 0 ? "above" : "below"}`;
  return {
    code: "middle-shifted",
    severity: "warning",
    message: `The marks fit far better with the lens's middle ${where} of the frame's: the plate looks cropped, or the lens was shifted. Solve the principal point, or type the crop, in the drawer “Lens”.`,
    ids: [],
  };
}

function scaleMessage(odd: ScaleReading, all: ScaleReading[]): string {
  const what = odd.id === HEIGHT_ID ? "The camera's height" : `Length ${odd.id}`;
  const percent = `${Math.abs((odd.against - 1) * 100).toFixed(1)} %`;
  if (all.length === 2) {
    return `${what} and the other known size are ${percent} apart: one of them is wrong. Measure a third, or mute the one you trust less.`;
  }
  return `${what} makes the place ${percent} ${odd.against > 1 ? "larger" : "smaller"} than the others do. Is the size right, and does it start on the ground?`;
}
