import { groupLines } from "../detect/groups.ts";
import type { Vec3 } from "../math/vec3.ts";
import { focalFromEquivalent } from "../optics/camera.ts";
import { focalFromFigure, principalOfCrop } from "../optics/lens.ts";
import type { PlatePart } from "../plate/schema.ts";
import { shotFrame } from "../plate/schema.ts";
import type { Part, SetRecord } from "../set/parts/index.ts";
import type { SetPart } from "../set/schema.ts";
import type { SetVertex } from "../set/vertex.ts";
import { edgeMisfit } from "./evidence.ts";
import type { Finding, RequestLength, SolveRequest } from "./request.ts";
import type { Evidence, ShotEdge } from "./schema.ts";
import { MARK_SIGMA } from "./schema.ts";

/** What a shot asks of the solver. */

/** Marks and plate, and the set that lengths lie on. */
export type Asked = Evidence & SetPart;

/** The horizon is seldom a sharp line. */
const HORIZON_SIGMA = 2;
/** Share of the frame's diagonal by which lines of a drawing are off. */
const DRAWING_NOISE = 0.0025;

/** Standard deviation of a mark of weight 1 on this plate, pixels. */
export function markSigma(shot: PlatePart & Pick<Evidence, "match">): number {
  const { width, height, drawing } = shot.plates.main;
  // New ones are set on the plate as it is now.
  const set = Math.max(MARK_SIGMA, shot.match.markPx);
  return drawing ? Math.max(set, DRAWING_NOISE * Math.hypot(width, height)) : set;
}

/**
 * The axes of all edges, those whose direction is read from the picture told from where they meet. `rank` asks for the
 * next likely reading.
 */
export function edgeAxes(shot: Asked, rank = 0): Map<string, string | null> {
  const axes = new Map<string, string | null>();
  const open: ShotEdge[] = [];
  for (const e of Object.values(shot.edges)) {
    axes.set(e.id, e.axis === "any" ? null : e.axis);
    if (e.axis === "any" && !e.muted) open.push(e);
  }
  if (open.length === 0) return axes;
  const camera = shot.solved?.camera;
  const named = Object.values(shot.edges).some((e) => ["x", "y", "z"].includes(e.axis));
  if (camera && named) {
    // Some directions are named already: the rest go to the one that fits them best.
    for (const e of open) {
      const fits = (["x", "y", "z"] as const).map((axis) => ({
        axis,
        px: edgeMisfit(camera, AXIS[axis], e.points),
      }));
      fits.sort((p, q) => p.px - q.px);
      axes.set(e.id, fits[0].px < 12 ? fits[0].axis : null);
    }
    return axes;
  }
  const lines = open.map((e) => ({ from: e.points[0], to: e.points[e.points.length - 1] }));
  for (const group of groupLines(lines, shotFrame(shot), 0.04, rank)) {
    for (const i of group.lines) axes.set(open[i].id, group.axis);
  }
  return axes;
}

/** Other readings of edges whose direction is read from the picture, by their axes; none where directions are named. */
export function otherReadings(shot: Asked, most = 3): Map<string, string>[] {
  const open = Object.values(shot.edges).filter((e) => e.axis === "any" && !e.muted);
  if (open.length < 4 || Object.values(shot.edges).some((e) => e.axis.length === 1)) return [];
  const readings: Map<string, string>[] = [];
  for (let rank = 1; rank <= most; rank++) {
    const axes = edgeAxes(shot, rank);
    const told = open.flatMap((e) => {
      const axis = axes.get(e.id);
      return axis ? [[e.id, axis] as [string, string]] : [];
    });
    if (told.length >= 4) readings.push(new Map(told));
  }
  return readings;
}

const AXIS: Record<"x" | "y" | "z", Vec3> = { x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] };

/** Why a known length cannot be counted. */
type Uncounted = "gone" | "typed" | "round" | "many" | "slope";

