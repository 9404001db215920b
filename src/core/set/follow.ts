import type { Vec3 } from "../math/vec3.ts";
import { dot } from "../math/vec3.ts";
import type { Camera } from "../optics/camera.ts";
import { pixelOnPlane } from "../optics/camera.ts";
import type { SetRecord } from "./parts/index.ts";
import { kindOf } from "./parts/index.ts";
import type { SetVertex } from "./vertex.ts";

/** A vertex that a new camera moves. */
export interface VertexMove {
  part: string;
  name: string;
  vertex: SetVertex;
  before: Vec3;
  after: Vec3;
  /** Its pixel no longer meets its plane: it keeps its metres. */
  lost: boolean;
}

/**
 * Where the set's vertices go under another camera: those placed on the plate follow it on their own planes, typed ones
 * stay. Nothing is changed: openings stand on what moves with them.
 */
export function followCamera(set: SetRecord, camera: Camera): VertexMove[] {
  return Object.values(set).flatMap((part) => {
    const placed = kindOf(part).vertices(part, set);
    return placed.map(({ vertex, normal }, i): VertexMove => {
      const before = [...vertex.world] as Vec3;
      const plane = { normal, offset: dot(normal, before) };
      const after = vertex.pixel ? pixelOnPlane(camera, vertex.pixel, plane) : before;
      const name = placed.length > 1 ? `${part.name}, corner ${i + 1}` : part.name;
      return { part: part.id, name, vertex, before, after: after ?? before, lost: after === null };
    });
  });
}

/** Turns the whole set: directions and points by one map each, in place. */
export function turnSet(set: SetRecord, move: (p: Vec3) => Vec3): void {
  for (const part of Object.values(set)) {
    const kind = kindOf(part);
    for (const { vertex } of kind.vertices(part, set)) vertex.world = move(vertex.world as Vec3);
    kind.turn?.(part, move);
  }
}
