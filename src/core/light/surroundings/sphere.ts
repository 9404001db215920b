import type { Vec3 } from "../../math/vec3.ts";
import type { Picture } from "../../trace/scene.ts";

/** A latitude-longitude picture and the directions of the sphere: +Y in its middle, up at the top, as the tracer reads it. */

/** Place in the picture as unit vector; the first pixel's centre is (0.5, 0.5). */
export function directionAt({ width, height }: Pick<Picture, "width" | "height">, x: number, y: number): Vec3 {
  const turn = (x / width - 0.5) * 2 * Math.PI;
  const tilt = (y / height) * Math.PI;
  return [Math.sin(tilt) * Math.sin(turn), Math.sin(tilt) * Math.cos(turn), Math.cos(tilt)];
}

/** Place of a unit vector in the picture. */
export function placeOf({ width, height }: Pick<Picture, "width" | "height">, d: Vec3): [x: number, y: number] {
  const turn = Math.atan2(d[0], d[1]);
  return [(turn / (2 * Math.PI) + 0.5) * width, (Math.acos(Math.min(1, Math.max(-1, d[2]))) / Math.PI) * height];
}

/** Solid angle of a pixel in row `y`, steradians. */
export function cellOf({ width, height }: Pick<Picture, "width" | "height">, y: number): number {
  const [top, bottom] = [(y / height) * Math.PI, ((y + 1) / height) * Math.PI];
  return ((Math.cos(top) - Math.cos(bottom)) * 2 * Math.PI) / width;
}

/** Value of the picture in a direction, between its pixels. */
export function lookUp(picture: Picture, d: Vec3): Vec3 {
  const { width, height, pixels } = picture;
  const [x, y] = placeOf(picture, d);
  const [fx, fy] = [Math.floor(x - 0.5), Math.floor(y - 0.5)];
  const [ax, ay] = [x - 0.5 - fx, y - 0.5 - fy];
  const column = (i: number) => (i + width) % width;
  const row = (i: number) => Math.min(height - 1, Math.max(0, i));
  const at = (i: number, j: number, k: number) => pixels[(row(j) * width + column(i)) * 3 + k];
  return [0, 1, 2].map(
    (k) =>
      (1 - ay) * ((1 - ax) * at(fx, fy, k) + ax * at(fx + 1, fy, k)) +
      ay * ((1 - ax) * at(fx, fy + 1, k) + ax * at(fx + 1, fy + 1, k)),
  ) as Vec3;
}
