import type { Mat3, Vec2, Vec3 } from "../math/vec3.ts";
import { applyTransposed, cross, normalize, rotationAngleBetween, scale, toDegrees, toRadians } from "../math/vec3.ts";
import type { Camera, Frame, Lens } from "../optics/camera.ts";
import { fieldsOfView, orientationAngles, projectPoint, rotationFromAngles } from "../optics/camera.ts";
import { foldsWithin, noDistortion } from "../optics/distortion.ts";
import type { Adjusted } from "./adjust.ts";
import { lensEvidence } from "./notedLens.ts";
import { adjust, costOf, covarianceOf, leaveOut } from "./adjust.ts";
import type { Evidence } from "./evidence.ts";
import {
  EdgeEvidence,
  LengthEvidence,
  LineEvidence,
  SurfaceLengthEvidence,
  axisDirection,
  familyName,
  horizonEvidence,
  readLength,
  tieEvidence,
  valueEvidence,
} from "./evidence.ts";
import { poseCamera, poseFromSpace, posesFromPlane } from "./pose.ts";
import { lensAgainstMarks } from "./notedLens.ts";
import type { AnswerCamera, AnswerSigma, Finding, RequestEdge, SolveAnswer, SolveRequest } from "./request.ts";
import type { StartRotation } from "./start.ts";
import {
  familyDirection,
  lensFromDirections,
  originFromAxes,
  placeFromTies,
  rotationFromDirections,
  signVote,
} from "./start.ts";
import type { State, Unknowns } from "./unknowns.ts";
import { FOCAL_INDEX, moved, placeAtHeight, unknownCount } from "./unknowns.ts";
import type { Widened } from "./widen.ts";
import { deviationOf, widened } from "./widen.ts";

/** The request with its gaps filled. */
interface Problem {
  frame: Frame;
  edges: RequestEdge[];
  byAxis: Map<string, RequestEdge[]>;
  ties: { id: string; pixel: Vec2; world: Vec3; sigma: number }[];
  lens: Omit<Lens, "focalPx">;
  focalPx: number | null;
  request: SolveRequest;
  hasScale: boolean;
}

const AXIS_NAMES = ["x", "y", "z"];

