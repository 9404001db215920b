import type { Vec2 } from "../../math/vec3.ts";
import { pixelDirection } from "../../optics/camera.ts";
import type { SightingKind } from "./kind.ts";
import { sightingSchema } from "./kind.ts";

const PIXELS = ["left", "right", "light"] as const;

export const PostSchema = sightingSchema("post", PIXELS);

const dot = (a: Vec2, b: Vec2) => a[0] * b[0] + a[1] * b[1];

/**
 * A shiny round upright post: its two outlines, and the streak in which it mirrors the sun. In plan the post is a circle
 * that mirrors as a ball does; how high the sun stands the streak does not tell, only in which upright plane.
 */
export const post: SightingKind<(typeof PIXELS)[number]> = {
  label: "post",
  pixels: PIXELS,
  lines: [["left", "right", "ray"]],
  ring: null,
  reader: (_clicked, camera) => {
    const inPlan = (pixel: Vec2): Vec2 => {
      const [x, y] = pixelDirection(camera, pixel);
      const length = Math.hypot(x, y);
      return [x / length, y / length];
    };
    return (pixels) => {
      const [left, right, eye] = [inPlan(pixels.left), inPlan(pixels.right), inPlan(pixels.light)];
      const sum: Vec2 = [left[0] + right[0], left[1] + right[1]];
      const length = Math.hypot(...sum);
      const middle: Vec2 = [sum[0] / length, sum[1] / length];
      const along = dot(eye, middle);
      const inside = along * along - dot(middle, left) ** 2;
      if (!(inside > 0)) return "The streak must lie on the post, between its two outlines. Put them farther apart.";
      const t = along - Math.sqrt(inside);
      const met: Vec2 = [t * eye[0] - middle[0], t * eye[1] - middle[1]];
      const radius = Math.hypot(...met);
      const normal: Vec2 = [met[0] / radius, met[1] / radius];
      const back = 2 * dot(eye, normal);
      // Across the upright plane of what is mirrored there.
      return { normal: [-(eye[1] - back * normal[1]), eye[0] - back * normal[0], 0] };
    };
  },
};
