import type { Vec3 } from "../../math/vec3.ts";
import { normalize, sub } from "../../math/vec3.ts";
import { pixelOnLine, pixelOnPlane } from "../../optics/camera.ts";
import type { SightingKind } from "./kind.ts";
import { planeAt, sightingSchema } from "./kind.ts";

const UP: Vec3 = [0, 0, 1];
const PIXELS = ["foot", "top", "tip"] as const;

export const UprightSchema = sightingSchema("upright", PIXELS);

/** Foot and top of an upright thing, and the tip of its shadow. */
export const upright: SightingKind<(typeof PIXELS)[number]> = {
  label: "upright",
  pixels: PIXELS,
  lines: [
    ["foot", "top", "thing"],
    ["foot", "tip", "cast"],
    ["top", "tip", "ray"],
  ],
  ring: null,
  reader: ({ foot, tip }, camera, set) => {
    const planes = { foot: planeAt(set, camera, foot), tip: planeAt(set, camera, tip) };
    return (pixels) => {
      const from = pixelOnPlane(camera, pixels.foot, planes.foot);
      const to = pixelOnPlane(camera, pixels.tip, planes.tip);
      if (!from || !to)
        return "Foot and shadow tip must lie on the ground or a face, below the horizon. Put both lower.";
      const height = pixelOnLine(camera, pixels.top, from, UP);
      if (height === null || height <= 0)
        return "The top must be above the foot. Put it on the tip of the upright thing.";
      const direction = normalize(sub([from[0], from[1], from[2] + height], to));
      if (!(direction[2] > 0.01)) return "The shadow is too long to tell the sun from. Choose another one.";
      return { direction, height };
    };
  },
};
