import type { Mat3, Vec2, Vec3 } from "../math/vec3.ts";
import { add, apply, applyTransposed, dot, normalize, scale, sub, toDegrees } from "../math/vec3.ts";
import type { Distortion } from "./distortion.ts";
import { distort, undistort } from "./distortion.ts";

/**
 * The camera of a plate. `rotation` is world to camera (x right, y down, z forward), `position` the centre in the
 * world (metres, Z up), `focalPx` and `principal` are in plate pixels whose first centre is (0.5, 0.5).
 */
export interface Camera {
  focalPx: number;
  principal: Vec2;
  distortion: Distortion;
  rotation: Mat3;
  position: Vec3;
}

/** What of a camera bends and scales the picture. */
export type Lens = Pick<Camera, "focalPx" | "principal" | "distortion">;

/** Width and height of a plate in pixels. */
export interface Frame {
  width: number;
  height: number;
}

/** Undistorted coordinates (x/z, y/z) of a plate pixel. */
export function pixelToTangent(camera: Lens, pixel: Vec2): Vec2 {
  return undistort(camera.distortion, [
    (pixel[0] - camera.principal[0]) / camera.focalPx,
    (pixel[1] - camera.principal[1]) / camera.focalPx,
  ]);
}

/** Plate pixel of undistorted coordinates. */
export function tangentToPixel(camera: Lens, tangent: Vec2): Vec2 {
  const d = distort(camera.distortion, tangent);
  return [d[0] * camera.focalPx + camera.principal[0], d[1] * camera.focalPx + camera.principal[1]];
}

/** World direction, of length 1, of the ray through a plate pixel. */
export function pixelDirection(camera: Camera, pixel: Vec2): Vec3 {
  const [x, y] = pixelToTangent(camera, pixel);
  return normalize(applyTransposed(camera.rotation, [x, y, 1]));
}

/** World point in camera coordinates. */
export function toCamera(camera: Camera, point: Vec3): Vec3 {
  return apply(camera.rotation, sub(point, camera.position));
}

/** Plate pixel of a world point, or null if it is not in front of the camera. */
export function projectPoint(camera: Camera, point: Vec3): Vec2 | null {
  const c = toCamera(camera, point);
  if (c[2] <= 1e-9) return null;
  return tangentToPixel(camera, [c[0] / c[2], c[1] / c[2]]);
}

/** A plane: points p with normal . p = offset. */
export interface Plane {
  normal: Vec3;
  offset: number;
}

export const groundPlane = (height = 0): Plane => ({ normal: [0, 0, 1], offset: height });

/** Where the ray through a pixel meets a plane in front of the camera, or null. */
export function pixelOnPlane(camera: Camera, pixel: Vec2, plane: Plane): Vec3 | null {
  const d = pixelDirection(camera, pixel);
  const along = dot(plane.normal, d);
  if (Math.abs(along) < 1e-9) return null;
  const t = (plane.offset - dot(plane.normal, camera.position)) / along;
  return t > 1e-6 ? add(camera.position, scale(d, t)) : null;
}

/** The point of the line `point + s * direction` nearest to the ray through a pixel, as s; null where they run parallel. */
export function pixelOnLine(camera: Camera, pixel: Vec2, point: Vec3, direction: Vec3): number | null {
  const ray = pixelDirection(camera, pixel);
  const w = sub(point, camera.position);
  const b = dot(direction, ray);
  const c = dot(direction, direction);
  const denominator = c - b * b;
  if (denominator < 1e-9 * c) return null;
  return (b * dot(w, ray) - dot(w, direction)) / denominator;
}

/** Fields of view of the undistorted lens, edge to edge through the principal point, in radians. */
export function fieldsOfView(camera: Pick<Camera, "focalPx" | "principal">, frame: Frame) {
  const { focalPx, principal } = camera;
  const span = (near: number, far: number) => Math.atan(near / focalPx) + Math.atan(far / focalPx);
  return {
    horizontal: span(principal[0], frame.width - principal[0]),
    vertical: span(principal[1], frame.height - principal[1]),
    diagonal: 2 * Math.atan(Math.hypot(frame.width, frame.height) / 2 / focalPx),
  };
}

/** Tilt (upwards positive), roll (clockwise in the picture positive) and heading (clockwise from +Y), in radians. */
export function orientationAngles(rotation: Mat3) {
  const forward = rotation[2];
  const right = rotation[0];
  return {
    tilt: Math.asin(Math.max(-1, Math.min(1, forward[2]))),
    // Seen in the picture, a camera turned clockwise has its right side lower.
    roll: Math.atan2(-right[2], -rotation[1][2]),
    heading: Math.atan2(forward[0], forward[1]),
  };
}

/** World-to-camera rotation of a camera with the given heading, tilt and roll (radians): inverse of `orientationAngles`. */
export function rotationFromAngles(angles: { heading: number; tilt: number; roll: number }): Mat3 {
  const { heading, tilt, roll } = angles;
  const ch = Math.cos(heading);
  const sh = Math.sin(heading);
  const ct = Math.cos(tilt);
  const st = Math.sin(tilt);
  const cr = Math.cos(roll);
  const sr = Math.sin(roll);
  const right: Vec3 = [ch, -sh, 0];
  const down: Vec3 = [st * sh, st * ch, -ct];
  const forward: Vec3 = [ct * sh, ct * ch, st];
  return [add(scale(right, cr), scale(down, sr)), sub(scale(down, cr), scale(right, sr)), forward];
}

/**
 * 35 mm equivalents of a focal length in pixels. `diagonal` counts by the diagonal of 36 x 24 mm (43.27 mm, CIPA
 * DC-008 / EXIF FocalLengthIn35mmFilm), `width` by the width of 36 mm, as much of the trade does.
 */
export function equivalents35mm(focalPx: number, frame: Frame) {
  return {
    diagonal: (focalPx * Math.hypot(36, 24)) / Math.hypot(frame.width, frame.height),
    width: (focalPx * 36) / Math.max(frame.width, frame.height),
  };
}

/** Focal length in pixels of a 35 mm equivalent counted by the diagonal, as EXIF means it. */
export const focalFromEquivalent = (equivalentMm: number, frame: Frame): number =>
  (equivalentMm * Math.hypot(frame.width, frame.height)) / Math.hypot(36, 24);

/** Heading, tilt and roll in degrees, for reading. */
export function orientationDegrees(rotation: Mat3) {
  const a = orientationAngles(rotation);
  return { tilt: toDegrees(a.tilt), roll: toDegrees(a.roll), heading: toDegrees(a.heading) };
}
