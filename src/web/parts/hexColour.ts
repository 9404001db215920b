import { linearToSrgb, srgbToLinear } from "#core/colour/srgb";
import type { Vec3 } from "#core/math/vec3";

/** A linear Rec. 709 colour as the browser's colour field takes it: sRGB codes (IEC 61966-2-1). */
export const toHex = (colour: readonly number[]): string =>
  `#${colour
    .map((v) =>
      Math.round(255 * linearToSrgb(Math.min(1, Math.max(0, v))))
        .toString(16)
        .padStart(2, "0"),
    )
    .join("")}`;

export const fromHex = (hex: string): Vec3 =>
  [1, 3, 5].map((i) => srgbToLinear(Number.parseInt(hex.slice(i, i + 2), 16) / 255)) as Vec3;
