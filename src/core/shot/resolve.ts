import type { Draft } from "immer";
import type { Vec3 } from "../math/vec3.ts";
import { distance, dot, toDegrees } from "../math/vec3.ts";
import type { Camera } from "../optics/camera.ts";
import { groundPlane, pixelOnPlane, projectPoint } from "../optics/camera.ts";
import type { Sighting } from "../light/sightings/index.ts";
import { sunFromSightings } from "../light/sightings/solve.ts";
import type { SolveAnswer } from "../match/request.ts";
import { evidenceKey } from "../match/requestOfShot.ts";
import { followCamera } from "../set/follow.ts";
import type { Measure } from "../set/measures.ts";
import { endsUnder } from "../set/measures.ts";
import type { Shot } from "./schema.ts";

/** One thing that a new camera moves, for the list that is shown before it is taken. */
export interface Movement {
  id: string;
  name: string;
  /** Metres that its world position changes. */
  metres: number;
  /** Pixels that it moves on the plate. */
  pixels: number;
  /** A vertex whose pixel no longer meets the ground keeps its metres; a sun whose sighting no longer can be read stays. */
  lost: boolean;
  /** How far a direction turns, instead of metres and pixels. */
  degrees?: number;
}

/**
 * Puts a newly solved camera into the shot by the rule of docs/design.md section 1: set vertices placed on the plate
 * follow the plate on their own plane, typed ones keep their metres; props keep their metres, or the pixel of their
 * foot, as chosen. A camera without uncertainty is one matched by hand. Changes the draft and returns what moved.
 */
export function takeCamera(
  draft: Draft<Shot> | Shot,
  answer: Pick<SolveAnswer, "camera" | "sigmaWidened" | "rmsPx">,
): Movement[] {
  const { camera, sigmaWidened: sigma } = answer;
  if (!camera) return [];
  const old = draft.solved?.camera as Camera | undefined;
  const next: Camera = {
    focalPx: camera.focalPx,
    principal: [...camera.principal],
    distortion: { ...camera.distortion },
    rotation: camera.rotation.map((row) => [...row]) as Camera["rotation"],
    position: [...camera.position],
  };
  draft.solved = {
    camera: next,
    evidence: evidenceKey(draft as Shot),
    rmsPx: answer.rmsPx,
    sigma: sigma && {
      ...sigma,
      rotationDeg: [...sigma.rotationDeg],
      positionM: sigma.positionM && [...sigma.positionM],
    },
  };
  if (!old) return [];
  const movements: Movement[] = [];
  const sun = followSun(draft, old, next);
  if (sun) movements.push(sun);
  const note = (id: string, name: string, before: Vec3, after: Vec3, lost = false) => {
    const [p, q] = [projectPoint(old, before), projectPoint(next, after)];
    const pixels = p && q ? Math.hypot(p[0] - q[0], p[1] - q[1]) : 0;
    const metres = distance(before, after);
    if (metres > 5e-4 || pixels > 0.05 || lost) movements.push({ id, name, metres, pixels, lost });
  };
  for (const { part, name, vertex, before, after, lost } of followCamera(draft.set as Shot["set"], next)) {
    vertex.world = after;
    note(part, name, before, after, lost);
  }
  for (const measure of Object.values(draft.measures)) {
    const ends = endsUnder(measure as Measure, next);
    measure.points.forEach((point, i) => {
      const before = [...point.world] as Vec3;
      point.world = ends[i];
      note(measure.id, measure.name, before, ends[i]);
    });
  }
  for (const prop of Object.values(draft.props)) {
    const before = [...prop.placement.position] as Vec3;
    let after = before;
    let lost = false;
    if (prop.keeps === "picture") {
      const pixel = projectPoint(old, before);
      const found = pixel && pixelOnPlane(next, pixel, groundPlane(before[2]));
      if (found) after = found;
      else lost = true;
    }
    prop.placement.position = after;
    note(prop.id, prop.name, before, after, lost);
  }
  return movements;
}

/** Degrees within which a sun stands where its sighting puts it. */
const SIGHTED_DEG = 0.02;

/** A sun that stands where its sighting put it goes on doing so under another camera; a typed one stays. Tells its movement. */
function followSun(draft: Draft<Shot> | Shot, old: Camera, next: Camera): Movement | null {
  const { sightings, sun } = draft.light;
  const read = (camera: Camera) =>
    sunFromSightings(camera, Object.values(sightings) as Sighting[], draft.set as Shot["set"]);
  const [before, after] = [read(old), read(next)];
  if (!before || typeof before === "string") return null;
  const off = (a: number, b: number) => Math.abs(((((a - b) % 360) + 540) % 360) - 180);
  if (off(sun.azimuthDeg, toDegrees(before.azimuth)) > SIGHTED_DEG) return null;
  if (off(sun.elevationDeg, toDegrees(before.elevation)) > SIGHTED_DEG) return null;
  const movement = { id: "sun", name: "The sun", metres: 0, pixels: 0 };
  if (!after || typeof after === "string") return { ...movement, lost: true };
  sun.azimuthDeg = toDegrees(after.azimuth);
  sun.elevationDeg = toDegrees(after.elevation);
  const turned = Math.acos(Math.min(1, dot(before.direction, after.direction)));
  return toDegrees(turned) > 0.05 ? { ...movement, lost: false, degrees: toDegrees(turned) } : null;
}

/** The camera alone, as an answer, for one that was matched by hand. */
export function handAnswer(camera: Camera): Pick<SolveAnswer, "camera" | "sigmaWidened" | "rmsPx"> {
  return { camera: { ...camera, fovDeg: { horizontal: 0, vertical: 0 } }, sigmaWidened: null, rmsPx: null };
}
