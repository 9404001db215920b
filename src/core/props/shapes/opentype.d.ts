declare module "opentype.js" {
  import type { LetterFont } from "#core/props/shapes/letters";
  /** Reads a TrueType, OpenType or WOFF font. Throws Error where it cannot. */
  export function parse(buffer: ArrayBuffer): LetterFont & { names: Record<string, unknown> };
}
