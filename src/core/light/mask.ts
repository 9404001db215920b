import type { Vec2 } from "../math/vec3.ts";
import type { Frame } from "../optics/camera.ts";
import type { Shot } from "../shot/schema.ts";

/** Share of the sun that the plate's own marked shadows leave: 1 outside, 0 well inside, soft across the feather. */
export interface Mask {
  width: number;
  height: number;
  values: Float32Array;
}

const CELLS = 960;

/** Signed distance in plate pixels from a polygon's border, positive inside. */
export function insideDistance(points: Vec2[], x: number, y: number): number {
  let inside = false;
  let nearest = Infinity;
  for (let i = 0, j = points.length - 1; i < points.length; j = i++) {
    const [ax, ay] = points[j];
    const [bx, by] = points[i];
    if (ay > y !== by > y && x < ((bx - ax) * (y - ay)) / (by - ay) + ax) inside = !inside;
    const [dx, dy] = [bx - ax, by - ay];
    const t = Math.min(1, Math.max(0, ((x - ax) * dx + (y - ay) * dy) / (dx * dx + dy * dy || 1)));
    nearest = Math.min(nearest, Math.hypot(x - ax - t * dx, y - ay - t * dy));
  }
  return inside ? nearest : -nearest;
}

/** The shot's shaded regions as one mask over the frame; null without regions. */
export const maskPicture = (shot: Shot): Mask | null =>
  maskFromRegions(Object.values(shot.light.shadows), { width: shot.plate.width, height: shot.plate.height });

/** Regions in plate pixels as one mask over the frame, at most 960 cells wide; null without regions. */
export function maskFromRegions(regions: { points: Vec2[]; feather: number }[], frame: Frame): Mask | null {
  if (regions.length === 0) return null;
  const s = Math.min(1, CELLS / Math.max(frame.width, frame.height));
  const width = Math.round(frame.width * s);
  const height = Math.round(frame.height * s);
  const values = new Float32Array(width * height).fill(1);
  for (const { points, feather } of regions) {
    for (let y = 0; y < height; y++) {
      for (let x = 0; x < width; x++) {
        const d = insideDistance(points, ((x + 0.5) / width) * frame.width, ((y + 0.5) / height) * frame.height);
        const t = Math.min(1, Math.max(0, 0.5 - d / Math.max(1, feather)));
        const at = y * width + x;
        values[at] = Math.min(values[at], t * t * (3 - 2 * t));
      }
    }
  }
  return { width, height, values };
}
