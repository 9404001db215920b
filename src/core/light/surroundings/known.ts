import type { Vec3 } from "../../math/vec3.ts";
import type { Picture } from "../../trace/scene.ts";
import type { Slope } from "../level.ts";
import type { SkySpread } from "../schema.ts";
import { blurred, contrasted, expanded } from "./adjust.ts";
import { cellOf, directionAt } from "./sphere.ts";
import type { PicturedSun } from "./sun.ts";
import { findSun, withoutSun } from "./sun.ts";
import { outOfPicture, turnMatrix } from "./turn.ts";

/**
 * Pictures of the surroundings by the SHA-256 of their files. A file never changes under its hash, so what is kept here
 * is a constant: whoever loads a shot's files says so once with `provideSurroundings`.
 */

export type PictureSpread = Extract<SkySpread, { kind: "picture" }>;

const known = new Map<string, Picture>();
/** Few are kept: each is some 25 MB. */
const MOST_KNOWN = 3;

export const hasSurroundings = (hash: string): boolean => known.has(hash);

/** The picture as it was brought in; undefined before it is loaded. */
export const surroundingsOf = (hash: string): Picture | undefined => known.get(hash);

/** Takes a loaded picture in. Doing so again changes nothing. */
export function provideSurroundings(hash: string, picture: Picture): void {
  if (known.has(hash)) return;
  if (known.size >= MOST_KNOWN) known.delete(known.keys().next().value!);
  known.set(hash, picture);
}

/** What was made of a picture last, by what it was made with: the same object as long as nothing of that changes. */
function kept<T, With extends unknown[] = []>(
  make: (spread: PictureSpread, ...by: With) => T,
  keyOf: (spread: PictureSpread) => unknown,
) {
  const made = new Map<string, T>();
  return (spread: PictureSpread, ...by: With): T => {
    const key = JSON.stringify([hasSurroundings(spread.asset), keyOf(spread), by]);
    if (!made.has(key)) {
      if (made.size > 3) made.delete(made.keys().next().value!);
      made.set(key, make(spread, ...by));
    }
    return made.get(key)!;
  };
}

/** With the brightness that was made up beyond where it clips. */
const ranged = kept(
  (spread) => {
    const picture = surroundingsOf(spread.asset) ?? null;
    if (!picture || spread.clippedAt === null || spread.expandStops === 0) return picture;
    return expanded(picture, spread.clippedAt, spread.expandStops);
  },
  ({ asset, clippedAt, expandStops }) => [asset, clippedAt, expandStops],
);

/** The sun that is in the picture; null where there is none, or before it is loaded. */
export const sunIn = kept<PicturedSun | null>(
  (spread) => {
    const picture = ranged(spread);
    return picture && findSun(picture);
  },
  ({ asset, clippedAt, expandStops }) => [asset, clippedAt, expandStops],
);

/** The picture as it lights: without its sun, with its contrast and blur. Null before it is loaded. */
export const litPicture = kept<Picture | null>(
  (spread) => {
    let picture = ranged(spread);
    if (!picture) return null;
    const sun = spread.sunOut ? sunIn(spread) : null;
    if (sun) picture = withoutSun(picture, sun);
    if (spread.contrast !== 1) picture = contrasted(picture, spread.contrast);
    if (spread.blurDeg > 0) picture = blurred(picture, spread.blurDeg);
    return picture;
  },
  ({ asset, clippedAt, expandStops, sunOut, contrast, blurDeg }) => [
    asset,
    clippedAt,
    expandStops,
    sunOut,
    contrast,
    blurDeg,
  ],
);

/** Radiance of the even sky that lights the world's ground as the turned picture does, in the picture's own values. */
export const groundMean = kept<Vec3, [slope: Slope]>(
  (spread, slope) => {
    const picture = litPicture(spread);
    if (!picture) return [1, 1, 1];
    const turn = turnMatrix(spread, slope);
    const { width, height, pixels } = picture;
    const sum: Vec3 = [0, 0, 0];
    let weights = 0;
    for (let y = 0; y < height; y++) {
      const cell = cellOf(picture, y);
      for (let x = 0; x < width; x++) {
        const up = outOfPicture(turn, directionAt(picture, x + 0.5, y + 0.5))[2];
        if (up <= 0) continue;
        weights += up * cell;
        for (let k = 0; k < 3; k++) sum[k] += up * cell * pixels[(y * width + x) * 3 + k];
      }
    }
    return sum.map((s) => s / weights) as Vec3;
  },
  (spread) => spread,
);
