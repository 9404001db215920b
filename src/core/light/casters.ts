import type { Vec2, Vec3 } from "../math/vec3.ts";
import type { Camera, Frame } from "../optics/camera.ts";
import { groundPlane, pixelOnPlane, projectPoint } from "../optics/camera.ts";
import type { Caster, Picture } from "../trace/scene.ts";
import { insideDistance, shareOutside } from "./mask.ts";

/** A shaded region as it is marked on the plate. */
export interface ShadedRegion {
  points: Vec2[];
  /** Pixels. */
  feather: number;
  /** Share of the sky behind it that the region's caster hides; all of it if missing. */
  hidesSky?: number;
}

const WIDTH = 96;
const HEIGHT = 64;
/** Ground farther from the camera than this, in metres, tells nothing of a caster's height. */
const FAR = 150;
const STEPS = 16;

/**
 * What casts the marked shades, as far as they tell of it. A shade's border towards the sun is the foot of its caster:
 * there, along the straight line that fits it best, stands an upright silhouette down to the ground, cut so that it
 * throws the region as marked. Its tone is what the plate shows there; where the camera does not see that side, that of
 * the shaded ground, which like it gets no sun. A region off the ground gives none, nor does a sun at the zenith or below
 * the horizon. `direction` is the unit vector to the sun, `ground` the ground's height in metres.
 */
export function castersOf(
  regions: ShadedRegion[],
  camera: Camera,
  frame: Frame,
  direction: Vec3,
  ground: number,
  plate: Picture,
): Caster[] {
  const level = Math.hypot(direction[0], direction[1]);
  if (direction[2] <= 0.01 || level < 0.05) return [];
  const toSun: Vec2 = [direction[0] / level, direction[1] / level];
  const steepness = direction[2] / level;
  return regions.flatMap((region) => {
    const share = region.hidesSky ?? 1;
    if (share <= 0) return [];
    // Metres across the way to the sun, and towards it.
    const outline = groundOutline(region.points, camera, ground).map(([x, y]): Vec2 => [
      y * toSun[0] - x * toSun[1],
      x * toSun[0] + y * toSun[1],
    ]);
    if (outline.length < 3) return [];
    const left = Math.min(...outline.map((p) => p[0]));
    const span = Math.max(...outline.map((p) => p[0])) - left;
    if (!(span > 1e-3)) return [];
    const columns = Array.from({ length: WIDTH }, (_, i) => left + ((i + 0.5) / WIDTH) * span);
    const { foot, slant } = footLine(columns, outline);
    const tall = Math.max(...outline.map(([a, b]) => (foot + slant * a - b) * steepness));
    if (!(tall > 1e-3)) return [];
    const hides = new Float32Array(WIDTH * HEIGHT);
    columns.forEach((a, i) => {
      let above = 0;
      for (let j = HEIGHT - 1; j >= 0; j--) {
        // The place on the ground that this cell's shadow falls on, seen in the plate.
        const b = foot + slant * a - (((j + 0.5) / HEIGHT) * tall) / steepness;
        const pixel = projectPoint(camera, [b * toSun[0] - a * toSun[1], b * toSun[1] + a * toSun[0], ground]);
        if (pixel) above = Math.max(above, 1 - shareOutside(region, pixel[0], pixel[1]));
        hides[j * WIDTH + i] = share * above;
      }
    });
    const seen = faceOf({ toSun, foot, slant, ground, tall }, columns, hides, camera, frame, plate);
    const radiance = seen ?? toneOf(region, frame, plate);
    return [{ toSun, foot, slant, left, span, ground, tall, radiance, width: WIDTH, height: HEIGHT, hides }];
  });
}

/** The line through an outline's border towards the sun, weighed by how deep the shade is there: towards = foot + slant across. */
function footLine(columns: number[], outline: Vec2[]): { foot: number; slant: number } {
  let w = 0;
  let wa = 0;
  let wb = 0;
  let waa = 0;
  let wab = 0;
  for (const a of columns) {
    const met: number[] = [];
    outline.forEach(([a0, b0], i) => {
      const [a1, b1] = outline[(i + 1) % outline.length];
      if (a0 > a !== a1 > a) met.push(b0 + ((a - a0) / (a1 - a0)) * (b1 - b0));
    });
    if (met.length < 2) continue;
    const near = Math.max(...met);
    const weight = near - Math.min(...met);
    w += weight;
    wa += weight * a;
    wb += weight * near;
    waa += weight * a * a;
    wab += weight * a * near;
  }
  const spread = waa - (wa * wa) / w;
  const slant = spread > 1e-9 ? (wab - (wa * wb) / w) / spread : 0;
  return { foot: (wb - slant * wa) / w, slant };
}

