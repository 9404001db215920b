import type { Patch } from "immer";
import { applyPatches, enablePatches, produce } from "immer";
import * as v from "valibot";

enablePatches();

/** Changes of a document by path, and what is checked of them before any is applied. */

const MOST = { depth: 16, key: 60, patches: 20_000, values: 200_000 };

const KeySchema = v.union([
  v.pipe(v.string(), v.maxLength(MOST.key, "is too long")),
  v.pipe(v.number(), v.integer("is not an index"), v.minValue(0, "is not an index")),
]);

export const PatchSchema = v.object({
  op: v.picklist(["add", "replace", "remove"]),
  path: v.pipe(v.array(KeySchema), v.minLength(1, "names nothing"), v.maxLength(MOST.depth, "is too deep")),
  value: v.optional(v.any()),
});
export const PatchesSchema = v.pipe(v.array(PatchSchema), v.maxLength(MOST.patches, "has too many changes"));
export type DocumentPatch = v.InferOutput<typeof PatchSchema>;

/** Why a change does not fit its document. */
export class PatchError extends Error {}

const OUTSIDE = new Set(["__proto__", "constructor", "prototype"]);

/** The parts of a value, itself included; throws PatchError where it is deeper or larger than any part of a document. */
function countValues(value: unknown): number {
  const open: [unknown, number][] = [[value, 0]];
  let count = 0;
  for (let next = open.pop(); next; next = open.pop()) {
    const [part, depth] = next;
    if (++count > MOST.values) throw new PatchError("a change holds too much at once");
    if (typeof part !== "object" || part === null) continue;
    if (depth >= MOST.depth) throw new PatchError("a change is nested too deep");
    if (!Array.isArray(part) && Object.keys(part).some((key) => OUTSIDE.has(key))) {
      throw new PatchError("a change names what is no field");
    }
    const inner: unknown[] = Array.isArray(part) ? part : Object.values(part);
    if (count + open.length + inner.length > MOST.values) throw new PatchError("a change holds too much at once");
    for (const p of inner) open.push([p, depth + 1]);
  }
  return count;
}

/** Checks that a patch names a place that the document has. Throws PatchError. */
function checkPlace(document: object, { op, path }: DocumentPatch): void {
  let holder: unknown = document;
  for (const [i, key] of path.entries()) {
    if (OUTSIDE.has(String(key))) throw new PatchError(`“${key}” is no field`);
    if (typeof holder !== "object" || holder === null)
      throw new PatchError(`there is no ${path.slice(0, i).join(".")}`);
    if (Array.isArray(holder)) {
      const index = typeof key === "number" ? key : /^\d{1,9}$/.test(key) ? Number(key) : -1;
      const most = op === "add" && i === path.length - 1 ? holder.length : holder.length - 1;
      if (index < 0 || index > most) throw new PatchError(`${path.slice(0, i).join(".")} has no place “${key}”`);
    }
    holder = Object.hasOwn(holder, key) ? (holder as Record<string | number, unknown>)[key] : undefined;
  }
}

/**
 * The document after its patches, each checked against what those before it have left: places that are there, arrays
 * that grow by one at a time and never by their `length`, values of bounded depth and size. Throws PatchError.
 */
export function applyChecked<T extends object>(document: T, patches: readonly DocumentPatch[]): T {
  let total = 0;
  for (const { op, value } of patches) {
    if (op !== "remove") total += countValues(value);
    if (total > MOST.values) throw new PatchError("the changes hold too much at once");
  }
  return produce(document, (draft) => {
    for (const patch of patches) {
      checkPlace(draft, patch);
      applyPatches(draft, [patch as Patch]);
    }
  });
}
