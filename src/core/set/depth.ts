import type { Vec2, Vec3 } from "../math/vec3.ts";
import { add, length, scale, sub } from "../math/vec3.ts";
import type { Camera, Frame, Plane } from "../optics/camera.ts";
import { groundPlane, pixelDirection, projectPoint } from "../optics/camera.ts";
import { facePlane, rayMeets } from "./face.ts";
import { facesOf } from "./faces.ts";
import type { Part, SetRecord } from "./parts/index.ts";
import { kindOf } from "./parts/index.ts";
import { pickAlong, pickFace } from "./pick.ts";

/** Where parts stand: over or in what is below them, and whether the camera is where it can be. */

/** How a part stands over what it should stand on. */
export interface Standing {
  /** Metres between its lowest point and what is below; under 0 it sinks in. */
  gap: number;
  /** What is below: a part's name, or the ground. */
  on: string;
  /** Height of that. */
  height: number;
}

/** Closer than this it stands, metres. */
const STANDS = 0.002;
/** How far below its top a part may sink and still mean to stand there, as a share of its height. */
const ABOVE = 1e-3;

/**
 * The gap of a part over the surface below it, found straight down from above its lowest point; null for one that
 * stands, that lies flat itself, or that is held by another part.
 */
export function standingOf(set: SetRecord, part: Part): Standing | null {
  if (!kindOf(part).stands?.(part)) return null;
  const points = facesOf(set, part.id).flatMap((face) => face.rings[0]);
  if (points.length === 0) return null;
  const low = points.reduce((a, b) => (b[2] < a[2] ? b : a));
  const high = Math.max(...points.map((p) => p[2]));
  // From the part's own height down, a little inside its foot, so that what it sinks into is met as well.
  const centre = scale(
    points.reduce((sum, p) => add(sum, p), [0, 0, 0] as Vec3),
    1 / points.length,
  );
  const over: Vec3 = [low[0] + ABOVE * (centre[0] - low[0]), low[1] + ABOVE * (centre[1] - low[1]), high + 1e-4];
  const below = pickAlong(set, over, [0, 0, -1], (other) => other.id !== part.id && !standsOn(set, other, part.id));
  const height = below ? below.world[2] : 0;
  const gap = low[2] - height;
  return Math.abs(gap) < STANDS ? null : { gap, on: below?.part.name ?? "the ground", height };
}

/** How far below its lowest point what a part stands on may be, metres. */
const NEAR = 0.05;

/** The plane that a part's foot stands on: of the face right below it, else level. */
export function footPlane(set: SetRecord, id: string): Plane {
  const points = facesOf(set, id).flatMap((face) => face.rings[0]);
  if (points.length === 0) return groundPlane();
  const low = points.reduce((a, b) => (b[2] < a[2] ? b : a));
  const [x, y] = [0, 1].map((k) => (Math.min(...points.map((p) => p[k])) + Math.max(...points.map((p) => p[k]))) / 2);
  const below = pickAlong(set, [x, y, low[2] + NEAR], [0, 0, -1], (other) => other.id !== id);
  return below && below.distance < 2 * NEAR ? facePlane(below.face) : groundPlane(low[2]);
}

const standsOn = (set: SetRecord, part: Part, id: string): boolean => {
  const on = kindOf(part).on?.(part) ?? [];
  return (
    on.includes(id) ||
    on.some((other) => set[other] !== undefined && other !== part.id && standsOn(set, set[other], id))
  );
};

/**
 * What the camera sees before the place where a part would stand after sliding, by its name: a wall that it would go
 * through. Null where its way is free.
 */
export function slideMeets(set: SetRecord, part: Part, eye: Vec3, standing: Standing): string | null {
  const share = (eye[2] - standing.height) / (eye[2] - standing.height - standing.gap);
  for (const { vertex } of kindOf(part).vertices(part, set)) {
    const way = sub(vertex.world as Vec3, eye);
    const far = length(way);
    if (!(far > 0) || share <= 1) continue;
    const met = pickAlong(set, eye, scale(way, 1 / far), (other) => other.id !== part.id && !other.muted);
    if (met && met.distance > far && met.distance < far * share * (1 - 1e-4)) return met.part.name;
  }
  return null;
}

/**
 * Slides a part along the lines of sight until its lowest point is as high as what it should stand on, scaled so that it
 * keeps its picture. In place; false where the eye is no higher than that.
 */
export function slideToStand(set: SetRecord, part: Part, eye: Vec3, standing: Standing): boolean {
  const low = standing.height + standing.gap;
  const share = (eye[2] - standing.height) / (eye[2] - low);
  if (!(share > 0.01 && share < 100)) return false;
  const kind = kindOf(part);
  for (const { vertex } of kind.vertices(part, set))
    vertex.world = add(eye, scale(sub(vertex.world as Vec3, eye), share));
  kind.stretch?.(part, share);
  return true;
}

/** How often a ray from a point meets faces of a part. */
function crossings(set: SetRecord, part: Part, from: Vec3): number {
  // A direction that lies along nothing that people build.
  const direction: Vec3 = [0.5377, 0.6211, 0.5702];
  return facesOf(set, part.id).filter((face) => rayMeets({ ...face, rings: [face.rings[0]] }, from, direction) !== null)
    .length;
}

/** What is wrong with where the camera stands, as sentences. */
export function cameraFindings(set: SetRecord, eye: Vec3): { part: string; message: string }[] {
  const found: { part: string; message: string }[] = [];
  for (const part of Object.values(set)) {
    const { camera } = kindOf(part);
    if (part.muted || !camera) continue;
    const inside = crossings(set, part, eye) % 2 === 1;
    if (camera === "inside" && !inside)
      found.push({
        part: part.id,
        message: `The camera stands outside ${part.name}. Pull its floor back behind the camera, in plan or by typing.`,
      });
    if (camera === "outside" && inside)
      found.push({
        part: part.id,
        message: `The camera stands inside ${part.name}, which hides everything. Move its base.`,
      });
  }
  return found;
}

/** Pixels of the plate in which a face is seen, and not behind another, by samples over the part of the frame that it takes. */
export function pixelsOf(set: SetRecord, at: { part: string; face: string }, camera: Camera, frame: Frame): number {
  const face = facesOf(set, at.part).find(({ id }) => id === at.face);
  if (!face) return 0;
  const corners = face.rings[0].map((p) => projectPoint(camera, p));
  // A corner behind the camera: the face may be anywhere.
  const whole = corners.some((p) => p === null);
  const span = (k: 0 | 1, side: number): [number, number] =>
    whole
      ? [0, side]
      : [Math.max(0, Math.min(...corners.map((p) => p![k]))), Math.min(side, Math.max(...corners.map((p) => p![k])))];
  const [[x0, x1], [y0, y1]] = [span(0, frame.width), span(1, frame.height)];
  if (x1 <= x0 || y1 <= y0) return 0;
  const [dx, dy] = [(x1 - x0) / SAMPLES, (y1 - y0) / SAMPLES];
  let seen = 0;
  for (let i = 0; i < SAMPLES * SAMPLES; i++) {
    const pixel: Vec2 = [x0 + ((i % SAMPLES) + 0.5) * dx, y0 + (Math.floor(i / SAMPLES) + 0.5) * dy];
    const direction = pixelDirection(camera, pixel);
    if (rayMeets(face, camera.position, direction) === null) continue;
    if (pickFace(set, camera, pixel)?.face === face) seen++;
  }
  return seen * dx * dy;
}

/** Samples along each side of what a face takes of the frame. */
const SAMPLES = 32;
