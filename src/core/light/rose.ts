import type { Vec2, Vec3 } from "../math/vec3.ts";
import { toDegrees, toRadians } from "../math/vec3.ts";
import type { Camera, Frame } from "../optics/camera.ts";
import { groundPlane, pixelOnPlane, projectPoint } from "../optics/camera.ts";

/** A compass rose that lies on the level ground in the lower part of the plate, in plate pixels. */
export interface Rose {
  /** The circle, closed. */
  ring: Vec2[];
  centre: Vec2;
  /** Tips of north, east, south and west. */
  tips: [Vec2, Vec2, Vec2, Vec2];
  /** Bearing of the world's +Y, degrees, that would have north where a pixel shows the ground; null above the horizon. */
  northAt: (pixel: Vec2) => number | null;
}

/** Where its middle lies: shares of the frame. From the top down the first that shows ground far enough is taken. */
const MIDDLES: Vec2[] = [
  [0.5, 0.75],
  [0.5, 0.85],
  [0.5, 0.95],
];
/** Its radius, as a share of its distance from the camera. */
const SIZE = 0.16;
const RING = 48;

/** The rose with north by the bearing of +Y (0 where nobody knows it); null where no ground is in sight. */
export function roseOf(camera: Camera, { width, height }: Frame, northDeg: number | null, ground = 0): Rose | null {
  const plane = groundPlane(ground);
  const middle = MIDDLES.map(([u, v]) => pixelOnPlane(camera, [u * width, v * height], plane)).find((p) => p !== null);
  if (!middle) return null;
  const radius = SIZE * Math.hypot(...middle.map((x, k) => x - camera.position[k]));
  const at = (bearingDeg: number): Vec2 | null => {
    const azimuth = toRadians(bearingDeg - (northDeg ?? 0));
    const world: Vec3 = [middle[0] + radius * Math.sin(azimuth), middle[1] + radius * Math.cos(azimuth), middle[2]];
    return projectPoint(camera, world);
  };
  const ring = Array.from({ length: RING + 1 }, (_, i) => at((360 * i) / RING));
  const tips = [0, 90, 180, 270].map(at);
  const centre = projectPoint(camera, middle);
  if (!centre || [...ring, ...tips].some((p) => p === null)) return null;
  return {
    ring: ring as Vec2[],
    centre,
    tips: tips as Rose["tips"],
    northAt: (pixel) => {
      const world = pixelOnPlane(camera, pixel, plane);
      if (!world) return null;
      const bearing = -toDegrees(Math.atan2(world[0] - middle[0], world[1] - middle[1]));
      return Number((((bearing % 360) + 360) % 360).toFixed(2));
    },
  };
}
