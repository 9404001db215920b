import type { Mat3, Vec2, Vec3 } from "../../math/vec3.ts";
import { add, dot, normalize, scale, sub } from "../../math/vec3.ts";
import type { Picture } from "../../trace/scene.ts";
import { directionAt } from "./sphere.ts";

/** Width of what a photograph of a ball is unrolled to, at most: its rim holds no more. */
const MOST_WIDTH = 1024;
/** What lies straight behind the ball is squeezed into its rim; so near it the picture is no longer believed. */
const RIM = 0.995;

/**
 * Surroundings from a photograph of a mirror ball that fills a square picture, taken from far away: what the camera
 * looked at lies in the middle of the result (+Y), itself at its border. What is behind the ball is the rim's.
 */
export function unrolledBall({ width, height, pixels }: Picture): Picture {
  const radius = Math.min(width, height) / 2;
  const out: Picture = { width: 0, height: 0, pixels: new Float32Array(0) };
  out.width = Math.min(MOST_WIDTH, 2 * Math.round(Math.PI * radius * 0.5));
  out.height = Math.round(out.width / 2);
  out.pixels = new Float32Array(out.width * out.height * 3);
  for (let y = 0; y < out.height; y++)
    for (let x = 0; x < out.width; x++) {
      const d = directionAt(out, x + 0.5, y + 0.5);
      // The ball's normal halves the angle between the way back to the camera (−Y) and the direction.
      const n = normalize([d[0], d[1] - 1, d[2]] as Vec3);
      const off = Math.hypot(n[0], n[2]);
      const held = off > RIM ? RIM / off : 1;
      const u = width / 2 + radius * n[0] * held - 0.5;
      const v = height / 2 - radius * n[2] * held - 0.5;
      const [x0, y0] = [
        Math.min(width - 2, Math.max(0, Math.floor(u))),
        Math.min(height - 2, Math.max(0, Math.floor(v))),
      ];
      const [ax, ay] = [Math.min(1, Math.max(0, u - x0)), Math.min(1, Math.max(0, v - y0))];
      for (let k = 0; k < 3; k++) {
        const at = (i: number, j: number) => pixels[((y0 + j) * width + x0 + i) * 3 + k];
        out.pixels[(y * out.width + x) * 3 + k] =
          (1 - ay) * ((1 - ax) * at(0, 0) + ax * at(1, 0)) + ay * ((1 - ax) * at(0, 1) + ax * at(1, 1));
      }
    }
  return out;
}

/**
 * Direction that a mirror ball far away shows at a place of its picture, by the law of reflection. `rotation`: rows right,
 * down and ahead of the eye; `at`: right and down from the middle, in radii. Null beside the ball.
 */
export function seenInBall(rotation: Mat3, [x, y]: Vec2): Vec3 | null {
  const towards = 1 - x * x - y * y;
  if (towards < 0) return null;
  const [right, down, ahead] = rotation;
  const n = add(add(scale(right, x), scale(down, y)), scale(ahead, -Math.sqrt(towards)));
  return sub(ahead, scale(n, 2 * dot(ahead, n)));
}

/** Where a mirror ball far away shows a direction, right and down from its middle, in radii. */
export function placeInBall(rotation: Mat3, direction: Vec3): Vec2 {
  const [right, down, ahead] = rotation;
  // The normal halves the angle between the way back to the eye and the direction; straight ahead is all of the rim.
  const n = normalize(sub(direction, ahead));
  return [dot(n, right), dot(n, down)];
}
