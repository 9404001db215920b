import type { Yardstick } from "#core/match/yardsticks";
import type { LengthUnit } from "#core/units/length";
import { formatArea, formatLength, formatVolume } from "#core/units/length";

/** A figure in the user's unit. */
export function figureWords(
  value: number,
  unit: "length" | "area" | "volume" | "degrees" | "count",
  of: LengthUnit,
): string {
  if (unit === "length") return formatLength(value, of);
  if (unit === "area") return formatArea(value, of);
  if (unit === "volume") return formatVolume(value, of);
  return unit === "degrees" ? `${value.toFixed(1).replace("-", "−")}°` : String(value);
}

/** The plus-minus of a figure, with as many digits; nothing where it is not known, or everything was typed. */
export function withinWords(
  within: number | null,
  value: number,
  unit: Parameters<typeof figureWords>[1],
  of: LengthUnit,
): string {
  if (!within) return "";
  return `± ${unit === "area" ? formatArea(within, of, value) : figureWords(within, unit, of)}`;
}

/** Lengths that differ by more than this share are not told as alike. */
const ALIKE = 0.12;

/** The yardstick whose size a length comes nearest to; null where none is near. */
export function nearestYardstick(metres: number, yardsticks: readonly Yardstick[]): Yardstick | null {
  let best: Yardstick | null = null;
  let least = ALIKE;
  for (const yardstick of yardsticks) {
    const off = Math.abs(Math.log(metres / yardstick.metres));
    if (off < least) [least, best] = [off, yardstick];
  }
  return best;
}
