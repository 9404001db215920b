import type { Vec2 } from "../math/vec3.ts";
import type { Frame } from "../optics/camera.ts";
import type { PlatePart } from "../plate/schema.ts";
import type { LightPart } from "./schema.ts";

/** Share of the sun that the plate's own marked shadows leave: 1 outside, 0 well inside, soft across the feather. */
export interface Mask {
  width: number;
  height: number;
  values: Float32Array;
}

/** A border that is coarser than the plate would be seen on props as a soft shade. */
const CELLS = 2048;

/** Signed distance in plate pixels from a polygon's border, positive inside. */
export function insideDistance(points: Vec2[], x: number, y: number): number {
  let inside = false;
  let nearest = Infinity;
  for (let i = 0, j = points.length - 1; i < points.length; j = i++) {
    const [ax, ay] = points[j];
    const [bx, by] = points[i];
    if (ay > y !== by > y && x < ((bx - ax) * (y - ay)) / (by - ay) + ax) inside = !inside;
    const dx = bx - ax;
    const dy = by - ay;
    const t = Math.min(1, Math.max(0, ((x - ax) * dx + (y - ay) * dy) / (dx * dx + dy * dy || 1)));
    nearest = Math.min(nearest, Math.hypot(x - ax - t * dx, y - ay - t * dy));
  }
  return inside ? nearest : -nearest;
}

/** Share of the sun that a region leaves at a plate pixel: 1 outside, 0 inside, soft across the feather about its border. */
export function shareOutside({ points, feather }: { points: Vec2[]; feather: number }, x: number, y: number): number {
  const t = Math.min(1, Math.max(0, 0.5 - insideDistance(points, x, y) / Math.max(1, feather)));
  return t * t * (3 - 2 * t);
}

let latest: { key: string; mask: Mask | null } | null = null;

/** The shot's shaded regions as one mask over the frame; null without regions. Kept, since most edits leave them. */
export function maskPicture(shot: PlatePart & LightPart): Mask | null {
  const { width, height } = shot.plates.main;
  const regions = Object.values(shot.light.shadows);
  const key = JSON.stringify([width, height, regions.map((r) => [r.points, r.feather])]);
  if (latest?.key !== key) latest = { key, mask: maskFromRegions(regions, { width, height }) };
  return latest.mask;
}

/** Regions in plate pixels as one mask over the frame, at most 2048 cells wide; null without regions. */
export function maskFromRegions(regions: { points: Vec2[]; feather: number }[], frame: Frame): Mask | null {
  if (regions.length === 0) return null;
  const s = Math.min(1, CELLS / Math.max(frame.width, frame.height));
  const width = Math.round(frame.width * s);
  const height = Math.round(frame.height * s);
  const values = new Float32Array(width * height).fill(1);
  for (const region of regions) {
    const cellsOf = (k: number, cells: number, length: number): [number, number] => {
      const places = region.points.map((p) => (p[k] / length) * cells);
      const reach = 1 + (region.feather / length) * cells;
      return [
        Math.max(0, Math.floor(Math.min(...places) - reach)),
        Math.min(cells, Math.ceil(Math.max(...places) + reach)),
      ];
    };
    const [x0, x1] = cellsOf(0, width, frame.width);
    const [y0, y1] = cellsOf(1, height, frame.height);
    for (let y = y0; y < y1; y++) {
      for (let x = x0; x < x1; x++) {
        const share = shareOutside(region, ((x + 0.5) / width) * frame.width, ((y + 0.5) / height) * frame.height);
        const at = y * width + x;
        values[at] = Math.min(values[at], share);
      }
    }
  }
  return { width, height, values };
}
