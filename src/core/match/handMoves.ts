import type { Mat3, Vec2, Vec3 } from "../math/vec3.ts";
import {
  add,
  applyTransposed,
  cross,
  dot,
  length,
  multiply,
  normalize,
  rotationFromVector,
  scale,
  sub,
  transpose,
} from "../math/vec3.ts";
import type { Camera } from "../optics/camera.ts";
import {
  orientationAngles,
  pixelDirection,
  pixelToTangent,
  projectPoint,
  rotationFromAngles,
} from "../optics/camera.ts";

/** Moves of a camera that is matched by hand. Each gives a new camera; held points keep their pixel exactly. */

/** World rotation by `angle` radians about a unit axis. */
const about = (axis: Vec3, angle: number): Mat3 => rotationFromVector(scale(axis, angle));

/** The camera with its world turned: `turn` is applied to world directions. */
const turned = (rotation: Mat3, turn: Mat3): Mat3 => multiply(rotation, transpose(turn));

/** Turns the camera so that what was at pixel `from` comes to pixel `to`, by the shortest turn. */
export function slidePicture(camera: Camera, from: Vec2, to: Vec2): Camera {
  const a = pixelDirection(camera, from);
  const b = pixelDirection(camera, to);
  const axis = cross(b, a);
  const s = length(axis);
  if (s < 1e-12) return camera;
  const angle = Math.atan2(s, dot(a, b));
  return { ...camera, rotation: turned(camera.rotation, about(scale(axis, 1 / s), angle)) };
}

/** Turns the camera about its own place so that a world point comes to a pixel. */
export function aimAt(camera: Camera, point: Vec3, pixel: Vec2): Camera {
  const have = normalize(sub(point, camera.position));
  const want = pixelDirection(camera, pixel);
  const axis = cross(want, have);
  const s = length(axis);
  if (s < 1e-12) return camera;
  const angle = Math.atan2(s, dot(have, want));
  return { ...camera, rotation: turned(camera.rotation, about(scale(axis, 1 / s), angle)) };
}

/** Carries the camera around a world point about an axis through it: the point keeps its pixel and its distance. */
export function orbit(camera: Camera, point: Vec3, axis: Vec3, angle: number): Camera {
  const turn = about(normalize(axis), angle);
  const arm = sub(camera.position, point);
  return {
    ...camera,
    position: add(point, [dot(turn[0], arm), dot(turn[1], arm), dot(turn[2], arm)]),
    rotation: turned(camera.rotation, turn),
  };
}

/** Rolls the camera, clockwise, about the ray through a world point: the point keeps its pixel. */
export function rollAbout(camera: Camera, point: Vec3, angle: number): Camera {
  return { ...camera, rotation: turned(camera.rotation, about(normalize(sub(point, camera.position)), angle)) };
}

/** Rolls the camera about its optical axis, clockwise as seen in the picture. */
export function roll(camera: Camera, angle: number): Camera {
  return { ...camera, rotation: turned(camera.rotation, about(camera.rotation[2], angle)) };
}

/** Moves the camera along the ray through a point to `factor` times its distance: the point keeps its pixel. */
export function approach(camera: Camera, point: Vec3, factor: number): Camera {
  return { ...camera, position: add(point, scale(sub(camera.position, point), factor)) };
}

/**
 * Changes focal length and distance together by `factor`: a point keeps its pixel, and what stands at its depth its
 * size; only the perspective changes.
 */
export function focalWithDistance(camera: Camera, point: Vec3, factor: number): Camera {
  const pixel = projectPoint(camera, point);
  const depth = dot(camera.rotation[2], sub(point, camera.position)) * factor;
  const next = { ...camera, focalPx: camera.focalPx * factor };
  if (!pixel) return next;
  // The ray of the same pixel through the new lens, run back from the point by the new depth.
  const [x, y] = pixelToTangent(next, pixel);
  return { ...next, position: sub(point, applyTransposed(camera.rotation, [x * depth, y * depth, depth])) };
}

/** Changes the focal length alone; a held point is brought back to its pixel by turning. */
export function zoomLens(camera: Camera, factor: number, hold: { point: Vec3; pixel: Vec2 } | null): Camera {
  const next = { ...camera, focalPx: camera.focalPx * factor };
  return hold ? aimAt(next, hold.point, hold.pixel) : next;
}

/**
 * Walks: metres forward and to the right on the level, and up. A held point is kept on its pixel by turning, unless the
 * rotation is locked.
 */
export function walk(
  camera: Camera,
  step: { forward?: number; right?: number; up?: number },
  hold: { point: Vec3; pixel: Vec2 } | null,
  turns: boolean,
): Camera {
  const { heading } = orientationAngles(camera.rotation);
  const forward: Vec3 = [Math.sin(heading), Math.cos(heading), 0];
  const right: Vec3 = [Math.cos(heading), -Math.sin(heading), 0];
  let position = add(camera.position, scale(forward, step.forward ?? 0));
  position = add(position, scale(right, step.right ?? 0));
  position = add(position, [0, 0, step.up ?? 0]);
  const next = { ...camera, position };
  return hold && turns ? aimAt(next, hold.point, hold.pixel) : next;
}

/**
 * Moves the horizon by pixels (down is positive) at the frame's middle by tilting; the heights of things against it, and
 * so the camera's height, are then judged anew. Roll stays.
 */
export function moveHorizon(camera: Camera, pixels: number): Camera {
  const angles = orientationAngles(camera.rotation);
  const tilt = Math.atan(Math.tan(angles.tilt) + pixels / camera.focalPx);
  return { ...camera, rotation: rotationFromAngles({ ...angles, tilt }) };
}

/** Puts the camera upright (no roll), or level as well (no tilt). */
export function straighten(camera: Camera, level: boolean): Camera {
  const { heading, tilt } = orientationAngles(camera.rotation);
  return { ...camera, rotation: rotationFromAngles({ heading, tilt: level ? 0 : tilt, roll: 0 }) };
}

/** Metres by which a pixel step moves something at the distance of a point: the size of a nudge on the screen. */
export function metresPerPixel(camera: Camera, point: Vec3): number {
  const depth = dot(camera.rotation[2], sub(point, camera.position));
  return Math.max(1e-6, Math.abs(depth)) / camera.focalPx;
}

/** A camera to begin with where nothing is known: level, at eye height, looking along +Y with a normal lens. */
export function plainCamera(frame: { width: number; height: number }, focalPx: number | null): Camera {
  return {
    focalPx: focalPx ?? Math.hypot(frame.width, frame.height) * 0.81,
    principal: [frame.width / 2, frame.height / 2],
    distortion: { k1: 0, k2: 0, k3: 0, p1: 0, p2: 0 },
    rotation: rotationFromAngles({ heading: 0, tilt: -0.08, roll: 0 }),
    position: [0, -4, 1.6],
  };
}

/** The world direction that the camera's own axis number `i` (right, down, forward) has. */
export const ownAxis = (camera: Camera, i: 0 | 1 | 2): Vec3 =>
  applyTransposed(camera.rotation, [i === 0 ? 1 : 0, i === 1 ? 1 : 0, i === 2 ? 1 : 0]);