function prepare(request: SolveRequest): Problem {
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
function chooseUnknowns(p: Problem): Unknowns {
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

function gatherEvidence(p: Problem, u: Unknowns, start: State, assumed: StartRotation["assumed"]): Evidence[] {
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

/** Turn about the world's vertical between two rotations. */
function headingChange(from: Mat3, to: Mat3): number {
  const x = applyTransposed(to, [from[0][0], from[1][0], from[2][0]]);
  return Math.atan2(x[1], x[0]);
}

const pixelOfFocal = (p: Problem): number[] => {
  const size = Math.max(p.frame.width, p.frame.height);
  return [0.55, 0.8, 1.15, 1.7, 2.6, 4.5].map((s) => s * size);
};

/** Focal lengths that make two families' vanishing points orthogonal, in closed form. */
function orthogonalFocals(p: Problem): number[] {
  const lens: Lens = { ...p.lens, focalPx: Math.max(p.frame.width, p.frame.height) };
  const axes = AXIS_NAMES.map((a) => familyDirection(lens, p.byAxis.get(a) ?? [])).filter((d) => d !== null);
  const found: number[] = [];
  for (let i = 0; i < axes.length; i++) {
    for (let j = i + 1; j < axes.length; j++) {
      const [a, b] = [axes[i].vector, axes[j].vector];
      if (Math.abs(a[2]) < 1e-6 || Math.abs(b[2]) < 1e-6) continue;
      const f2 = -(a[0] * b[0] + a[1] * b[1]) / (a[2] * b[2]);
      if (f2 > 0.01 && f2 < 400) found.push(Math.sqrt(f2) * lens.focalPx);
    }
  }
  return found;
}

/** Focal length and principal point of three orthogonal families, in closed form. */
function shiftedLens(p: Problem): Lens | null {
  const lens: Lens = { ...p.lens, focalPx: Math.max(p.frame.width, p.frame.height) };
  const [x, y, z] = AXIS_NAMES.map((a) => familyDirection(lens, p.byAxis.get(a) ?? []));
  return x && y && z ? lensFromDirections(lens, [x.vector, y.vector, z.vector]) : null;
}

interface Start extends StartRotation {
  state: State;
  cost: number;
}

/** Starting states from edges, for one focal length. */
function startFromEdges(p: Problem, u: Unknowns, focalPx: number): Start | null {
  const lens: Lens = { ...p.lens, focalPx };
  const direction = (axis: string) => familyDirection(lens, p.byAxis.get(axis) ?? []);
  const levels = [...p.byAxis.keys()].filter((a) => a.startsWith("level:")).map(direction);
  const horizon = horizonUp(p, lens);
  const [x, y, z] = AXIS_NAMES.map(direction);
  const flat = [x, y, ...levels].filter((d) => d !== null);
  let levelUp = horizon;
  if (!z && !levelUp && flat.length >= 2 && !(x && y)) levelUp = normalize(cross(flat[0].vector, flat[1].vector));
  if (levelUp && levelUp[1] > 0) levelUp = scale(levelUp, -1);
  const found = rotationFromDirections(x, y, z, levelUp);
  if (!found) return null;
  const families = new Map<string, Vec3>();
  for (const name of [...u.levels, ...u.frees]) {
    const own = direction(name);
    const across = own ? null : direction(`${name}+90`);
    const d = own ?? across;
    let w: Vec3 = d ? applyTransposed(found.rotation, d.vector) : [1, 0, 0];
    if (across) w = [w[1], -w[0], w[2]];
    if (name.startsWith("level:")) w = normalize([w[0], w[1], 0]);
    families.set(name, Math.hypot(...w) > 0.5 ? w : [1, 0, 0]);
  }
  const position = startPlace(p, u, lens, found.rotation);
  if (!position) return null;
  const state: State = { camera: { ...lens, rotation: found.rotation, position }, families };
  return { ...found, state, cost: costOf(gatherEvidence(p, u, state, found.assumed), state) };
}

/** The horizon's upward normal from two or more horizon points, camera frame. */
function horizonUp(p: Problem, lens: Lens): Vec3 | null {
  const points = p.request.horizon ?? [];
  if (points.length < 2) return null;
  const edge: RequestEdge = { id: "", axis: "x", points: points.map((h) => h.pixel) };
  const [a, b] = [edge.points[0], edge.points[edge.points.length - 1]] as Vec2[];
  const rayOf = (q: Vec2): Vec3 => [
    (q[0] - lens.principal[0]) / lens.focalPx,
    (q[1] - lens.principal[1]) / lens.focalPx,
    1,
  ];
  const n = normalize(cross(rayOf(a), rayOf(b)));
  return n[1] > 0 ? scale(n, -1) : n;
}

function startPlace(p: Problem, u: Unknowns, lens: Lens, rotation: Mat3): Vec3 | null {
  const camera: Camera = { ...lens, rotation, position: [0, 0, 1] };
  let place: Vec3 | null;
  if (u.mode === "free" && p.ties.length >= 2) place = placeFromTies(lens, rotation, p.ties);
  else if (u.mode === "free" && p.ties.length === 1) {
    const at = placeAtHeight(camera, 1, p.ties[0].pixel);
    place = [at[0] + p.ties[0].world[0], at[1] + p.ties[0].world[1], 1 + p.ties[0].world[2]];
  } else if (u.mode === "free") {
    const onAxis = p.edges.filter((e) => e.onAxis && AXIS_NAMES.includes(e.axis));
    const o = originFromAxes(lens, rotation, onAxis, (axis) => axisDirection({ families: new Map() }, axis));
    if (!o) return null;
    const world = applyTransposed(rotation, o);
    if (world[2] >= -1e-6) return null;
    place = [world[0] / world[2], world[1] / world[2], 1];
  } else place = placeAtHeight(camera, 1, u.origin);
  if (!place || p.ties.length >= 2) return place;
  // One metre high until a length or the height says more.
  let size = p.request.cameraHeight?.metres ?? 1;
  const sized = { ...camera, position: place };
  for (const length of p.request.lengths ?? []) {
    const read = readLength(sized, length.on ? length : { ...length, fromWorld: null });
    if (read !== null && Math.abs(read) > 1e-9) {
      size = length.metres / Math.abs(read);
      break;
    }
  }
  return scale(place, size);
}

/**
 * Starting states for tie points alone: the closed-form poses, and where those leave doubt (four or five points in
 * space, or points in a plane with noise) rotations tried one by one, the camera held in any of its four ways.
 */
function startsFromTies(p: Problem, focals: number[], focalKnown: boolean): Start[] {
  const starts: Start[] = [];
  const size = Math.max(p.frame.width, p.frame.height);
  const consider = (camera: Camera, bonus = 1) => {
    let cost = 0;
    for (const t of p.ties) {
      const q = projectPoint(camera, t.world);
      cost += q ? Math.min(1e8, (q[0] - t.pixel[0]) ** 2 + (q[1] - t.pixel[1]) ** 2) : 1e8;
    }
    const state: State = { camera, families: new Map() };
    starts.push({ rotation: camera.rotation, assumed: null, state, cost: cost * bonus });
  };
  const space = poseFromSpace(p.lens, size, p.ties);
  if (space) {
    consider(poseCamera(p.lens, focalKnown ? { ...space, focalPx: focals[0] } : space));
    const place = placeFromTies({ ...p.lens, focalPx: focals[0] }, space.rotation, p.ties);
    if (focalKnown && place) consider({ ...p.lens, focalPx: focals[0], rotation: space.rotation, position: place });
  }
  for (const focalPx of focalKnown ? focals : [null, ...focals]) {
    for (const pose of posesFromPlane(p.lens, size, p.ties, focalPx)) consider(poseCamera(p.lens, pose));
  }
  if (space && starts[0].cost < 400 * p.ties.length) return starts.sort((a, b) => a.cost - b.cost);
  for (const focalPx of focals) {
    const lens: Lens = { ...p.lens, focalPx };
    for (let heading = 0; heading < 24; heading++) {
      for (const tilt of [-1.2, -0.7, -0.35, 0, 0.35, 0.8]) {
        for (const roll of [0, Math.PI / 2, Math.PI, -Math.PI / 2]) {
          const rotation = rotationFromAngles({ heading: (heading * Math.PI) / 12, tilt, roll });
          const position = placeFromTies(lens, rotation, p.ties);
          if (position) consider({ ...lens, rotation, position });
        }
      }
    }
  }
  return starts.sort((a, b) => a.cost - b.cost).slice(0, 10);
}

const nothing = (findings: Finding[]): SolveAnswer => ({
  camera: null,
  rmsPx: null,
  residuals: [],
  sigma: null,
  sigmaWidened: null,
  alternatives: [],
  findings,
});

const finding = (code: string, severity: Finding["severity"], message: string, ids: string[] = []): Finding => ({
  code,
  severity,
  message,
  ids,
});

/** Reasons that the request cannot be solved, by counting. */
function missingEvidence(p: Problem, u: Unknowns): Finding | null {
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

const axisWord = (axis: string) => (axis.length === 1 ? axis.toUpperCase() : `“${axis.slice(axis.indexOf(":") + 1)}”`);

/** Edges that add nothing because another one has the same points. */
function doubledEdges(p: Problem): { kept: RequestEdge[]; findings: Finding[] } {
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

type Solution = Adjusted & { evidence: Evidence[]; assumed: StartRotation["assumed"] };

function plausible(s: Solution): boolean {
  const { camera } = s.state;
  return Number.isFinite(s.cost) && camera.focalPx > 1 && camera.position.every(Number.isFinite);
}

function distinctStarts(starts: Start[], most: number): Start[] {
  const kept: Start[] = [];
  for (const s of starts) {
    const near = kept.some(
      (k) =>
        Math.abs(Math.log(k.state.camera.focalPx / s.state.camera.focalPx)) < 0.05 &&
        rotationAngleBetween(k.rotation, s.rotation) < 0.05 &&
        Math.hypot(
          k.state.camera.principal[0] - s.state.camera.principal[0],
          k.state.camera.principal[1] - s.state.camera.principal[1],
        ) <
          0.05 * s.state.camera.focalPx,
    );
    if (!near) kept.push(s);
    if (kept.length === most) break;
  }
  return kept;
}

/** How many marks are tried as the one to leave out. */
const SUSPECTS = 5;
/** Two suspects whose sums of squares are closer than this cannot be told apart. */
const ALIKE = 6;

/**
 * Leaves out, one at a time, marks that the others contradict by over three and a half standard deviations (data snooping, Baarda
 * 1968). Where two marks are equally suspect both go, if the rest still determines the focal length about as well.
 */
function withoutOutliers(u: Unknowns, start: Solution): { solution: Solution; rejected: string[] } {
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

/** Mean square of the residuals, in units of their own noise, from which the whole is said not to fit. */
const MISFIT = 9;

/** Change of the focal length, in standard deviations, from which a mark is said to decide it. */
const DECISIVE = 1.2;

const cornerReach = (camera: Camera, frame: Frame): number => {
  const [cx, cy] = camera.principal;
  const far = Math.hypot(Math.max(cx, frame.width - cx), Math.max(cy, frame.height - cy));
  return (far / camera.focalPx) * 1.02;
};

export function answerCamera(camera: Camera, frame: Frame): AnswerCamera {
  const fov = fieldsOfView(camera, frame);
  return {
    focalPx: camera.focalPx,
    principal: camera.principal,
    distortion: { ...camera.distortion },
    rotation: camera.rotation,
    position: camera.position,
    fovDeg: { horizontal: toDegrees(fov.horizontal), vertical: toDegrees(fov.vertical) },
  };
}

/** Root mean square distance of a mark's points from the best line through the solved vanishing point, pixels. */
function ownRms(e: Evidence, state: State): number {
  const out = new Float64Array(e.size);
  e.settle(state);
  e.residuals(state, new Float64Array(8), out);
  const isEdge = e instanceof EdgeEvidence || e instanceof LineEvidence;
  const sigma = isEdge ? e.sigma : (e.pixelSigma ?? 1);
  const n = isEdge ? e.size : Math.min(e.size, 4);
  return Math.sqrt(out.slice(0, n).reduce((s, r) => s + r * r, 0) / n) * sigma;
}

function rmsOf(evidence: Evidence[], state: State): number {
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

function describe(
  p: Problem,
  u: Unknowns,
  best: Solution,
  full: Solution,
  others: Solution[],
  rejected: string[],
  findings: Finding[],
  wide: Widened | null,
): SolveAnswer {
  const { state } = best;
  const { camera } = state;
  const n = unknownCount(u);
  const covariance = covarianceOf(u, best.linear);
  const standard = (i: number) => (covariance ? Math.sqrt(covariance[i * n + i]) : Infinity);
  const focalSigma = u.focal ? standard(FOCAL_INDEX) : 0;
  if (!covariance || focalSigma > 1) {
    return nothing([
      ...findings,
      finding(
        "focal-unsure",
        "error",
        "These edges leave the focal length open: seen from here the directions hardly converge. Add edges that converge more, or type the focal length.",
      ),
    ]);
  }
  const residuals: SolveAnswer["residuals"] = [];
  let worst: { id: string; drop: number; edge: EdgeEvidence } | null = null;
  const fullCovariance = full === best ? covariance : covarianceOf(u, full.linear);
  const fullFocal = u.focal && fullCovariance ? Math.sqrt(fullCovariance[FOCAL_INDEX * n + FOCAL_INDEX]) : 0;
  full.evidence.forEach((e, i) => {
    if (!e.id) return;
    const out = leaveOut(u, full.linear, i);
    const influence = out && fullFocal > 0 ? out.step[FOCAL_INDEX] / fullFocal : null;
    residuals.push({ id: e.id, px: ownRms(e, state), influence });
    const dof = e.size - e.nuisances;
    if (out && e instanceof EdgeEvidence && out.drop > 12.25 * dof && (!worst || out.drop > worst.drop)) {
      worst = { id: e.id, drop: out.drop, edge: e };
    }
  });
  const found = worst as { id: string; drop: number; edge: EdgeEvidence } | null;
  const tieWorst = full.evidence
    .map((e, i) => ({ e, out: p.ties.some((t) => t.id === e.id) ? leaveOut(u, full.linear, i) : null }))
    .filter(({ out }) => out !== null && out.drop > 24)
    .sort((a, b) => b.out!.drop - a.out!.drop)[0];
  if (rejected.length > 0) {
    findings.push(
      finding(
        "left-out",
        "warning",
        `Left out as contradicting the rest: ${rejected.join(", ")}. Check what they lie on, or their direction.`,
        rejected,
      ),
    );
  } else if (found) {
    const pull = Math.sqrt(found.drop) * found.edge.sigma;
    const advice =
      found.edge.edge.axis === "z" ? "is it really upright?" : "is it really level and parallel to the others?";
    findings.push(
      finding(
        "edge-disagrees",
        "warning",
        `Edge ${found.id} pulls by ${pull.toFixed(1)} px against the others along ${axisWord(found.edge.edge.axis)}: ${advice}`,
        [found.id],
      ),
    );
  }
  if (rejected.length === 0 && tieWorst) {
    findings.push(
      finding(
        "tie-disagrees",
        "warning",
        `Tie point ${tieWorst.e.id} lies ${ownRms(tieWorst.e, state).toFixed(1)} times its noise off and pulls at the others: check its pixel and its metres.`,
        [tieWorst.e.id!],
      ),
    );
  }
  const freedom = best.evidence.reduce((s, e) => s + e.size - e.nuisances, 0) - n;
  if (freedom > 0 && best.cost / freedom > MISFIT) {
    findings.push(
      finding(
        "misfit",
        "warning",
        `Altogether the marks lie ${Math.sqrt(best.cost / freedom).toFixed(1)} times farther off than marks set by hand do: something among them does not belong to this camera. Check the marks that are named, or switch “robust” on.`,
      ),
    );
  }
  if (p.request.robust && rejected.length === 0) {
    const decisive = residuals
      .filter((r) => r.influence !== null && Math.abs(r.influence) > DECISIVE)
      .sort((a, b) => Math.abs(b.influence!) - Math.abs(a.influence!))[0];
    if (decisive) {
      findings.push(
        finding(
          "edge-decides",
          "info",
          `${decisive.id} alone decides much of the focal length (without it: ${Math.abs(decisive.influence!).toFixed(1)} standard deviations away), and no other mark can check it. Look at it closely, or add another edge beside it.`,
          [decisive.id],
        ),
      );
    }
  }
  const reversed: RequestEdge[] = [];
  for (const e of best.evidence) {
    if (!(e instanceof EdgeEvidence) || e.edge.axis.includes(":")) continue;
    const d = axisDirection(state, e.edge.axis);
    const along: Vec3 = [0, 1, 2].map(
      (i) => camera.rotation[i][0] * d[0] + camera.rotation[i][1] * d[1] + camera.rotation[i][2] * d[2],
    ) as Vec3;
    if (signVote(camera, e.edge, along) < 0) reversed.push(e.edge);
  }
  if (reversed.length > 0) {
    const names = reversed.map((e) => `${e.id} (${axisWord(e.axis)})`).join(", ");
    findings.push(
      finding(
        "edge-turned",
        "info",
        reversed.length === 1
          ? `Edge ${reversed[0].id} was drawn against ${axisWord(reversed[0].axis)} and counts turned round.`
          : `Drawn against their directions and counted turned round: ${names}.`,
        reversed.map((e) => e.id),
      ),
    );
  }
  if (best.assumed === "level") {
    findings.push(
      finding(
        "assumed-level",
        "warning",
        "One direction alone does not tell which way is up; the camera is taken as held level (± 0.5°). Mark two upright edges to be sure.",
      ),
    );
  }
  if (best.assumed === "heading") {
    findings.push(
      finding(
        "assumed-heading",
        "info",
        "Upright edges alone do not tell where X and Y run; the camera is taken to look along +Y.",
      ),
    );
  }
  if (!p.hasScale) {
    findings.push(
      finding(
        "no-scale",
        "warning",
        "No known length yet, so the camera is taken to be 1 m above the ground. Mark something whose size you know.",
      ),
    );
  }
  if (u.focal && focalSigma > 0.05) {
    findings.push(
      finding(
        "focal-loose",
        "warning",
        `The focal length is only known to ± ${(focalSigma * 100).toFixed(0)} %. Add edges far apart that differ in angle, or type the focal length.`,
      ),
    );
  }
  for (const length of p.request.lengths ?? []) {
    const read = readLength(camera, length);
    if (read === null) {
      findings.push(
        finding(
          "length-unreadable",
          "error",
          length.on
            ? `Length ${length.id} does not lie on its surface in view. Put both ends on it.`
            : `Length ${length.id} does not start on the ground in view. Put its start on the ground.`,
          [length.id],
        ),
      );
    }
  }
  if (p.request.origin && placeAtHeight(camera, 1, p.request.origin as Vec2).some((value) => Math.abs(value) > 1e4)) {
    findings.push(
      finding(
        "origin-above-horizon",
        "error",
        "The origin lies on or above the horizon, where there is no ground. Put it lower.",
      ),
    );
  }
  const gradientOf = (read: (s: State) => number): Float64Array => {
    const h = 1e-5;
    const g = new Float64Array(n);
    for (let i = 0; i < n; i++) {
      const step = new Float64Array(n);
      const s = Math.min(h, 0.1 * standard(i)) || 1e-9;
      step[i] = s;
      const a = read(moved(u, state, step));
      step[i] = -s;
      g[i] = (a - read(moved(u, state, step))) / (2 * s);
    }
    return g;
  };
  const places = p.hasScale ? [0, 1, 2].map((i) => gradientOf((s) => s.camera.position[i])) : null;
  const sigmaFrom = (c: Float64Array): AnswerSigma => ({
    focalPx: u.focal ? Math.sqrt(c[FOCAL_INDEX * n + FOCAL_INDEX]) * camera.focalPx : 0,
    rotationDeg: [0, 1, 2].map((i) => toDegrees(Math.sqrt(c[i * n + i]))) as Vec3,
    positionM: places && (places.map((g) => deviationOf(c, g)) as Vec3),
    cameraHeightM: places && deviationOf(c, places[2]),
  });
  if (wide && wide.scatter > 1) {
    findings.push(
      finding(
        "sigma-widened",
        "info",
        `The marks scatter ${wide.scatter.toFixed(1)} times as much as their own noise explains, so every ± is widened by that.`,
      ),
    );
  }
  const sigmaWidened = wide && sigmaFrom(wide.covariance);
  const against = sigmaWidened && lensAgainstMarks(p.request, u, best, sigmaWidened.focalPx / camera.focalPx);
  if (against) findings.push(against);
  const rms = rmsOf(best.evidence, state);
  const alternatives = others
    .filter((o) => differs(o.state.camera, camera) && rmsOf(o.evidence, o.state) < Math.max(4 * rms, rms + 4))
    .slice(0, 4)
    .map((o) => ({ camera: answerCamera(o.state.camera, p.frame), rmsPx: rmsOf(o.evidence, o.state) }));
  return {
    camera: answerCamera(camera, p.frame),
    rmsPx: rms,
    residuals,
    sigma: sigmaFrom(covariance),
    sigmaWidened,
    alternatives,
    findings,
  };
}

const differs = (a: Camera, b: Camera): boolean =>
  Math.abs(Math.log(a.focalPx / b.focalPx)) > 0.03 || rotationAngleBetween(a.rotation, b.rotation) > 0.02;
