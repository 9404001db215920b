import type { Vec2, Vec3 } from "#core/math/vec3";
import { add, dot, scale, sub } from "#core/math/vec3";
import type { Camera, Plane } from "#core/optics/camera";
import { pixelDirection, projectPoint } from "#core/optics/camera";
import { worldLine } from "./guides.ts";

/**
 * How the world is looked at: through the plate's camera, or from outside. Pixels are the plate's, or the window's when
 * looking from outside; everything that is drawn, pointed at or dragged goes through here.
 */
export interface Sight {
  /** Through the plate's camera: pixels are the plate's. */
  plate: boolean;
  eye: Vec3;
  project: (world: Vec3) => Vec2 | null;
  ray: (pixel: Vec2) => Ray;
  /** Pixels along a segment of the world. */
  line: (a: Vec3, b: Vec3, bends?: number) => Vec2[];
}

export interface Ray {
  from: Vec3;
  /** Of length 1. */
  direction: Vec3;
}

export const plateSight = (camera: Camera): Sight => ({
  plate: true,
  eye: camera.position,
  project: (world) => projectPoint(camera, world),
  ray: (pixel) => ({ from: camera.position, direction: pixelDirection(camera, pixel) }),
  line: (a, b, bends = 8) => worldLine(camera, a, b, bends),
});

/** Where a ray meets a plane before the eye, or null. */
export function onPlane({ from, direction }: Ray, { normal, offset }: Plane): Vec3 | null {
  const along = dot(normal, direction);
  if (Math.abs(along) < 1e-9) return null;
  const t = (offset - dot(normal, from)) / along;
  return t > 1e-6 ? add(from, scale(direction, t)) : null;
}

/** The point of a line nearest to a ray, as metres along its unit direction; null where they run parallel. */
export function onLine({ from, direction: ray }: Ray, point: Vec3, direction: Vec3): number | null {
  const w = sub(point, from);
  const b = dot(direction, ray);
  const c = dot(direction, direction);
  const denominator = c - b * b;
  if (denominator < 1e-9 * c) return null;
  return (b * dot(w, ray) - dot(w, direction)) / denominator;
}
