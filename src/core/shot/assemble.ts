import type { Vec3 } from "../math/vec3.ts";
import { add, scale, toRadians } from "../math/vec3.ts";
import { directionFromAngles } from "../light/sun.ts";
import type { Camera, Frame } from "../optics/camera.ts";
import type { Model } from "../props/model.ts";
import { primitiveModel } from "../props/primitives.ts";
import type { Placement } from "../props/transform.ts";
import { surfaceMesh } from "../set/surfaces.ts";
import type { LightWeights } from "../trace/film.ts";
import type { Lamp, Picture, SetPiece, TraceScene } from "../trace/scene.ts";
import { groupLines } from "../detect/groups.ts";
import { edgeMisfit } from "../match/evidence.ts";
import type { Finding, RequestLength, SolveRequest } from "../match/request.ts";
import { focalFromEquivalent } from "../optics/camera.ts";
import { focalFromFigure, principalOfCrop } from "../optics/lens.ts";
import { castersOf } from "../light/casters.ts";
import { maskPicture } from "../light/mask.ts";
import type { Prop, Shot, ShotEdge } from "./schema.ts";

/** What a shot asks of solver and tracer. */

export const shotFrame = (shot: Shot): Frame => ({ width: shot.plate.width, height: shot.plate.height });

/** Standard deviation of marks set by hand under the loupe, pixels (common practice, no published source). */
export const MARK_SIGMA = 0.7;
/** The horizon is seldom a sharp line. */
const HORIZON_SIGMA = 2;
/** Share of the frame's diagonal by which lines of a drawing are off. */
const DRAWING_NOISE = 0.0025;

/** Standard deviation of a mark of weight 1 on this plate, pixels. */
export function markSigma(shot: Shot): number {
  const { width, height, drawing } = shot.plate;
  return drawing ? Math.max(MARK_SIGMA, DRAWING_NOISE * Math.hypot(width, height)) : MARK_SIGMA;
}

/**
 * The axes of all edges, those whose direction is read from the picture told from where they meet. `rank` asks for the
 * next likely reading.
 */
