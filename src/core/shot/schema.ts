import * as v from "valibot";
import { compEntries, newComp } from "../comp/schema.ts";
import { lightEntries, newLight } from "../light/schema.ts";
import { matchEntries, newMatch } from "../match/schema.ts";
import { newNotes, notesEntries } from "../notes/schema.ts";
import type { PlateInfo } from "../plate/schema.ts";
import { plateEntries } from "../plate/schema.ts";
import { propsEntries } from "../props/schema.ts";
import { newFocus, newRender, renderEntries } from "../render/schema.ts";
import { Text } from "../schema/fields.ts";
import { newSet, setEntries } from "../set/schema.ts";
import { MIGRATIONS } from "./migrations/index.ts";

/** The shot document: the one model that browser, server and command line share. Each step owns its part of it. */

export const SHOT_VERSION = 8;

export const ShotSchema = v.object({
  version: v.literal(SHOT_VERSION),
  name: Text,
  unit: v.picklist(["m", "cm", "mm", "ft"]),
  ...plateEntries,
  ...matchEntries,
  ...notesEntries,
  ...setEntries,
  ...propsEntries,
  ...lightEntries,
  ...renderEntries,
  ...compEntries,
});

export type Shot = v.InferOutput<typeof ShotSchema>;

/** A shot with nothing marked yet. */
export const newShot = (name: string, plate: PlateInfo): Shot => ({
  version: SHOT_VERSION,
  name,
  unit: "m",
  plates: { main: plate },
  ...newMatch(),
  notes: newNotes(),
  ...newSet(),
  props: {},
  light: newLight(),
  focus: newFocus(),
  render: newRender(),
  comp: newComp(),
});

/** Checks a stored or received document, migrated to the current version. Throws with the name of the wrong field. */
export function parseShot(input: unknown): Shot {
  let document = input as Record<string, unknown>;
  if (typeof document !== "object" || document === null) throw new Error("The shot document is not an object.");
  while (typeof document.version === "number" && document.version < SHOT_VERSION) {
    const migrate = MIGRATIONS[document.version];
    if (!migrate) throw new Error(`No way leads from shot version ${document.version} to ${SHOT_VERSION}.`);
    document = migrate(document);
  }
  const result = v.safeParse(ShotSchema, document);
  if (result.success) return result.output;
  const issue = result.issues[0];
  const path = (issue.path ?? []).map((p) => String(p.key)).join(".");
  throw new Error(`The shot document is not valid: ${path} ${issue.message}.`);
}
