import type { Mat3, Vec2, Vec3 } from "../math/vec3.ts";
import { apply, applyTransposed, multiply, rotationFromVector, scale } from "../math/vec3.ts";
import type { Camera } from "../optics/camera.ts";
import { pixelToTangent } from "../optics/camera.ts";

/**
 * What is solved for. The camera's place is held in one of three ways: straight above the origin, by the pixel that
 * shows the origin, or free.
 */
export interface State {
  camera: Camera;
  /** Directions of level and free families, world unit vectors, by name. */
  families: Map<string, Vec3>;
}

export type PlaceMode = "above" | "origin" | "free";

export interface Unknowns {
  focal: boolean;
  principal: boolean;
  k1: boolean;
  k2: boolean;
  mode: PlaceMode;
  /** The camera's distance from the ground is among the unknowns; otherwise it is held. */
  scale: boolean;
  origin: Vec2 | null;
  levels: string[];
  frees: string[];
}

/** Number of unknowns; the first three turn the camera about its own axes, the fourth is the log focal length if solved. */
export function unknownCount(u: Unknowns): number {
  return (
    3 +
    (u.focal ? 1 : 0) +
    (u.principal ? 2 : 0) +
    (u.k1 ? 1 : 0) +
    (u.k2 ? 1 : 0) +
    (u.mode === "free" ? 2 : 0) +
    (u.scale ? 1 : 0) +
    u.levels.length +
    2 * u.frees.length
  );
}

/** Index of the focal length among the unknowns. */
export const FOCAL_INDEX = 3;

/** Steps of numeric derivatives. */
export function unknownSteps(u: Unknowns, state: State): Float64Array {
  const steps: number[] = [1e-6, 1e-6, 1e-6];
  if (u.focal) steps.push(1e-6);
  if (u.principal) steps.push(state.camera.focalPx * 1e-6, state.camera.focalPx * 1e-6);
  if (u.k1) steps.push(1e-6);
  if (u.k2) steps.push(1e-6);
  const reach = Math.max(1e-3, Math.hypot(...state.camera.position)) * 1e-6;
  if (u.mode === "free") steps.push(reach, reach);
  if (u.scale) steps.push(u.mode === "free" ? reach : 1e-6);
  for (let i = 0; i < u.levels.length + 2 * u.frees.length; i++) steps.push(1e-6);
  return Float64Array.from(steps);
}

/** The state moved by `step` in the order of `unknownSteps`. */
export function moved(u: Unknowns, state: State, step: ArrayLike<number>): State {
  const { camera } = state;
  const rotation = multiply(rotationFromVector([step[0], step[1], step[2]]), camera.rotation);
  let i = 3;
  const focalPx = u.focal ? camera.focalPx * Math.exp(step[i++]) : camera.focalPx;
  const principal: Vec2 = u.principal
    ? [camera.principal[0] + step[i++], camera.principal[1] + step[i++]]
    : camera.principal;
  let distortion = camera.distortion;
  if (u.k1) distortion = { ...distortion, k1: distortion.k1 + step[i++] };
  if (u.k2) distortion = { ...distortion, k2: distortion.k2 + step[i++] };
  const next: Camera = { focalPx, principal, distortion, rotation, position: camera.position };
  if (u.mode === "free") {
    const [x, y, z] = camera.position;
    next.position = [x + step[i], y + step[i + 1], u.scale ? z + step[i + 2] : z];
    i += u.scale ? 3 : 2;
  } else {
    const height = camera.position[2] * (u.scale ? Math.exp(step[i++]) : 1);
    next.position = placeAtHeight(next, height, u.origin);
  }
  let families = state.families;
  if (u.levels.length + u.frees.length > 0) {
    families = new Map(families);
    for (const name of u.levels) {
      const [x, y] = families.get(name)!;
      const [c, s] = [Math.cos(step[i]), Math.sin(step[i])];
      families.set(name, [x * c - y * s, x * s + y * c, 0]);
      i++;
    }
    for (const name of u.frees) {
      const d = families.get(name)!;
      families.set(name, apply(rotationFromVector(acrossBy(d, step[i], step[i + 1])), d));
      i += 2;
    }
  }
  return { camera: next, families };
}

/** Rotation vector across the direction `d`. */
function acrossBy(d: Vec3, a: number, b: number): Vec3 {
  const pick: Vec3 = Math.abs(d[2]) < 0.8 ? [0, 0, 1] : [1, 0, 0];
  const e: Vec3 = [d[1] * pick[2] - d[2] * pick[1], d[2] * pick[0] - d[0] * pick[2], d[0] * pick[1] - d[1] * pick[0]];
  const l = Math.hypot(...e);
  const e1: Vec3 = scale(e, 1 / l);
  const e2: Vec3 = [d[1] * e1[2] - d[2] * e1[1], d[2] * e1[0] - d[0] * e1[2], d[0] * e1[1] - d[1] * e1[0]];
  return [a * e1[0] + b * e2[0], a * e1[1] + b * e2[1], a * e1[2] + b * e2[2]];
}

/** Camera centre at `height` such that `origin` (or the foot of the vertical) shows the world's origin. */
export function placeAtHeight(
  camera: Pick<Camera, "focalPx" | "principal" | "distortion"> & { rotation: Mat3; position: Vec3 },
  height: number,
  origin: Vec2 | null,
): Vec3 {
  if (!origin) return [0, 0, height];
  const [x, y] = pixelToTangent(camera, origin);
  const ray = applyTransposed(camera.rotation, [x, y, 1]);
  // Above the horizon there is no such place; the limit keeps the step finite and the residuals bad.
  const s = height / Math.max(1e-6, -ray[2]);
  return [-s * ray[0], -s * ray[1], height];
}
