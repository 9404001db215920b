import { luminance } from "../colour/srgb.ts";
import type { Vec3 } from "../math/vec3.ts";
import { balancedColour } from "./kelvin.ts";

/**
 * Whether light that was read off surfaces can be daylight: its chromaticity beside those that sun and sky together have.
 * A surface that has a colour of its own, and is taken for grey, gives that colour to the light.
 */

/**
 * Ranges of daylight, kelvin: with the sun, CIE 15's D55 with what a lower sun takes; of the sky alone from overcast to a
 * clear north (common practice, no published source). A plate is balanced near the light that it was taken in, or its white
 * is known.
 */
const RANGES = { sunny: [5000, 7500], sky: [6000, 9000] } as const;
const STEP = 100;
/** Temperature of daylight where nothing else is known, kelvin: CIE standard illuminant D65. */
const USUAL = 6500;
/** Distance in u′v′ beyond which it is none: some six steps that can just be told (MacAdam's ellipses, about 0.001 each). */
const OFF = 0.006;

/** CIE 1976 u′v′ of linear Rec. 709 (CIE 15, colorimetry). */
export function chromaOf([r, g, b]: Vec3): [number, number] {
  const x = 0.4124 * r + 0.3576 * g + 0.1805 * b;
  const y = luminance(r, g, b);
  const z = 0.0193 * r + 0.1192 * g + 0.9505 * b;
  const sum = x + 15 * y + 3 * z;
  return [(4 * x) / sum, (9 * y) / sum];
}

export interface DaylightHue {
  /** Distance from the nearest daylight, u′v′. */
  off: number;
  /** What surfaces have to be multiplied by, luminance 1, for the light to be usual daylight; null where it is daylight. */
  tint: Vec3 | null;
}

/**
 * Compares light with daylight as a plate balanced for `white` kelvin shows it; `white` null takes the encoding's own white.
 * Null for light that is none.
 */
export function daylightHue(light: Vec3, kind: keyof typeof RANGES, white: number | null): DaylightHue | null {
  const level = luminance(...light);
  if (!(level > 0)) return null;
  const [u, v] = chromaOf(light);
  let off = Infinity;
  const [low, high] = RANGES[kind];
  for (let kelvin: number = low; kelvin <= high; kelvin += STEP) {
    const [a, b] = chromaOf(balancedColour(kelvin, white));
    off = Math.min(off, Math.hypot(u - a, v - b));
  }
  if (off <= OFF) return { off, tint: null };
  const usual = balancedColour(USUAL, white);
  const own = light.map((c, k) => c / level / Math.max(1e-6, usual[k])) as Vec3;
  const bright = luminance(...own);
  return { off, tint: own.map((c) => c / bright) as Vec3 };
}
