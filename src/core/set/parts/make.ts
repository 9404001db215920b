import type { Role } from "../roles.ts";
import { flagsOf } from "../roles.ts";
import type { Part } from "./index.ts";
import { PARTS } from "./index.ts";
import type { Shape } from "./kind.ts";

/** The figures of any kind of part. */
export type AnyShape = Part extends infer P ? (P extends Part ? Shape<P> : never) : never;

/** A new part; its role is its kind's own where none is given. */
export function makePart<S extends AnyShape>(
  id: string,
  name: string,
  shape: S,
  material: string,
  role: Role = PARTS[shape.kind].role ?? "catcher",
): Extract<Part, { kind: S["kind"] }> {
  const base = { id, name, flags: flagsOf(role), material, faceMaterials: {}, faceFlags: {}, muted: false };
  return { ...base, ...shape } as unknown as Extract<Part, { kind: S["kind"] }>;
}