/** The vertices of a wall's foot; null where what it stands on is gone or has no vertices of its own there. */
function footOf(set: SetRecord, wall: Extract<Part, { kind: "wall" }>): [SetVertex, SetVertex] | null {
  if (!wall.on) return wall.foot;
  const host = set[wall.on.part];
  const { face, side } = wall.on;
  if (host?.kind !== "polygon" && host?.kind !== "block") return null;
  const ring = host.kind === "polygon" ? host.vertices : host.base;
  const edge = host.kind === "polygon" ? side : Number(face.slice(5)) - 1;
  const ends = [ring[edge], ring[(edge + 1) % ring.length]];
  return ends[0] && ends[1] ? [ends[0], ends[1]] : null;
}

/** The height of a level ring; null for one that slopes. */
function levelOf(vertices: readonly SetVertex[]): number | null {
  const heights = vertices.map((vertex) => vertex.world[2]);
  return Math.max(...heights) - Math.min(...heights) < 1e-6 ? heights[0] : null;
}

/** The surface of a known length in the solver's terms, undefined for the ground; or why it cannot be counted. */
function lengthSurface({ set }: SetPart, on: string | null): RequestLength["on"] | Uncounted {
  if (on === null) return undefined;
  const part = set[on];
  if (!part) return "gone";
  if (part.kind === "post") return "round";
  if (part.kind === "polygon" || part.kind === "block") {
    const base = levelOf(part.kind === "polygon" ? part.vertices : part.base);
    if (base === null) return "slope";
    const height = part.kind === "block" ? base + Math.abs(part.height) : base;
    return Math.abs(height) > 1e-9 ? { height } : undefined;
  }
  if (part.kind !== "wall") return "many";
  const foot = footOf(set, part);
  if (!foot) return "gone";
  const [a, b] = foot.map((end) => end.pixel);
  // A wall on typed corners has its place in metres: it says nothing of the scale by the plate's own pixels.
  return a && b ? { wall: [a, b] } : "typed";
}

const UNCOUNTED: Record<Uncounted, string> = {
  gone: "the surface that it lies on is gone. Say what it lies on now, or delete it.",
  typed: "its wall stands on typed corners, which have metres but no pixels. Place the wall's corners on the plate.",
  many: "it lies on something with several faces. Put it on a wall, a level polygon or the lid of a block.",
  slope: "it lies on a slope, which the solver does not measure along. Mark it along an axis instead.",
  round: "it lies on a round post, whose surface is not flat. Mark it upright from the ground instead.",
};

/** Known lengths that are not counted, with why, as findings. */
export function uncountedLengths(shot: Asked): Finding[] {
  return Object.values(shot.lengths).flatMap((l): Finding[] => {
    const on = l.muted ? undefined : lengthSurface(shot, l.on);
    if (typeof on !== "string") return [];
    const message = `Length ${l.name || l.id} is not counted: ${UNCOUNTED[on]}`;
    return [{ code: "length-uncounted", severity: "warning", message, ids: [l.id] }];
  });
}

/** Standard deviation of a focal length from EXIF: whole millimetres of an equivalent, and crops that nobody noted (common practice, no published source). */
const EXIF_RELATIVE = 0.04;

/** Focal length that EXIF tells, pixels: by the equivalent, else by millimetres and the sensor; null where it says nothing. */
export function exifFocal(shot: Evidence): number | null {
  const { equivalentMm, focalMm } = shot.plates.main.exif;
  const whole = shot.lens.crop ?? shotFrame(shot);
  if (equivalentMm) return focalFromEquivalent(equivalentMm, whole);
  return focalMm ? focalFromFigure("mm", focalMm, whole, shot.lens.sensorMm) : null;
}

/** What is known of the lens besides the marks: given by hand, kit or database, else by EXIF; null where nothing is. */
export function notedLens(shot: Asked): { focalPx: number; relative: number; source: string } | null {
  const { focal, focalPx, tolerance, source } = shot.lens;
  if (focal !== "solve" && focalPx !== null && source !== AS_SOLVED) {
    const named = source ? source[0].toUpperCase() + source.slice(1) : "The given lens";
    return { focalPx, relative: focal === "hold" ? Math.min(tolerance, 0.02) : tolerance, source: named };
  }
  const exif = shot.plates.main.drawing ? null : exifFocal(shot);
  return exif ? { focalPx: exif, relative: EXIF_RELATIVE, source: "EXIF" } : null;
}