export function edgeAxes(shot: Shot, rank = 0): Map<string, string | null> {
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
export function otherReadings(shot: Shot, most = 3): Map<string, string>[] {
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
type Uncounted = "gone" | "typed" | "round";

/** The surface of a known length in the solver's terms, undefined for the ground; or why it cannot be counted. */
function lengthSurface(shot: Shot, on: string | null): RequestLength["on"] | Uncounted {
  if (on === null) return undefined;
  const surface = shot.set[on];
  if (!surface) return "gone";
  if (surface.kind === "ground") return surface.height > 0 ? { height: surface.height } : undefined;
  if (surface.kind === "post") return "round";
  const foot = shot.set[surface.on];
  if (foot?.kind !== "ground") return "gone";
  const ends = [foot.vertices[surface.edge], foot.vertices[(surface.edge + 1) % foot.vertices.length]];
  if (!ends[0] || !ends[1]) return "gone";
  const pixels = ends.map((end) => end.pixel);
  // A wall on typed corners has its place in metres: it says nothing of the scale by the plate's own pixels.
  return pixels[0] && pixels[1] ? { wall: [pixels[0], pixels[1]] } : "typed";
}

const UNCOUNTED: Record<Uncounted, string> = {
  gone: "the surface that it lies on is gone. Say what it lies on now, or delete it.",
  typed: "its wall stands on typed corners, which have metres but no pixels. Place the wall's corners on the plate.",
  round: "it lies on a round post, whose surface is not flat. Mark it upright from the ground instead.",
};

/** Known lengths that are not counted, with why, as findings. */
export function uncountedLengths(shot: Shot): Finding[] {
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
export function exifFocal(shot: Shot): number | null {
  const { equivalentMm, focalMm } = shot.plate.exif;
  const whole = shot.lens.crop ?? shotFrame(shot);
  if (equivalentMm) return focalFromEquivalent(equivalentMm, whole);
  return focalMm ? focalFromFigure("mm", focalMm, whole, shot.lens.sensorMm) : null;
}

/** What is known of the lens besides the marks: given by hand, kit or database, else by EXIF; null where nothing is. */
export function notedLens(shot: Shot): { focalPx: number; relative: number; source: string } | null {
  const { focal, focalPx, tolerance, source } = shot.lens;
  if (focal !== "solve" && focalPx !== null && source !== AS_SOLVED) {
    const named = source ? source[0].toUpperCase() + source.slice(1) : "The given lens";
    return { focalPx, relative: focal === "hold" ? Math.min(tolerance, 0.02) : tolerance, source: named };
  }
  const exif = shot.plate.drawing ? null : exifFocal(shot);
  return exif ? { focalPx: exif, relative: EXIF_RELATIVE, source: "EXIF" } : null;
}

/** Source of a focal length that was taken over from the marks themselves. */
export const AS_SOLVED = "as solved";

export function solveRequestOf(shot: Shot): SolveRequest {
  const { lens, plate, match } = shot;
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
    horizon: Object.values(shot.horizon).map((h) => ({ pixel: h.pixel, sigmaPx: Math.max(sigma, HORIZON_SIGMA) })),
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
export const requestKey = (shot: Shot): string =>
  shot.match.by === "hand" ? "by hand" : JSON.stringify(solveRequestOf(shot));

/** Text that changes whenever another camera may come out: not with what only widens a ± or is compared with the answer. */
export function evidenceKey(shot: Shot): string {
  if (shot.match.by === "hand") return "by hand";
  const request = solveRequestOf(shot);
  return JSON.stringify({ ...request, lens: { ...request.lens, noted: undefined }, tolerance: undefined });
}

export const cameraOf = (shot: Shot): Camera | null => shot.solved?.camera ?? null;

export function placementOf(prop: Prop): Placement {
  const { position, turnDeg, leanDeg, scale: size } = prop.placement;
  return { position, turn: toRadians(turnDeg), lean: [toRadians(leanDeg[0]), toRadians(leanDeg[1])], scale: size };
}

/** Where the prop is when the shutter closes; undefined if it stands still. */
function endOf(prop: Prop): Placement | undefined {
  if (!prop.motion) return undefined;
  const start = placementOf(prop);
  const { offset, turnDeg } = prop.motion;
  return { ...start, position: add(start.position, offset), turn: start.turn + toRadians(turnDeg) };
}

const primitives = new Map<string, Model>();

/** The prop's model: its file's, or its primitive. Null while the file is not loaded. The same prop gives the same object. */
export function modelOf(prop: Prop, models: Map<string, Model>): Model | null {
  const { source } = prop;
  if (source.kind === "model") return models.get(source.asset) ?? null;
  const key = JSON.stringify(source);
  let model = primitives.get(key);
  if (!model) {
    model = primitiveModel(source.kind, source.colour, source.roughness, source.metallic);
    if (primitives.size > 200) primitives.clear();
    primitives.set(key, model);
  }
  return model;
}

/** The shot's lamps that are switched on, as the tracer takes them. */
export function lampsOf(shot: Shot): Lamp[] {
  return Object.values(shot.light.lamps).flatMap((lamp) => {
    if (!lamp.on || lamp.level === 0) return [];
    const [azimuth, tilt] = [toRadians(lamp.azimuthDeg), toRadians(lamp.tiltDeg)];
    const facing = directionFromAngles(azimuth, tilt);
    // The width lies level.
    const across: Vec3 = [Math.cos(azimuth), -Math.sin(azimuth), 0];
    return [
      {
        name: lamp.name,
        kind: lamp.kind,
        position: lamp.position,
        facing,
        across,
        size: lamp.size,
        radiance: scale(lamp.colour, lamp.level),
        cone: {
          inner: toRadians(Math.min(lamp.cone.innerDeg, lamp.cone.outerDeg)),
          outer: toRadians(lamp.cone.outerDeg),
        },
      },
    ];
  });
}

export const sunDirection = (shot: Shot): Vec3 =>
  directionFromAngles(toRadians(shot.light.sun.azimuthDeg), toRadians(shot.light.sun.elevationDeg));

/** The ground's mean height: of its polygons' vertices, 0 without any. */
const floorHeight = (shot: Shot): number => {
  const heights = Object.values(shot.set).flatMap((s) =>
    s.kind === "ground" ? s.vertices.map((v) => v.world[2]) : [],
  );
  return heights.length > 0 ? heights.reduce((a, b) => a + b, 0) / heights.length : 0;
};

export function setPieces(shot: Shot): SetPiece[] {
  const { albedo, gloss, glossRoughness } = shot.light;
  return Object.values(shot.set).flatMap((surface) => {
    const mesh = surfaceMesh(shot.set, surface);
    if (!mesh) return [];
    return [
      {
        ...mesh,
        catcher: surface.role === "catcher",
        albedo: albedo.colour,
        // Wet or polished is the ground; what stands on it stays matt.
        specular: surface.kind === "ground" ? gloss : 0,
        roughness: glossRoughness,
      },
    ];
  });
}

/**
 * The shot as the tracer sees it. Throws if it has no camera yet. Props whose files are not loaded are left out;
 * `withProps` false leaves out all.
 */
export function traceSceneOf(shot: Shot, plate: Picture, models: Map<string, Model>, withProps = true): TraceScene {
  const camera = cameraOf(shot);
  if (!camera) throw new Error("The shot has no camera yet. Mark edges until it is solved.");
  const { light } = shot;
  const props = withProps
    ? Object.values(shot.props).flatMap((prop) => {
        const model = prop.hidden ? null : modelOf(prop, models);
        const { visibility, name } = prop;
        return model ? [{ model, placement: placementOf(prop), end: endOf(prop), visibility, name }] : [];
      })
    : [];
  return {
    camera,
    frame: shotFrame(shot),
    set: setPieces(shot),
    props,
    sun: light.sun.on
      ? {
          direction: sunDirection(shot),
          irradiance: light.sunIrradiance,
          angularRadius: toRadians(light.sun.radiusDeg),
        }
      : null,
    sky: light.skyRadiance,
    lamps: lampsOf(shot),
    aperture: shot.focus.on
      ? {
          radius: shot.focus.openingMm / 2000,
          focus: shot.focus.distance,
          blades: shot.focus.blades,
          turn: toRadians(shot.focus.turnDeg),
        }
      : null,
    floor: { height: floorHeight(shot) - 0.002, albedo: light.albedo.colour },
    plate,
    mask: maskPicture(shot),
    casters: light.sun.on
      ? castersOf(Object.values(light.shadows), camera, shotFrame(shot), sunDirection(shot), floorHeight(shot), plate)
      : [],
    backdrop: null,
    picture: false,
  };
}

/** Density and tint of the shadow, as weights of the catcher's lights. */
export function lightWeights(shot: Shot): LightWeights {
  const { density, tint } = shot.light;
  return { sun: [density, density, density], sky: tint, bounce: tint };
}

/** Level of the props, applied to the developed prop pass. */
export const scaleProp = (prop: Float32Array, level: number): void => {
  if (level === 1) return;
  for (let i = 0; i < prop.length; i += 4) for (let k = 0; k < 3; k++) prop[i + k] *= level;
};
