import type { Vec2, Vec3 } from "../math/vec3.ts";
import { add, scale } from "../math/vec3.ts";
import type { Camera } from "../optics/camera.ts";
import { pixelDirection } from "../optics/camera.ts";
import type { Face } from "./face.ts";
import { rayMeets } from "./face.ts";
import { allFaces } from "./faces.ts";
import type { Part, SetRecord } from "./parts/index.ts";
import { isSeen } from "./surface.ts";

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
  let best: Picked | null = null;
  for (const { part, face } of allFaces(set)) {
    if (!counts(part, face.id)) continue;
    const distance = rayMeets(face, from, direction);
    if (distance === null || (best && distance >= best.distance)) continue;
    best = { part, face, distance, world: add(from, scale(direction, distance)) };
  }
  return best;
}

/** The face that the camera sees at a plate pixel; null for none. */
export const pickFace = (set: SetRecord, camera: Camera, pixel: Vec2): Picked | null =>
  pickAlong(set, camera.position, pixelDirection(camera, pixel), isSeen);
