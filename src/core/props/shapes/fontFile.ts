/** First four bytes of fonts that lettering can be made from: TrueType, OpenType with PostScript outlines, WOFF. */
const BEGINNINGS = ["\0\u0001\0\0", "true", "OTTO", "wOFF"];

/** True for the beginning of a font's file (OpenType 1.9, "Organization of an OpenType font"; WOFF 1.0, section 3). */
export const isFont = (head: Uint8Array): boolean => BEGINNINGS.includes(String.fromCharCode(...head.subarray(0, 4)));
