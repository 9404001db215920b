import { cross, normalize } from "../../math/vec3.ts";
import { pixelDirection, pixelOnPlane } from "../../optics/camera.ts";
import type { SightingKind } from "./kind.ts";
import { planeAt, sightingSchema } from "./kind.ts";

const PIXELS = ["top", "tip"] as const;

export const PairSchema = sightingSchema("pair", PIXELS);

/** A point whose height nobody knows, and its shadow: the sun lies in the plane of both and the eye. */
export const pair: SightingKind<(typeof PIXELS)[number]> = {
  label: "pair",
  pixels: PIXELS,
  lines: [["top", "tip", "ray"]],
  ring: null,
  reader: ({ tip }, camera, set) => {
    const plane = planeAt(set, camera, tip);
    return (pixels) => {
      if (!pixelOnPlane(camera, pixels.tip, plane))
        return "The shadow must lie on the ground or a face, below the horizon. Put it lower.";
      const normal = cross(pixelDirection(camera, pixels.top), pixelDirection(camera, pixels.tip));
      if (Math.hypot(...normal) < 1e-5) return "The point and its shadow are too close together. Choose others.";
      return { normal: normalize(normal) };
    };
  },
};
