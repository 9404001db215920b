import type { Draft, Patch } from "immer";
import { applyPatches, enablePatches, produceWithPatches } from "immer";
import * as v from "valibot";
import { textUpTo } from "../text/storable.ts";
import { PatchesSchema, applyChecked } from "./patches.ts";
import type { Shot } from "./schema.ts";

enablePatches();

const Id = v.pipe(textUpTo(60), v.minLength(1));

/** A named change with its inverse. */
export const EditSchema = v.object({
  id: Id,
  name: v.pipe(textUpTo(120), v.minLength(1)),
  forward: PatchesSchema,
  inverse: PatchesSchema,
});
export type Edit = v.InferOutput<typeof EditSchema>;

/**
 * One step of work as it is saved: a new edit, or a step back or forth through the history. A step back or forth has an
 * id of its own beside that of the edit it means, so that one that arrives twice is known again.
 */
export const StepSchema = v.variant("kind", [
  v.object({ kind: v.literal("do"), edit: EditSchema }),
  v.object({ kind: v.literal("undo"), id: Id, step: Id }),
  v.object({ kind: v.literal("redo"), id: Id, step: Id }),
]);
export type Step = v.InferOutput<typeof StepSchema>;

/** What a step is known by when it arrives again. */
export const stepId = (step: Step): string => (step.kind === "do" ? step.edit.id : step.step);

/** A document with its history: what can be undone (newest last) and redone (next last). */
export interface Work {
  shot: Shot;
  undo: Edit[];
  redo: Edit[];
}

export const HISTORY_LIMIT = 100;

/** Makes an edit by changing a draft; null if nothing changed. */
export function makeEdit(shot: Shot, id: string, name: string, change: (draft: Draft<Shot>) => void): Edit | null {
  const [, forward, inverse] = produceWithPatches(shot, (draft) => {
    change(draft);
  });
  return forward.length === 0
    ? null
    : { id, name, forward: forward as Edit["forward"], inverse: inverse as Edit["inverse"] };
}

/** Applies an edit to a draft. Throws if its patches do not fit. */
export function applyEdit(draft: Draft<Shot>, edit: Edit): void {
  applyPatches(draft, edit.forward as Patch[]);
}

/**
 * The work after a step. A step back or forth names the edit it means; one that is not at the top of the history (as
 * after another tab's work) leaves the work as it is. Throws if the patches do not fit the document.
 */
export function takeStep(work: Work, step: Step): Work {
  if (step.kind === "do") {
    const undo = [...work.undo, step.edit].slice(-HISTORY_LIMIT);
    return { shot: applyChecked(work.shot, step.edit.forward), undo, redo: [] };
  }
  const from = step.kind === "undo" ? work.undo : work.redo;
  const edit = from[from.length - 1];
  if (!edit || edit.id !== step.id) return work;
  const rest = from.slice(0, -1);
  return step.kind === "undo"
    ? { shot: applyChecked(work.shot, edit.inverse), undo: rest, redo: [...work.redo, edit] }
    : { shot: applyChecked(work.shot, edit.forward), undo: [...work.undo, edit], redo: rest };
}

/** Patches that a step applies. */
export function stepPatches(work: Work, step: Step): Edit["forward"] {
  if (step.kind === "do") return step.edit.forward;
  const from = step.kind === "undo" ? work.undo : work.redo;
  const edit = from[from.length - 1];
  if (!edit || edit.id !== step.id) return [];
  return step.kind === "undo" ? edit.inverse : edit.forward;
}

/** True if two sets of patches touch the same thing: one path is the other or leads to it. */
export function clash(a: Edit["forward"], b: Edit["forward"]): boolean {
  return a.some((p) =>
    b.some((q) => {
      const n = Math.min(p.path.length, q.path.length);
      for (let i = 0; i < n; i++) if (p.path[i] !== q.path[i]) return false;
      return true;
    }),
  );
}

/**
 * Own unsaved steps moved onto others' work. Each must touch other things than theirs and still fit; null if one does
 * not (the caller then keeps its own state as a take).
 */
export function rebase(
  base: Work,
  theirs: Edit["forward"],
  mine: { step: Step; patches: Edit["forward"] }[],
): Work | null {
  let work = base;
  for (const { step, patches } of mine) {
    if (clash(patches, theirs)) return null;
    try {
      work = takeStep(work, step);
    } catch {
      return null;
    }
  }
  return work;
}
