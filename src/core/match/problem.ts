import type { Adjusted } from "./adjust.ts";
import type { Evidence } from "./evidence.ts";
import {
  EdgeEvidence,
  familyName,
  horizonEvidence,
  LengthEvidence,
  LineEvidence,
  SurfaceLengthEvidence,
  tieEvidence,
  valueEvidence,
} from "./evidence.ts";
import { lensEvidence } from "./notedLens.ts";
import type { RequestEdge, SolveRequest } from "./request.ts";
import type { StartRotation } from "./start.ts";
import type { State, Unknowns } from "./unknowns.ts";
import type { Mat3, Vec2, Vec3 } from "../math/vec3.ts";
import { applyTransposed, toRadians } from "../math/vec3.ts";
import type { Frame, Lens } from "../optics/camera.ts";
import { orientationAngles } from "../optics/camera.ts";
import { noDistortion } from "../optics/distortion.ts";

/** What the solver is asked, with its gaps filled: the unknowns that the evidence supports, and that evidence. */

/** The request with its gaps filled. */
export interface Problem {
  frame: Frame;
  edges: RequestEdge[];
  byAxis: Map<string, RequestEdge[]>;
  ties: { id: string; pixel: Vec2; world: Vec3; sigma: number }[];
  lens: Omit<Lens, "focalPx">;
  focalPx: number | null;
  request: SolveRequest;
  hasScale: boolean;
}

export const AXIS_NAMES = ["x", "y", "z"];

export function prepare(request: SolveRequest): Problem {
  const { width, height } = request.plate;
  const edges = request.edges ?? [];
  const byAxis = new Map<string, RequestEdge[]>();
  for (const edge of edges) byAxis.set(edge.axis, [...(byAxis.get(edge.axis) ?? []), edge]);
  const ties = (request.tiePoints ?? []).map((t) => ({
    id: t.id,
    pixel: t.pixel as Vec2,
    world: t.world as Vec3,
    sigma: t.sigmaPx ?? 1,
  }));
  return {
    frame: { width, height },
    edges,
    byAxis,
    ties,
    lens: {
      principal: (request.lens?.principal as Vec2) ?? [width / 2, height / 2],
      distortion: { ...noDistortion(), ...(request.lens?.distortion ?? {}) },
    },
    focalPx: request.lens?.focalPx ?? null,
    request,
    hasScale: (request.lengths ?? []).length > 0 || Boolean(request.cameraHeight) || ties.length >= 2,
  };
}

/** Which unknowns the evidence can support. */
export function chooseUnknowns(p: Problem): Unknowns {
  const wanted = p.request.lens?.solve ?? ["focal"];
  const solveFocal = wanted.includes("focal") && (p.focalPx === null || Boolean(p.request.lens?.focalTolerance));
  const onAxes = new Set(p.edges.filter((e) => e.onAxis && AXIS_NAMES.includes(e.axis)).map((e) => e.axis));
  const free = !p.request.origin && (p.ties.length > 0 || onAxes.size >= 2);
  const names = (kind: string) => [...p.byAxis.keys()].filter((a) => a.startsWith(kind));
  return {
    focal: solveFocal,
    principal: wanted.includes("principal"),
    k1: wanted.includes("k1"),
    k2: wanted.includes("k2"),
    mode: free ? "free" : p.request.origin ? "origin" : "above",
    scale: p.hasScale,
    origin: (p.request.origin as Vec2) ?? null,
    levels: [...new Set(names("level:").map(familyName))],
    // A family of one has no direction to solve for: it is only straight.
    frees: names("free:").filter((name) => p.byAxis.get(name)!.length >= 2),
  };
}

export function gatherEvidence(p: Problem, u: Unknowns, start: State, assumed: StartRotation["assumed"]): Evidence[] {
  const evidence: Evidence[] = [];
  for (const edge of p.edges) {
    if (edge.axis.startsWith("free:") && !u.frees.includes(edge.axis)) {
      evidence.push(new LineEvidence(edge));
      continue;
    }
    const through = Boolean(edge.onAxis) && u.mode !== "above" && AXIS_NAMES.includes(edge.axis);
    evidence.push(new EdgeEvidence(edge, through));
  }
  for (const length of p.request.lengths ?? []) {
    if (length.on) {
      evidence.push(new SurfaceLengthEvidence(length));
      continue;
    }
    const e = new LengthEvidence(length);
    e.restart(start.camera);
    evidence.push(e);
  }
  for (const t of p.ties) evidence.push(tieEvidence(t.id, t.pixel, t.world, t.sigma));
  for (const h of p.request.horizon ?? []) evidence.push(horizonEvidence(h.pixel as Vec2, h.sigmaPx ?? 1));
  const { cameraHeight, lens, level } = p.request;
  if (level) {
    const tilt = toRadians(level.tiltDeg ?? 0);
    evidence.push(valueEvidence((s) => orientationAngles(s.camera.rotation).tilt, tilt, toRadians(level.sigmaDeg)));
  }
  if (cameraHeight && u.scale) {
    const sigma = Math.max(cameraHeight.sigmaMetres ?? 0, cameraHeight.metres * 1e-6);
    evidence.push(valueEvidence((s) => s.camera.position[2], cameraHeight.metres, sigma));
  }
  if (u.focal && p.focalPx !== null) {
    evidence.push(lensEvidence(p.focalPx, lens!.focalTolerance!));
  }
  const rotation0 = start.camera.rotation;
  if (assumed === "level") {
    evidence.push(valueEvidence((s) => orientationAngles(s.camera.rotation).roll, 0, (0.5 * Math.PI) / 180));
  }
  if (assumed === "heading") {
    evidence.push(valueEvidence((s) => headingChange(rotation0, s.camera.rotation), 0, 1e-6));
  }
  return evidence;
}

/** A camera adjusted to its evidence, and what had to be assumed for it. */
export type Solution = Adjusted & { evidence: Evidence[]; assumed: StartRotation["assumed"] };

/** Turn about the world's vertical between two rotations. */
export function headingChange(from: Mat3, to: Mat3): number {
  const x = applyTransposed(to, [from[0][0], from[1][0], from[2][0]]);
  return Math.atan2(x[1], x[0]);
}
