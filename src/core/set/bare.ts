import type { Face } from "./face.ts";
import type { Part, SetRecord } from "./parts/index.ts";
import { kindOf } from "./parts/index.ts";

/** Faces of parts that stand on nothing, by the part itself: documents are never changed in place. */
const own = new WeakMap<Part, Face[]>();
/** Parts whose faces are being asked for: what leads back to itself finds nothing. */
const asking = new Set<string>();

/** Faces of a part before openings are cut into them; empty where what it stands on is gone. */
export function bareFacesOf(set: SetRecord, id: string): Face[] {
  const part = set[id];
  if (!part || asking.has(id)) return [];
  const kind = kindOf(part);
  const stands = kind.on !== undefined && kind.on(part).length > 0;
  const known = stands ? undefined : own.get(part);
  if (known) return known;
  asking.add(id);
  try {
    const faces = kind.faces(part, set);
    if (!stands && kind.ready?.(part) !== false) own.set(part, faces);
    return faces;
  } finally {
    asking.delete(id);
  }
}
