import { srgbTable } from "../colour/srgb.ts";
import { TEXTURE_MAX_LEVELS } from "../../kernel/layout.ts";

/** Sizes of a texture and its smaller copies, down to one texel. */
export function levelSizes(width: number, height: number): [number, number][] {
  const sizes: [number, number][] = [[width, height]];
  for (let l = 1; (width >> l || height >> l) && l < TEXTURE_MAX_LEVELS; l++)
    sizes.push([Math.max(1, width >> l), Math.max(1, height >> l)]);
  return sizes;
}

const decode = srgbTable(8);
const encode = (() => {
  const table = new Uint8Array(4097);
  for (let i = 0; i <= 4096; i++) {
    const x = i / 4096;
    table[i] = Math.round(255 * (x <= 0.0031308 ? 12.92 * x : 1.055 * x ** (1 / 2.4) - 0.055));
  }
  return table;
})();

/** Halves an RGBA8 picture by means of two by two texels; colours in linear light where they are coded as sRGB. */
export function halve(
  texels: Uint8Array,
  width: number,
  height: number,
  srgb: boolean,
  out: Uint8Array,
  [w, h]: [number, number],
): void {
  for (let y = 0; y < h; y++) {
    const r0 = Math.min(height - 1, 2 * y) * width;
    const r1 = Math.min(height - 1, 2 * y + 1) * width;
    for (let x = 0; x < w; x++) {
      const x0 = Math.min(width - 1, 2 * x);
      const x1 = Math.min(width - 1, 2 * x + 1);
      const a = (r0 + x0) * 4;
      const b = (r0 + x1) * 4;
      const c = (r1 + x0) * 4;
      const d = (r1 + x1) * 4;
      const at = (y * w + x) * 4;
      for (let k = 0; k < 3; k++) {
        out[at + k] = srgb
          ? encode[
              ((decode[texels[a + k]] + decode[texels[b + k]] + decode[texels[c + k]] + decode[texels[d + k]]) * 1024 +
                0.5) |
                0
            ]
          : (texels[a + k] + texels[b + k] + texels[c + k] + texels[d + k] + 2) >> 2;
      }
      out[at + 3] = (texels[a + 3] + texels[b + 3] + texels[c + 3] + texels[d + 3] + 2) >> 2;
    }
  }
}
