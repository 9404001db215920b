/** Lengths as people type and read them. Inside everything is metres. */

export type LengthUnit = "m" | "cm" | "mm" | "ft";

const METRES: Record<string, number> = { m: 1, cm: 0.01, mm: 0.001, ft: 0.3048, "'": 0.3048, in: 0.0254, '"': 0.0254 };

/**
 * Metres of a typed length: numbers with or without units, written one after the other or with + and - ("6ft 2in",
 * "2.4+0.15", "75 cm"). Numbers without a unit count in `unit`. Null if it cannot be read.
 */
export function parseLength(text: string, unit: LengthUnit): number | null {
  const source = text
    .trim()
    .toLowerCase()
    .replace(/,/g, ".")
    .replace(/[−–]/g, "-")
    .replace(/[’′]/g, "'")
    .replace(/[”″]/g, '"');
  if (source === "") return null;
  const term = /([+-]?)\s*(\d+\.?\d*|\.\d+)\s*(mm|cm|m|ft|in|'|")?\s*/y;
  let sum = 0;
  let at = 0;
  let bare = false;
  while (at < source.length) {
    term.lastIndex = at;
    const match = term.exec(source);
    // Two bare numbers in a row are a slip, not a sum.
    if (!match || (at > 0 && bare && match[1] === "")) return null;
    bare = match[3] === undefined;
    const value = Number(match[2]) * METRES[match[3] ?? unit];
    sum += match[1] === "-" ? -value : value;
    at = term.lastIndex;
  }
  return Number.isFinite(sum) ? sum : null;
}

/** A length in the user's unit, to a millimetre or so. */
export function formatLength(metres: number, unit: LengthUnit): string {
  if (unit === "ft") {
    const inches = Math.abs(metres) / 0.0254;
    let feet = Math.floor(inches / 12);
    let rest = Math.round((inches - feet * 12) * 10) / 10;
    if (rest === 12) {
      feet++;
      rest = 0;
    }
    return `${metres < 0 && (feet > 0 || rest > 0) ? "−" : ""}${feet} ft ${rest} in`;
  }
  const digits = unit === "m" ? (Math.abs(metres) < 10 ? 3 : 2) : unit === "cm" ? 1 : 0;
  const text = (metres / METRES[unit]).toFixed(digits);
  return `${Number(text) === 0 ? text.replace("-", "") : text.replace("-", "−")} ${unit}`;
}

/** An area in square metres or square feet, with the digits that an area `like` it has. */
export function formatArea(squareMetres: number, unit: LengthUnit, like = squareMetres): string {
  const fine = like < 0.5;
  return unit === "ft"
    ? `${(squareMetres / 0.3048 ** 2).toFixed(fine ? 2 : 1)} ft²`
    : `${squareMetres.toFixed(fine ? 4 : 2)} m²`;
}

/** A volume in cubic metres or feet. */
export const formatVolume = (cubicMetres: number, unit: LengthUnit): string =>
  unit === "ft" ? `${(cubicMetres / 0.3048 ** 3).toFixed(1)} ft³` : `${cubicMetres.toFixed(3)} m³`;
