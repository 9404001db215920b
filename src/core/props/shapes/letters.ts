import type { TextShape } from "./text.ts";

/** What laying text out asks of a font: that of opentype.js has it. */
export interface LetterFont {
  unitsPerEm: number;
  ascender: number;
  tables: { os2?: { sCapHeight?: number } };
  charToGlyph: (letter: string) => { getBoundingBox: () => { y2: number } };
  getAdvanceWidth: (text: string, size: number, options?: { letterSpacing?: number }) => number;
  getPath: (
    text: string,
    x: number,
    y: number,
    size: number,
    options?: { letterSpacing?: number },
  ) => { toPathData: (decimals: number) => string };
}

/** Height of a capital letter in the font's units: as it says, else as its H is. */
function capitalOf(font: LetterFont): number {
  const told = font.tables.os2?.sCapHeight;
  if (told && told > 0) return told;
  const measured = font.charToGlyph("H").getBoundingBox().y2;
  return measured > 0 ? measured : font.ascender * 0.7;
}

/**
 * Outline of a text's lines, set in the middle over one another, as a path with Y up in heights of a capital letter.
 * Lines are `1 + lineGap` capitals apart.
 */
export function layOut(
  font: LetterFont,
  { text, spacing, lineGap }: Pick<TextShape, "text" | "spacing" | "lineGap">,
): string {
  const capital = capitalOf(font) / font.unitsPerEm;
  const size = 1 / capital;
  // Told in shares of the size.
  const options = spacing === 0 ? {} : { letterSpacing: spacing * capital };
  const paths = text.split("\n").map((line, i) => {
    const letters = [...line].length;
    const width = font.getAdvanceWidth(line, size, options) - (letters > 0 ? spacing : 0);
    return font.getPath(line, -width / 2, i * (1 + lineGap), size, options).toPathData(5);
  });
  return paths.map(upwards).join("");
}

/** A path with its second coordinates turned round. */
const upwards = (path: string): string =>
  path.replace(/([MLQCZ])([^MLQCZ]*)/g, (_, command: string, rest: string) => {
    const n = rest.match(/-?(?:\d+\.?\d*|\.\d+)/g) ?? [];
    return command + n.map((x, i) => (i % 2 === 1 ? String(-Number(x)) : x)).join(" ");
  });
