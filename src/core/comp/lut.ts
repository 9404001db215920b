import * as v from "valibot";
import { whole } from "../schema/fields.ts";
import { textUpTo } from "../text/storable.ts";

/** Tables of colours in three dimensions, over sRGB code values of 0 to 1, red first to change; read from and written as .cube files. */

/** Most entries along a side that a document keeps; larger files are taken at every so many of theirs. */
export const MOST_SIDE = 33;
const DIGITS = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-_";

/** As the document keeps it: each value 0 to 4095 by two digits. */
export const LutSchema = v.pipe(
  v.object({
    name: textUpTo(120),
    size: whole(2, MOST_SIDE),
    codes: v.pipe(v.string(), v.regex(/^[A-Za-z0-9_-]*$/, "are not codes"), v.maxLength(MOST_SIDE ** 3 * 6)),
  }),
  v.check(({ size, codes }) => codes.length === size ** 3 * 6, "has not as many codes as its size asks for"),
);
export type LutCodes = v.InferOutput<typeof LutSchema>;

export interface Lut {
  size: number;
  /** RGB of every entry. */
  values: Float32Array;
}

export function packLut(name: string, { size, values }: Lut): LutCodes {
  const text: string[] = [];
  for (const value of values) {
    const code = Math.round(4095 * Math.min(1, Math.max(0, value)));
    text.push(DIGITS[code >> 6], DIGITS[code & 63]);
  }
  return { name, size, codes: text.join("") };
}

const VALUES = new Map([...DIGITS].map((digit, i) => [digit.charCodeAt(0), i]));
const kept = new WeakMap<LutCodes, Lut>();

export function lutOf(codes: LutCodes): Lut {
  const known = kept.get(codes);
  if (known) return known;
  const digit = (i: number) => VALUES.get(codes.codes.charCodeAt(i))!;
  const values = Float32Array.from(
    { length: codes.codes.length / 2 },
    (_, i) => (digit(2 * i) * 64 + digit(2 * i + 1)) / 4095,
  );
  const lut = { size: codes.size, values };
  kept.set(codes, lut);
  return lut;
}

/** The table's colour for one of code values, in place: tetrahedra between eight entries, as most programs do; clamped to 0 to 1. */
export function lutColour({ size, values }: Lut, c: Float64Array): void {
  const top = size - 1;
  const r = Math.min(1, Math.max(0, c[0])) * top;
  const g = Math.min(1, Math.max(0, c[1])) * top;
  const b = Math.min(1, Math.max(0, c[2])) * top;
  const i = Math.min(top - 1, Math.floor(r));
  const j = Math.min(top - 1, Math.floor(g));
  const l = Math.min(top - 1, Math.floor(b));
  const [s, t, u] = [r - i, g - j, b - l];
  const [red, green, blue] = [3, 3 * size, 3 * size * size];
  const first = l * blue + j * green + i * red;
  const last = first + red + green + blue;
  // From one corner to the other along the sides in the order of the shares.
  let one = blue;
  let two = blue + green;
  let [most, middle, least] = [u, t, s];
  if (s >= t) {
    if (t >= u) [one, two, most, middle, least] = [red, red + green, s, t, u];
    else if (s >= u) [one, two, most, middle, least] = [red, red + blue, s, u, t];
    else [two, most, middle, least] = [blue + red, u, s, t];
  } else if (s >= u) [one, two, most, middle, least] = [green, green + red, t, s, u];
  else if (t >= u) [one, two, most, middle, least] = [green, green + blue, t, u, s];
  for (let k = 0; k < 3; k++)
    c[k] =
      (1 - most) * values[first + k] +
      (most - middle) * values[first + one + k] +
      (middle - least) * values[first + two + k] +
      least * values[last + k];
}

/** Most entries along a side that a file may have. */
const MOST_FILE = 128;