/** Source of a focal length that was taken over from the marks themselves. */
export const AS_SOLVED = "as solved";

export function requestOfShot(shot: Asked): SolveRequest {
  const { lens, match } = shot;
  const plate = shot.plates.main;
  const frame = shotFrame(shot);
  const sigma = markSigma(shot);
  const axes = edgeAxes(shot);
  const known = lens.focal !== "solve" && lens.focalPx !== null;
  const locked = match.locks.lens && shot.solved !== null;
  const solve: NonNullable<NonNullable<SolveRequest["lens"]>["solve"]> = [];
  let request: SolveRequest["lens"] = {
    principal: lens.principal ?? (lens.crop ? principalOfCrop(lens.crop) : null),
    distortion: lens.distortion,
    solve,
  };
  if (locked) {
    const { focalPx, principal, distortion } = shot.solved!.camera;
    request = { focalPx, principal, distortion, solve };
  } else {
    if (lens.focal !== "hold" || !known) solve.push("focal");
    if (lens.solvePrincipal) solve.push("principal");
    if (lens.solveK1) solve.push("k1");
    if (lens.solveK2) solve.push("k2");
    if (known) request.focalPx = lens.focalPx;
    if (known && lens.focal === "tolerant") request.focalTolerance = lens.focalPx! * lens.tolerance;
    // A drawing has no lens: a loose normal one keeps the answer in reason where its lines leave it open.
    if (!known && plate.drawing) {
      request.focalPx = Math.hypot(frame.width, frame.height);
      request.focalTolerance = 0.6 * request.focalPx;
    }
  }
  const noted = lens.marksSettled || locked ? null : notedLens(shot);
  if (noted) request.noted = noted;
  return {
    plate: frame,
    lens: request,
    edges: Object.values(shot.edges).flatMap((e) => {
      const axis = axes.get(e.id);
      if (e.muted || !axis) return [];
      return [
        {
          id: e.id,
          axis,
          onAxis: e.onAxis,
          points: e.points,
          sigmaPx: sigma / Math.sqrt(e.weight),
          ...(e.group ? { group: e.group } : {}),
        },
      ];
    }),
    lengths: Object.values(shot.lengths).flatMap((l) => {
      if (l.muted) return [];
      const on = lengthSurface(shot, l.on);
      if (typeof on === "string") return [];
      return [
        {
          id: l.id,
          from: l.from,
          to: l.to,
          along: on ? null : l.along,
          fromWorld: on ? null : l.fromWorld,
          metres: l.metres,
          sigmaMetres: l.sigmaMetres,
          sigmaPx: sigma,
          ...(on ? { on } : {}),
        },
      ];
    }),
    tiePoints: Object.values(shot.ties).flatMap((t) =>
      t.muted ? [] : [{ id: t.id, pixel: t.pixel, world: t.world, sigmaPx: sigma }],
    ),
    horizon: Object.values(shot.horizon).map((h) => ({
      pixel: h.pixel,
      sigmaPx: Math.max(sigma, (HORIZON_SIGMA * Math.max(MARK_SIGMA, match.markPx)) / MARK_SIGMA),
    })),
    origin: shot.origin,
    cameraHeight: shot.cameraHeight,
    level: shot.level,
    robust: match.robust,
    ...(match.tolerance.deg > 0 || Object.keys(match.tolerance.families).length > 0
      ? { tolerance: match.tolerance }
      : {}),
  };
}

/** Text that changes whenever the solver would be asked something else. */
export const requestKey = (shot: Asked): string =>
  shot.match.by === "hand" ? "by hand" : JSON.stringify(requestOfShot(shot));

/** Text that changes whenever another camera may come out: not with what only widens a ± or is compared with the answer. */
export function evidenceKey(shot: Asked): string {
  if (shot.match.by === "hand") return "by hand";
  const request = requestOfShot(shot);
  return JSON.stringify({ ...request, lens: { ...request.lens, noted: undefined }, tolerance: undefined });
}
