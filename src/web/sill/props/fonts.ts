import slab from "@fontsource/alfa-slab-one/files/alfa-slab-one-latin-400-normal.woff?url";
import sansBold from "@fontsource/ibm-plex-sans/files/ibm-plex-sans-latin-700-normal.woff?url";
import sans from "@fontsource/ibm-plex-sans/files/ibm-plex-sans-latin-400-normal.woff?url";
import serif from "@fontsource/ibm-plex-serif/files/ibm-plex-serif-latin-600-normal.woff?url";
import stencil from "@fontsource/saira-stencil-one/files/saira-stencil-one-latin-400-normal.woff?url";
import type { LetterFont } from "#core/props/shapes/letters";
import { layOut } from "#core/props/shapes/letters";
import type { TextShape } from "#core/props/shapes/text";

/** Fonts for lettering that ship with the application (SIL Open Font License), and those dropped since. */
const SHIPPED: Record<string, string> = {
  "Plex Sans Bold": sansBold,
  "Plex Sans": sans,
  "Plex Serif": serif,
  "Saira Stencil": stencil,
  "Alfa Slab": slab,
};
export const FIRST_FONT = "Plex Sans Bold";

const loaded = new Map<string, LetterFont>();

export const fontNames = (): string[] => [...new Set([...Object.keys(SHIPPED), ...loaded.keys()])];

async function parsed(bytes: ArrayBuffer): Promise<LetterFont> {
  const { parse } = await import("opentype.js");
  return parse(bytes);
}

async function fontOf(name: string): Promise<LetterFont | null> {
  const known = loaded.get(name);
  if (known) return known;
  const url = SHIPPED[name];
  if (!url) return null;
  const font = await parsed(await (await fetch(url)).arrayBuffer());
  loaded.set(name, font);
  return font;
}

/** Takes a font's file in for this session. Throws Error with a sentence where it is none. */
export async function takeFont(file: File): Promise<string> {
  const name = file.name.replace(/\.[^.]*$/, "");
  try {
    loaded.set(name, await parsed(await file.arrayBuffer()));
  } catch {
    throw new Error(
      `“${file.name}” is no font that can be read. Choose a TrueType, OpenType or WOFF file (not WOFF2).`,
    );
  }
  return name;
}

/** The text's outline in its font; null where the font is not at hand. */
export async function outlineOf(shape: TextShape): Promise<string | null> {
  const font = await fontOf(shape.font || FIRST_FONT);
  return font && layOut(font, shape);
}
