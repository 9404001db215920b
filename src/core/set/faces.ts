import type { Vec3 } from "../math/vec3.ts";
import { bareFacesOf } from "./bare.ts";
import type { Face } from "./face.ts";
import type { Part, SetRecord } from "./parts/index.ts";
import { withOpenings } from "./parts/opening.ts";

const whole = new WeakMap<SetRecord, Map<string, Face[]>>();

/**
 * Faces of a part in the world, with its openings cut out. Empty where what it stands on is gone. The same set gives
 * the same list.
 */
export function facesOf(set: SetRecord, id: string): Face[] {
  let known = whole.get(set);
  if (!known) whole.set(set, (known = new Map()));
  let faces = known.get(id);
  if (!faces) {
    const part = set[id];
    faces = part ? withOpenings(bareFacesOf(set, id), part, set) : [];
    known.set(id, faces);
  }
  return faces;
}

/** The two ends of a side of a part's face; null where part, face or side is gone. */
export function sideOf(set: SetRecord, at: { part: string; face: string; side: number }): [Vec3, Vec3] | null {
  const ring = bareFacesOf(set, at.part).find((face) => face.id === at.face)?.rings[0];
  if (!ring || at.side >= ring.length) return null;
  return [ring[at.side], ring[(at.side + 1) % ring.length]];
}

/** Every face of the set that counts, with its part. */
export function* allFaces(set: SetRecord): Generator<{ part: Part; face: Face }> {
  for (const part of Object.values(set)) {
    if (part.muted) continue;
    for (const face of facesOf(set, part.id)) yield { part, face };
  }
}
