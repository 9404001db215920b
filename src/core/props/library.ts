import * as v from "valibot";
import { HashSchema } from "../schema/fields.ts";
import { NameSchema, textUpTo } from "../text/storable.ts";
import type { Reading } from "./schema.ts";
import { ReadingSchema } from "./schema.ts";

/** Models that are kept for every shot. */

const TAGS = { most: 24, length: 40 };

/** What its user says of a kept model. */
export const KeptModelDetailsSchema = v.object({
  name: NameSchema,
  /** Words that it is found by. */
  tags: v.pipe(
    v.array(v.pipe(textUpTo(TAGS.length), v.trim(), v.minLength(1, "is empty"))),
    v.maxLength(TAGS.most, `has more than ${TAGS.most} words`),
  ),
  /** Under which terms it may be used. */
  licence: v.pipe(textUpTo(200), v.trim()),
  /** Who made it, and where it came from. */
  source: v.pipe(textUpTo(400), v.trim()),
});
export type KeptModelDetails = v.InferOutput<typeof KeptModelDetailsSchema>;

/** A model that is to be kept: its file, and how that is read. */
export const KeepModelSchema = v.object({
  hash: HashSchema,
  fileName: NameSchema,
  name: NameSchema,
  reading: ReadingSchema,
});
export type KeepModel = v.InferOutput<typeof KeepModelSchema>;

/** A newer file that takes an older one's place in every shot but one. */
export const NewerFileSchema = v.object({
  hash: HashSchema,
  fileName: NameSchema,
  reading: ReadingSchema,
  /** The shot that has it already; null for none. */
  except: v.nullable(v.pipe(v.string(), v.maxLength(60))),
});
export type NewerFile = v.InferOutput<typeof NewerFileSchema>;

export interface KeptModel extends KeptModelDetails {
  hash: string;
  fileName: string;
  reading: Reading;
  triangles: number;
  /** Extent along X, Y and Z (up) as it is read, metres. */
  size: [number, number, number];
  materials: number;
  /** Hash of its picture. */
  picture: string;
  /** Shots in which it stands. */
  usedIn: { id: string; name: string }[];
}

/** A font for lettering that is kept for every shot. */
export interface KeptFont {
  /** Of its file. */
  hash: string;
  name: string;
}

/** Words as they are typed, with commas between them. */
export const tagsOf = (typed: string): string[] =>
  [
    ...new Set(
      typed
        .split(",")
        .map((word) => word.trim().slice(0, TAGS.length))
        .filter((word) => word !== ""),
    ),
  ].slice(0, TAGS.most);

/** Models in whose name, file, tags, licence or source every one of the words occurs. */
export function findModels<T extends KeptModelDetails & { fileName: string }>(list: readonly T[], typed: string): T[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  return list.filter(({ name, tags, licence, source, fileName }) => {
    const text = [name, ...tags, licence, source, fileName].join(" ").toLowerCase();
    return words.every((word) => text.includes(word));
  });
}