/** Points along a polygon's border, where it lies on the ground in front of the camera. */
function groundOutline(points: Vec2[], camera: Camera, ground: number): Vec3[] {
  return points.flatMap(([ax, ay], i) => {
    const [bx, by] = points[(i + 1) % points.length];
    return Array.from({ length: STEPS }, (_, k): Vec2 => [
      ax + ((bx - ax) * k) / STEPS,
      ay + ((by - ay) * k) / STEPS,
    ]).flatMap((pixel) => {
      const p = pixelOnPlane(camera, pixel, groundPlane(ground));
      return p && Math.hypot(p[0] - camera.position[0], p[1] - camera.position[1]) < FAR ? [p] : [];
    });
  });
}

/** Median of what the plate shows of a silhouette's shaded side; null where the camera sees less than a tenth of it. */
function faceOf(
  { toSun, foot, slant, ground, tall }: Pick<Caster, "toSun" | "foot" | "slant" | "ground" | "tall">,
  columns: number[],
  hides: Float32Array,
  camera: Camera,
  frame: Frame,
  plate: Picture,
): Vec3 | null {
  const [x, y] = camera.position;
  const shadedSide = x * toSun[0] + y * toSun[1] < foot + slant * (y * toSun[0] - x * toSun[1]);
  if (!shadedSide) return null;
  const tones: [number[], number[], number[]] = [[], [], []];
  let cells = 0;
  for (let j = 0; j < HEIGHT; j++) {
    const z = ground + ((j + 0.5) / HEIGHT) * tall;
    columns.forEach((a, i) => {
      if (hides[j * WIDTH + i] === 0) return;
      cells++;
      const b = foot + slant * a;
      const pixel = projectPoint(camera, [b * toSun[0] - a * toSun[1], b * toSun[1] + a * toSun[0], z]);
      if (!pixel || pixel[0] < 0 || pixel[1] < 0 || pixel[0] >= frame.width || pixel[1] >= frame.height) return;
      const at = pixelAt(plate, frame, pixel[0], pixel[1]);
      tones.forEach((tone, k) => tone.push(plate.pixels[at + k]));
    });
  }
  if (tones[0].length < 0.1 * cells) return null;
  return tones.map((tone) => tone.sort((p, q) => p - q)[tone.length >> 1]) as Vec3;
}

/** Index of the plate's first channel at a place of the frame. */
function pixelAt(plate: Picture, frame: Frame, x: number, y: number): number {
  const column = Math.min(plate.width - 1, Math.floor((x / frame.width) * plate.width));
  const row = Math.min(plate.height - 1, Math.floor((y / frame.height) * plate.height));
  return (row * plate.width + column) * 3;
}

/** Mean of the plate inside the region, away from its soft border where there is room. */
function toneOf(region: ShadedRegion, frame: Frame, plate: Picture): Vec3 {
  const xs = region.points.map((p) => p[0]);
  const ys = region.points.map((p) => p[1]);
  const x0 = Math.max(0, Math.min(...xs));
  const y0 = Math.max(0, Math.min(...ys));
  const x1 = Math.min(frame.width, Math.max(...xs));
  const y1 = Math.min(frame.height, Math.max(...ys));
  for (const margin of [region.feather, 0]) {
    const sum: Vec3 = [0, 0, 0];
    let count = 0;
    for (let j = 0; j < HEIGHT; j++) {
      for (let i = 0; i < WIDTH; i++) {
        const x = x0 + ((i + 0.5) / WIDTH) * (x1 - x0);
        const y = y0 + ((j + 0.5) / HEIGHT) * (y1 - y0);
        if (insideDistance(region.points, x, y) <= margin) continue;
        const at = pixelAt(plate, frame, x, y);
        for (let k = 0; k < 3; k++) sum[k] += plate.pixels[at + k];
        count++;
      }
    }
    if (count > 0) return [sum[0] / count, sum[1] / count, sum[2] / count];
  }
  return [0, 0, 0];
}
