import type { SetMaterial } from "./materials.ts";
import type { Part, SetRecord } from "./parts/index.ts";
import { kindOf } from "./parts/index.ts";
import type { Flags } from "./roles.ts";

/** What a face is made of and what it is for: its own word, else that of the face it is like, else its part's. */

/** Key under which a part keeps material and role of a face. */
export const faceKey = (part: Part, face: string): string => kindOf(part).groupOf?.(face) ?? face;

/** Id of the material of a face. */
export function materialIdOf(set: SetRecord, part: Part, face: string): string {
  const own = part.faceMaterials[faceKey(part, face)];
  if (own !== undefined) return own;
  const like = kindOf(part).faceLike?.(part, face);
  const other = like && set[like.part];
  return (other && other.faceMaterials[faceKey(other, like.face)]) ?? part.material;
}

export const flagsAt = (part: Part, face: string): Flags => part.faceFlags[faceKey(part, face)] ?? part.flags;

/** True if the camera sees a face as plate. */
export const isSeen = (part: Part, face: string): boolean => flagsAt(part, face).seen;

/** The material of a face; undefined where that is gone. */
export const materialAt = (
  { set, materials }: { set: SetRecord; materials: Record<string, SetMaterial> },
  part: Part,
  face: string,
): SetMaterial | undefined => materials[materialIdOf(set, part, face)];
