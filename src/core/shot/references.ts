import type { Finding } from "../match/request.ts";
import { uncountedLengths } from "../match/requestOfShot.ts";
import { partFrom } from "../light/alike.ts";
import type { Source } from "../light/schema.ts";
import { kindOf } from "../set/parts/index.ts";
import type { Shot } from "./schema.ts";

/** Who points at whom in the document. The one owner of that: deleting asks here, and what points at nothing is a finding. */

export interface Reference {
  /** Id of what points, and what it is called. */
  from: string;
  name: string;
  /** What it needs the other for. */
  as: "stands on" | "rests on" | "has a piece from" | "lies on" | "is made of" | "is made of, beyond the set";
}

/** What points at a thing, by its id. */
export function referencesTo(shot: Shot, id: string): Reference[] {
  const found: Reference[] = [];
  for (const part of Object.values(shot.set)) {
    const { name } = part;
    if (kindOf(part).on?.(part).includes(id)) found.push({ from: part.id, name, as: "stands on" });
    if (kindOf(part).uses?.(part).includes(id)) found.push({ from: part.id, name, as: "has a piece from" });
    if (part.material === id || Object.values(part.faceMaterials).includes(id))
      found.push({ from: part.id, name, as: "is made of" });
  }
  for (const length of Object.values(shot.lengths))
    if (length.on === id) found.push({ from: length.id, name: length.name || length.id, as: "lies on" });
  for (const prop of Object.values(shot.props))
    if (prop.stands && (prop.stands.on === "prop" ? prop.stands.prop : prop.stands.part) === id)
      found.push({ from: prop.id, name: prop.name, as: "rests on" });
  if (shot.ground === id) found.push({ from: "ground", name: "The ground", as: "is made of, beyond the set" });
  return found;
}

/** Parts that cannot stay when a part goes, since they stand on it; with it, the last first. */
export function fallsWith(shot: Shot, id: string): string[] {
  const gone = [id];
  for (const at of gone)
    for (const { from, as } of referencesTo(shot, at)) if (as === "stands on" && !gone.includes(from)) gone.push(from);
  return gone.reverse();
}

/** Removes a part of the set from a draft, with what stands on it. */
export function removePart(draft: Shot, id: string): void {
  for (const gone of fallsWith(draft, id)) {
    delete draft.set[gone];
    for (const part of Object.values(draft.set)) kindOf(part).forget?.(part, gone);
    standFree(draft, gone);
  }
}

/** What rested on something that goes stays where it is, and stands free. */
function standFree(draft: Shot, gone: string): void {
  for (const { from, as } of referencesTo(draft, gone)) if (as === "rests on") draft.props[from].stands = null;
}

/** Removes a prop from a draft. */
export function removeProp(draft: Shot, id: string): void {
  standFree(draft, id);
  for (const source of sourcesOf(draft)) source.except = source.except.filter((prop) => prop !== id);
  delete draft.props[id];
}

/** Removes a lamp from a draft; those that shine like it stay alike. */
export function removeLamp({ light }: Pick<Shot, "light">, id: string): void {
  partFrom(light.lamps, id);
  delete light.lamps[id];
}

/** Every light of a shot, with what all of them have. */
export const sourcesOf = ({ light }: Pick<Shot, "light">): Source[] => [
  light.sun,
  light.sky,
  ...Object.values(light.lamps),
];

/** A copy of a prop is left out by the lights that leave out the prop. */
export function followCopy(draft: Pick<Shot, "light">, prop: string, copy: string): void {
  for (const { except } of sourcesOf(draft)) if (except.includes(prop)) except.push(copy);
}

/**
 * Props that move when one is moved: those chosen beside it, those of their groups, and whatever rests on any of them.
 * Itself first.
 */
export function movesWith(shot: Pick<Shot, "props">, id: string, beside: readonly string[] = []): string[] {
  const begun = [...new Set([id, ...beside])].filter((at) => shot.props[at]);
  const groups = new Set(begun.flatMap((at) => shot.props[at].group ?? []));
  const moved = [...begun];
  const add = (other: string) => void (moved.includes(other) || moved.push(other));
  for (const prop of Object.values(shot.props)) if (prop.group && groups.has(prop.group)) add(prop.id);
  for (const at of moved)
    for (const prop of Object.values(shot.props)) {
      if (prop.stands?.on === "prop" && prop.stands.prop === at) add(prop.id);
    }
  return moved;
}

/** Removes a material from a draft: what was made of it is then made of another. */
export function removeMaterial(draft: Shot, id: string, instead: string): void {
  for (const part of Object.values(draft.set)) {
    if (part.material === id) part.material = instead;
    for (const [face, of] of Object.entries(part.faceMaterials)) if (of === id) delete part.faceMaterials[face];
  }
  if (draft.ground === id) draft.ground = instead;
  delete draft.materials[id];
}

/** What points at something that is gone, by name. */
export function danglingFindings(shot: Shot): Finding[] {
  const findings = uncountedLengths(shot);
  const say = (id: string, message: string) =>
    findings.push({ code: "reference-gone", severity: "warning", message, ids: [id] });
  for (const part of Object.values(shot.set)) {
    const missing = (kindOf(part).on?.(part) ?? []).filter((on) => !shot.set[on]);
    if (missing.length > 0) say(part.id, `${part.name} stands on something that is gone. Delete it, or draw it anew.`);
    const made = [part.material, ...Object.values(part.faceMaterials)];
    if (made.some((of) => !shot.materials[of]))
      say(part.id, `${part.name} is made of a material that is gone, and is left out. Choose another one.`);
  }
  if (!shot.materials[shot.ground])
    say("ground", "The ground beyond the set is made of a material that is gone. Choose another one.");
  return findings;
}
