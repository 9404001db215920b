import type { Vec3 } from "../../math/vec3.ts";
import { add, dot } from "../../math/vec3.ts";
import type { Camera } from "../../optics/camera.ts";
import { pixelDirection, projectPoint } from "../../optics/camera.ts";
import type { Picture } from "../../trace/scene.ts";
import { anglesFromDirection, directionFromAngles } from "../sun.ts";
import { blurred } from "./adjust.ts";
import { directionAt } from "./sphere.ts";

const WIDTH = 512;
/** Blur of what the plate does not show, degrees. */
const BLUR = 9;

/**
 * Surroundings made up from the plate alone: what it shows lies where it is (the picture's +Y is the world's), and goes
 * on beyond its frame mirrored again and again, and blurred. In the plate's own light.
 */
export function aroundFromPlate(
  camera: Camera,
  plate: { width: number; height: number; linear: Float32Array },
): Picture {
  const { width, height, linear } = plate;
  const middle = anglesFromDirection(pixelDirection(camera, [width / 2, height / 2]));
  const side = (pixel: [number, number]) => anglesFromDirection(pixelDirection(camera, pixel));
  const wide = Math.abs(turnBetween(side([width - 1, height / 2]).azimuth, middle.azimuth));
  const [low, high] = [side([width / 2, height - 1]).elevation, side([width / 2, 1]).elevation];
  const size = { width: WIDTH, height: WIDTH / 2 };
  const pixels = new Float32Array(size.width * size.height * 3);
  const shown = new Uint8Array(size.width * size.height);
  for (let y = 0; y < size.height; y++)
    for (let x = 0; x < size.width; x++) {
      const i = y * size.width + x;
      const d = directionAt(size, x + 0.5, y + 0.5);
      const own = pixelOf(camera, d, width, height);
      shown[i] = own ? 1 : 0;
      const { azimuth, elevation } = anglesFromDirection(d);
      const turn = folded(turnBetween(azimuth, middle.azimuth), -wide, wide);
      const at =
        own ??
        pixelOf(camera, directionFromAngles(middle.azimuth + turn, folded(elevation, low, high)), width, height, true);
      if (at === null) continue;
      for (let k = 0; k < 3; k++) pixels[i * 3 + k] = Math.max(0, linear[at * 3 + k]);
    }
  const soft = blurredTo({ ...size, pixels });
  for (let i = 0; i < shown.length; i++)
    if (!shown[i]) for (let k = 0; k < 3; k++) pixels[i * 3 + k] = soft(i % WIDTH, Math.floor(i / WIDTH), k);
  return { ...size, pixels };
}

const turnBetween = (a: number, b: number): number => Math.atan2(Math.sin(a - b), Math.cos(a - b));

/** A number mirrored at both ends of a range until it lies within it. */
function folded(x: number, low: number, high: number): number {
  const span = Math.max(1e-6, high - low);
  const t = (((x - low) % (2 * span)) + 2 * span) % (2 * span);
  return low + (t > span ? 2 * span - t : t);
}

/** Number of the plate's pixel that shows a direction; null outside the frame, or its nearest one there. */
function pixelOf(camera: Camera, d: Vec3, width: number, height: number, nearest = false): number | null {
  const seen = projectPoint(camera, add(camera.position, d));
  if (!seen) return null;
  const [u, v] = seen;
  if (!nearest && (u < 0 || v < 0 || u >= width || v >= height)) return null;
  // Far beyond the frame a lens's distortion comes back into it.
  if (!nearest && dot(pixelDirection(camera, [u, v]), d) < 0.9999) return null;
  const [x, y] = [Math.min(width - 1, Math.max(0, Math.floor(u))), Math.min(height - 1, Math.max(0, Math.floor(v)))];
  return y * width + x;
}

/** Values of the blurred picture by the places of the sharp one. */
function blurredTo(picture: Picture): (x: number, y: number, k: number) => number {
  const soft = blurred(picture, BLUR);
  const scale = soft.width / picture.width;
  return (x, y, k) => {
    const [i, j] = [(x + 0.5) * scale, (y + 0.5) * scale].map(Math.floor);
    return soft.pixels[(Math.min(soft.height - 1, j) * soft.width + Math.min(soft.width - 1, i)) * 3 + k];
  };
}
