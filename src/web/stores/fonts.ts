import slab from "@fontsource/alfa-slab-one/files/alfa-slab-one-latin-400-normal.woff?url";
import sansBold from "@fontsource/ibm-plex-sans/files/ibm-plex-sans-latin-700-normal.woff?url";
import sans from "@fontsource/ibm-plex-sans/files/ibm-plex-sans-latin-400-normal.woff?url";
import serif from "@fontsource/ibm-plex-serif/files/ibm-plex-serif-latin-600-normal.woff?url";
import stencil from "@fontsource/saira-stencil-one/files/saira-stencil-one-latin-400-normal.woff?url";
import { defineStore } from "pinia";
import { computed, ref } from "vue";
import type { KeptFont } from "#core/props/library";
import type { LetterFont } from "#core/props/shapes/letters";
import { layOut } from "#core/props/shapes/letters";
import type { TextShape } from "#core/props/shapes/text";
import { api } from "../api.ts";

/** Fonts that ship with the application (SIL Open Font License). */
const SHIPPED: Record<string, string> = {
  "Plex Sans Bold": sansBold,
  "Plex Sans": sans,
  "Plex Serif": serif,
  "Saira Stencil": stencil,
  "Alfa Slab": slab,
};
export const FIRST_FONT = "Plex Sans Bold";

async function parsed(bytes: ArrayBuffer): Promise<LetterFont> {
  const { parse } = await import("opentype.js");
  return parse(bytes);
}

/** Fonts for lettering: those that ship, and those brought in, which the server keeps for every shot. */
export const useFonts = defineStore("fonts", () => {
  const kept = ref<KeptFont[]>([]);
  const names = computed(() => [...new Set([...Object.keys(SHIPPED), ...kept.value.map((font) => font.name)])]);
  const loaded = new Map<string, LetterFont>();

  /** What is kept under a name; undefined for what ships. */
  const keptAs = (name: string): KeptFont | undefined => kept.value.find((font) => font.name === name);

  async function open(): Promise<void> {
    kept.value = await api.keptFonts();
  }

  async function fontOf(name: string): Promise<LetterFont | null> {
    const known = loaded.get(name);
    if (known) return known;
    if (!SHIPPED[name] && !keptAs(name)) await open();
    const own = keptAs(name);
    const url = own ? `/api/assets/${own.hash}` : SHIPPED[name];
    if (!url) return null;
    const response = await fetch(url);
    if (!response.ok) return null;
    const font = await parsed(await response.arrayBuffer());
    loaded.set(name, font);
    return font;
  }

  /** Takes a font's file in and gives its name. Throws Error with a sentence where it is none. */
  async function take(file: File): Promise<string> {
    const font = await file
      .arrayBuffer()
      .then(parsed)
      .catch(() => {
        throw new Error(
          `“${file.name}” is no font that can be read. Choose a TrueType, OpenType or WOFF file (not WOFF2).`,
        );
      });
    const { name } = await api.keepFont(file);
    await open();
    loaded.set(name, font);
    return name;
  }

  /** Lets go of a font that was brought in; what is lettered in it keeps its outline. */
  async function drop(font: KeptFont): Promise<void> {
    await api.deleteFont(font.hash);
    loaded.delete(font.name);
    await open();
  }

  /** The text's outline in its font; null where the font is not at hand. */
  async function outlineOf(shape: TextShape): Promise<string | null> {
    const font = await fontOf(shape.font || FIRST_FONT);
    return font && layOut(font, shape);
  }

  return { names, keptAs, open, take, drop, outlineOf };
});
