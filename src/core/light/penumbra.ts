import { stepSpread } from "../detect/step.ts";
import type { Vec2, Vec3 } from "../math/vec3.ts";
import { cross, distance, dot, normalize, scale, sub } from "../math/vec3.ts";
import type { Camera } from "../optics/camera.ts";
import { groundPlane, pixelOnPlane } from "../optics/camera.ts";
import { facePlane } from "../set/face.ts";
import type { SetRecord } from "../set/parts/index.ts";
import { pickAlong, pickFace } from "../set/pick.ts";

/** The sun's softness as a shadow's edge tells it. */
export interface Penumbra {
  /** Radius of the sun's disc, degrees. */
  radiusDeg: number;
  /** From what throws the shadow to its edge, metres. */
  distance: number;
  /** Spread of the edge, pixels of the plate, its own blur taken off. */
  spreadPx: number;
}

/** Spread of the blurred step that fits the light of an even disc past an edge best, over the disc's radius. */
const DISC = 0.565;
/** A shadow's edge goes from light to dark over a face that has a texture of its own. */
const LEAST_FIT = 0.8;

/**
 * Radius of the sun from the soft edge of a shadow, crossed from `a` to `b` on one face, from full light to full shade:
 * the light of a disc of even brightness that is seen past an edge, over the distance to what throws
 * it, which the set tells, and by how the edge's sheet of light meets the face. `blurPx` is the plate's own blur. A
 * sentence where it cannot be told.
 */
export function sunRadiusFrom(
  plate: { width: number; height: number; linear: Float32Array },
  camera: Camera,
  set: SetRecord,
  sun: Vec3,
  a: Vec2,
  b: Vec2,
  blurPx: number,
): Penumbra | string {
  const length = Math.hypot(b[0] - a[0], b[1] - a[1]);
  if (length < 6) return "Click farther apart: once in the full light, once in the full shade.";
  const middle: Vec2 = [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2];
  const picked = pickFace(set, camera, middle);
  const plane = picked ? facePlane(picked.face) : groundPlane();
  const [from, at, to] = [a, middle, b].map((pixel) => pixelOnPlane(camera, pixel, plane));
  if (!from || !at || !to) return "The shadow's edge must lie on the ground or a face, below the horizon.";
  const thrower = throwerBeyond(set, sun, at, luminanceAt(plate, a) < luminanceAt(plate, b) ? from : to);
  if (!thrower) return "No part of the set throws that shadow. Build what throws it first; its distance counts.";
  const half: Vec2 = [-0.4 * (b[1] - a[1]), 0.4 * (b[0] - a[0])];
  const spread = stepSpread(
    plate,
    [middle[0] - half[0], middle[1] - half[1]],
    [middle[0] + half[0], middle[1] + half[1]],
    length,
    LEAST_FIT,
  );
  if (spread === null) return "That is no clean edge of a shadow. Cross one on an even surface, at right angles.";
  const own = Math.sqrt(Math.max(0, spread * spread - blurPx * blurPx));
  if (own < 0.3 * spread)
    return "The edge is as sharp as the plate itself: it tells no more than that the sun is small.";
  const across = normalize(sub(to, from));
  const edge = cross(plane.normal, across);
  const sheet = normalize(cross(sun, edge));
  const metres = (own * distance(from, to)) / length;
  const shift = Math.abs(dot(scale(across, metres), sheet));
  return {
    radiusDeg: (Math.atan(shift / (DISC * thrower.distance)) * 180) / Math.PI,
    distance: thrower.distance,
    spreadPx: own,
  };
}

/** What throws a shadow: the first met towards the sun from places that go from the edge's middle into the shade. */
function throwerBeyond(set: SetRecord, sun: Vec3, edge: Vec3, shade: Vec3): { distance: number } | null {
  for (const s of [0.05, 0.1, 0.2, 0.35, 0.6, 1]) {
    const from = edge.map((x, k) => x + s * (shade[k] - x) + 0.01 * sun[k]) as Vec3;
    const met = pickAlong(set, from, sun);
    if (met) return met;
  }
  return null;
}

function luminanceAt({ width, height, linear }: { width: number; height: number; linear: Float32Array }, [u, v]: Vec2) {
  let sum = 0;
  for (let dy = -2; dy <= 2; dy++)
    for (let dx = -2; dx <= 2; dx++) {
      const x = Math.min(width - 1, Math.max(0, Math.floor(u) + dx));
      const y = Math.min(height - 1, Math.max(0, Math.floor(v) + dy));
      sum += linear[(y * width + x) * 3 + 1];
    }
  return sum;
}
