import * as v from "valibot";

/** What a database and a file can hold: no NUL, no half of a surrogate pair. */
const WELL_FORMED = /^[^\0\ud800-\udfff]*$/u;

/** Text of at most so many UTF-16 units that can be stored. */
export const textUpTo = (most: number) =>
  v.pipe(v.string(), v.maxLength(most, "is too long"), v.regex(WELL_FORMED, "holds characters that cannot be stored"));

/** A name that its user gave: trimmed, not empty. */
export const NameSchema = v.pipe(textUpTo(120), v.trim(), v.minLength(1, "needs a name"));

/** At most 200 characters of a text from outside, without what cannot be stored or shown. */
export const storable = (text: string): string =>
  // eslint-disable-next-line no-control-regex
  [...text.replace(/[\0-\x1f\x7f]/g, "").replace(/[\ud800-\udfff]/gu, "")].slice(0, 200).join("");