/** Reads a .cube text. Throws a sentence when it is none, or holds a table of one dimension only. */
export function readCube(text: string): Lut & { title: string } {
  let [title, size] = ["", 0];
  const low = [0, 0, 0];
  const high = [1, 1, 1];
  let values: Float32Array | null = null;
  let at = 0;
  for (const [number, line] of text.split(/\r\n|\n|\r/).entries()) {
    const words = line.trim().split(/\s+/);
    if (words[0] === "" || words[0].startsWith("#")) continue;
    const bad = (why: string) => new Error(`Line ${number + 1} of the table ${why}. Save it as a .cube file anew.`);
    if (words[0] === "TITLE") title = line.replace(/^\s*TITLE\s*/, "").replace(/^"|"\s*$/g, "");
    else if (words[0] === "LUT_1D_SIZE")
      throw new Error("The table has one dimension only. Save it as a 3D table, with LUT_3D_SIZE.");
    else if (words[0] === "LUT_3D_SIZE") {
      size = Number(words[1]);
      if (!Number.isInteger(size) || size < 2 || size > MOST_FILE)
        throw bad(`names a size of ${words[1] ?? "nothing"}, which is not a whole number of 2 to ${MOST_FILE}`);
      values = new Float32Array(size ** 3 * 3);
    } else if (words[0] === "DOMAIN_MIN" || words[0] === "DOMAIN_MAX") {
      const into = words[0] === "DOMAIN_MIN" ? low : high;
      for (let k = 0; k < 3; k++) into[k] = Number(words[k + 1]);
    } else if (/^[-+.\d]/.test(words[0])) {
      if (!values) throw bad("has colours before LUT_3D_SIZE");
      if (at + 3 > values.length) throw bad("is beyond the size that is named");
      for (let k = 0; k < 3; k++) {
        const value = Number(words[k]);
        if (!Number.isFinite(value)) throw bad("holds something that is no number");
        values[at++] = value;
      }
    }
  }
  if (!values) throw new Error("The file is no table of colours: it names no LUT_3D_SIZE. Choose a .cube file.");
  if (at < values.length)
    throw new Error(`The table ends after ${at / 3} of ${values.length / 3} colours. Copy the file again.`);
  if (low.some((x) => x !== 0) || high.some((x) => x !== 1))
    throw new Error("The table is for values beyond 0 to 1 (DOMAIN). Save it for code values of 0 to 1.");
  return { title, size, values };
}

/** A table with at most `MOST_SIDE` entries along a side. */
export function fitted(lut: Lut): Lut {
  if (lut.size <= MOST_SIDE) return lut;
  const values = new Float32Array(MOST_SIDE ** 3 * 3);
  const colour = new Float64Array(3);
  let at = 0;
  for (let b = 0; b < MOST_SIDE; b++)
    for (let g = 0; g < MOST_SIDE; g++)
      for (let r = 0; r < MOST_SIDE; r++) {
        colour.set([r, g, b].map((x) => x / (MOST_SIDE - 1)));
        lutColour(lut, colour);
        values.set(colour, at);
        at += 3;
      }
  return { size: MOST_SIDE, values };
}

/** A .cube text of what a function makes of code values. */
export function writeCube(title: string, size: number, of: (c: Float64Array) => void): string {
  const lines = [
    `TITLE "${title.replace(/["\r\n]/g, "'")}"`,
    `LUT_3D_SIZE ${size}`,
    "DOMAIN_MIN 0 0 0",
    "DOMAIN_MAX 1 1 1",
  ];
  const colour = new Float64Array(3);
  for (let b = 0; b < size; b++)
    for (let g = 0; g < size; g++)
      for (let r = 0; r < size; r++) {
        colour.set([r, g, b].map((x) => x / (size - 1)));
        of(colour);
        lines.push([...colour].map((x) => Math.min(1, Math.max(0, x)).toFixed(6)).join(" "));
      }
  return `${lines.join("\n")}\n`;
}
