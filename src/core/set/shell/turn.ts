import { bareFacesOf } from "../bare.ts";
import type { Face } from "../face.ts";
import type { Part, SetRecord } from "../parts/index.ts";
import { kindOf } from "../parts/index.ts";
import type { Shell } from "../parts/shell.ts";
import { MOST_FACES } from "../parts/shell.ts";
import { flagsAt, materialIdOf } from "../surface.ts";
import type { Body } from "./make.ts";
import { bodyOf } from "./make.ts";

/** A part as a shell of the same faces, with their ids, so that openings and materials stay on them. A sentence where it has none. */
export function asShell(set: SetRecord, id: string): Shell | string {
  const part = set[id];
  if (!part) return "That part is gone.";
  if (part.kind === "shell") return part;
  if (part.kind === "opening") return "An opening is no shell. Turn the part that it is cut into into one.";
  const faces = bareFacesOf(set, id);
  if (faces.length === 0) return `${part.name} has no faces: what it stands on is gone.`;
  const placed = kindOf(part)
    .vertices(part, set)
    .map(({ vertex }) => vertex);
  if (faces.length > MOST_FACES)
    return `${part.name} has ${faces.length.toLocaleString("en")} faces; a shell may have ${MOST_FACES.toLocaleString("en")}. It stays as it is.`;
  const { name, flags, material, muted } = part;
  return { id, name, flags, material, ...surfacesOf(set, part, faces), muted, kind: "shell", ...bodyOf(faces, placed) };
}

/** Material and role of every face that has others than its part: of a mesh, or of what a row repeats. */
function surfacesOf(set: SetRecord, part: Part, faces: readonly Face[]): Pick<Shell, "faceMaterials" | "faceFlags"> {
  const faceMaterials: Shell["faceMaterials"] = {};
  const faceFlags: Shell["faceFlags"] = {};
  for (const { id } of faces) {
    const material = materialIdOf(set, part, id);
    if (material !== part.material) faceMaterials[id] = material;
    const flags = flagsAt(part, id);
    if (flags !== part.flags) faceFlags[id] = flags;
  }
  return { faceMaterials, faceFlags };
}

/** The same shell with another body; materials of faces that are gone are dropped. */
export function withBody(shell: Shell, body: Body): Shell {
  const kept = <T>(of: Record<string, T>) =>
    Object.fromEntries(Object.entries(of).filter(([face]) => body.faces[face])) as Record<string, T>;
  return { ...shell, ...body, faceMaterials: kept(shell.faceMaterials), faceFlags: kept(shell.faceFlags) };
}

/** True for a part that can be turned into a shell. */
export const turnsIntoShell = (part: Part): boolean => part.kind !== "shell" && part.kind !== "opening";
