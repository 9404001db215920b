import { dot, normalize, scale, sub } from "../../math/vec3.ts";
import { pixelDirection } from "../../optics/camera.ts";
import type { SightingKind } from "./kind.ts";
import { sightingSchema } from "./kind.ts";

const PIXELS = ["centre", "rim", "light"] as const;

export const HighlightSchema = sightingSchema("highlight", PIXELS);

/** A shiny ball: its middle, a point of its rim, and where it mirrors the sun. Its size and distance do not matter. */
export const highlight: SightingKind<(typeof PIXELS)[number]> = {
  label: "highlight",
  pixels: PIXELS,
  lines: [["centre", "light", "ray"]],
  ring: ["centre", "rim"],
  reader: (_clicked, camera) => (pixels) => {
    const middle = pixelDirection(camera, pixels.centre);
    const rim = pixelDirection(camera, pixels.rim);
    const eye = pixelDirection(camera, pixels.light);
    // A ball a metre away, as large as it is seen.
    const cosine = dot(middle, rim);
    const along = dot(eye, middle);
    const inside = along * along - cosine * cosine;
    if (!(inside > 0)) return "The highlight must lie within the ball. Put its rim farther out.";
    const normal = normalize(sub(scale(eye, along - Math.sqrt(inside)), middle));
    const direction = sub(eye, scale(normal, 2 * dot(eye, normal)));
    if (!(direction[2] > 0.01)) return "What the ball mirrors there is below the horizon, and not the sun.";
    return { direction, height: null };
  },
};
