import type { Measure, Reading } from "./measures.ts";
import type { SetRecord } from "./parts/index.ts";
import { kindOf } from "./parts/index.ts";
import { measurePart, tallyOf } from "./sizes.ts";

/** The list of what is measured as comma-separated values (RFC 4180), in metres, square and cubic metres and degrees. */

export interface MeasuredRow {
  measure: Measure;
  reading: Reading;
  /** Two standard deviations; null where it is not known. */
  within: number | null;
}

const HEAD = ["what", "name", "figure", "value", "plus minus (95 %)", "unit"];
const UNITS = { length: "m", area: "m2", volume: "m3", degrees: "deg", count: "" } as const;
type Unit = keyof typeof UNITS;

const quoted = (text: string): string => `"${text.replaceAll('"', '""')}"`;

/** A line for every figure of every measure and every part. */
export function sizesCsv(rows: readonly MeasuredRow[], set: SetRecord): string {
  const lines: string[][] = [];
  const say = (
    what: string,
    name: string,
    figure: string,
    value: number | null,
    unit: Unit,
    within?: number | null,
  ) => {
    if (value === null) return;
    const number = unit === "count" ? String(value) : value.toFixed(4);
    lines.push([what, quoted(name), figure, number, within == null ? "" : within.toFixed(4), UNITS[unit]]);
  };
  for (const { measure, reading, within } of rows) {
    const { kind, name } = measure;
    say(kind, name, reading.label ?? kind, reading.value, reading.unit, within);
    for (const { label, value, unit } of reading.also) say(kind, name, label, value, unit);
  }
  for (const part of Object.values(set)) {
    const { name } = part;
    const { extent, area, volume } = measurePart(set, part);
    const kind = kindOf(part).title.toLowerCase();
    ["long", "across", "high"].forEach((label, k) => say(kind, name, label, extent[k], "length"));
    say(kind, name, "area", area, "area");
    say(kind, name, "volume", volume, "volume");
    for (const { label, value, unit } of kindOf(part).figures?.(part) ?? []) say(kind, name, label, value, unit);
    const tally = part.kind === "row" ? tallyOf(set, part) : null;
    if (!tally) continue;
    say(kind, name, "of them", tally.count, "count");
    say(kind, name, "mean step", tally.mean, "length");
    say(kind, name, "nearest", tally.least, "length");
    say(kind, name, "covers", tally.area, "area");
    say(kind, name, "takes", tally.volume, "volume");
  }
  return [HEAD, ...lines].map((line) => line.join(",") + "\r\n").join("");
}
