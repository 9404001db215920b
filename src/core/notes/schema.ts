import * as v from "valibot";
import { Finite, HashSchema, Id, NotNegative, Text, byId } from "../schema/fields.ts";
import { textUpTo } from "../text/storable.ts";

/** What was written down and photographed at the shoot. */

export const NOTE_KINDS = ["height", "lens", "width", "time", "white", "other"] as const;

const NotesSchema = v.object({
  text: textUpTo(20_000),
  pictures: byId(v.object({ id: Id, asset: HashSchema, name: Text })),
  /** Remembered values: metres for heights and widths, millimetres for lenses, kelvin for white balance. */
  values: byId(
    v.object({
      id: Id,
      kind: v.picklist(NOTE_KINDS),
      label: Text,
      value: v.nullable(Finite),
      sigma: v.nullable(NotNegative),
    }),
  ),
});

export const notesEntries = { notes: NotesSchema };
export type NoteKind = (typeof NOTE_KINDS)[number];
export type Notes = v.InferOutput<typeof NotesSchema>;
export type NoteValue = Notes["values"][string];

export const newNotes = (): Notes => ({ text: "", pictures: {}, values: {} });
