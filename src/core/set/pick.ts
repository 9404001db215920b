import type { Vec2, Vec3 } from "../math/vec3.ts";
import { add, scale } from "../math/vec3.ts";
import type { Camera } from "../optics/camera.ts";
import { pixelDirection } from "../optics/camera.ts";
import type { Face } from "./face.ts";
import type { Part, SetRecord } from "./parts/index.ts";
import { isSeen } from "./surface.ts";
import { nearestFace } from "./tree.ts";

export interface Picked {
  part: Part;
  face: Face;
  world: Vec3;
  /** Metres along the ray, of a direction of length 1. */
  distance: number;
}

/** The nearest face that a ray meets, among the parts that are asked for; null for none. */
export function pickAlong(
  set: SetRecord,
  from: Vec3,
  direction: Vec3,
  counts: (part: Part, face: string) => boolean = () => true,
): Picked | null {
  const met = nearestFace(set, from, direction, counts);
  return met && { ...met, world: add(from, scale(direction, met.distance)) };
}

/** The face that the camera sees at a plate pixel; null for none. */
export const pickFace = (set: SetRecord, camera: Camera, pixel: Vec2): Picked | null =>
  pickAlong(set, camera.position, pixelDirection(camera, pixel), isSeen);
