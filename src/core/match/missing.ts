import { axisWord, finding } from "./finding.ts";
import type { Problem } from "./problem.ts";
import { AXIS_NAMES } from "./problem.ts";
import type { Finding, RequestEdge } from "./request.ts";
import type { Unknowns } from "./unknowns.ts";
import type { Vec2 } from "../math/vec3.ts";

/** What of the request is too little, or counted twice. */

/** Reasons that the request cannot be solved, by counting. */
export function missingEvidence(p: Problem, u: Unknowns): Finding | null {
  const enough = [...p.byAxis]
    .filter(([axis, edges]) => !axis.startsWith("free:") && edges.length >= 2)
    .map(([a]) => a);
  const openLens = u.focal && p.focalPx === null;
  if (p.ties.length >= (openLens ? 6 : 4)) return null;
  if (enough.length === 0) {
    if (p.ties.length > 0) {
      return finding(
        "too-few-ties",
        "error",
        openLens
          ? `${p.ties.length} tie points do not give place and lens: mark six, or type the focal length (then four will do).`
          : `${p.ties.length} tie points leave the pose open: mark four or more.`,
        p.ties.map((t) => t.id),
      );
    }
    const single = [...p.byAxis.keys()].filter((a) => !a.startsWith("free:"));
    return single.length === 0
      ? finding(
          "no-evidence",
          "error",
          "Nothing to solve from yet. Mark two edges along one direction, then two along another.",
        )
      : finding(
          "too-few-edges",
          "error",
          `Every direction needs two edges or more. Add another edge along ${single.map(axisWord).join(" or ")}.`,
          p.edges.map((e) => e.id),
        );
  }
  if (u.focal && p.focalPx === null && enough.length < 2 && p.ties.length < 3) {
    return finding(
      "focal-unknown",
      "error",
      `Edges along ${axisWord(enough[0])} alone cannot give the focal length. Mark two edges along a second direction, or type the focal length.`,
    );
  }
  if (u.principal && enough.filter((a) => AXIS_NAMES.includes(a)).length < 3 && p.ties.length < 6) {
    return finding(
      "principal-unknown",
      "error",
      "The principal point needs edges along all three directions. Add the missing one, or leave the principal point in the middle.",
    );
  }
  return null;
}

/** Edges that add nothing because another one has the same points. */
export function doubledEdges(p: Problem): { kept: RequestEdge[]; findings: Finding[] } {
  const kept: RequestEdge[] = [];
  const findings: Finding[] = [];
  for (const edge of p.edges) {
    const points = edge.points as Vec2[];
    const first = points[0];
    const last = points[points.length - 1];
    if (Math.hypot(last[0] - first[0], last[1] - first[1]) < 2) {
      findings.push(
        finding(
          "edge-short",
          "warning",
          `Edge ${edge.id} is shorter than two pixels and was left out. Draw it longer or delete it.`,
          [edge.id],
        ),
      );
      continue;
    }
    const same = kept.find((other) => {
      if (other.axis !== edge.axis) return false;
      const q = other.points as Vec2[];
      const close = (a: Vec2, b: Vec2) => Math.hypot(a[0] - b[0], a[1] - b[1]) < 0.5;
      const [qa, qb] = [q[0], q[q.length - 1]];
      return (close(first, qa) && close(last, qb)) || (close(first, qb) && close(last, qa));
    });
    if (same) {
      findings.push(
        finding(
          "edge-doubled",
          "warning",
          `Edges ${same.id} and ${edge.id} are the same mark; it counts once. Delete one, or move it to another straight thing.`,
          [same.id, edge.id],
        ),
      );
    } else kept.push(edge);
  }
  return { kept, findings };
}
