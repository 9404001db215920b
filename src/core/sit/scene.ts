import type { Layers } from "../comp/layers.ts";
import type { Place } from "../comp/mattes/shape.ts";
import { placeOf } from "../comp/placeRaster.ts";
import type { Yardstick } from "../match/yardsticks.ts";
import { FIRST_YARDSTICKS } from "../match/yardsticks.ts";
import type { Model } from "../props/model.ts";
import type { Passes } from "../trace/film.ts";
import type { Shot } from "../shot/schema.ts";

/** What the sit report looks at: the shot, its plate, and the finished picture with its layers before and after the comp. */
export interface SitScene {
  shot: Shot;
  models: Map<string, Model>;
  /** The plate as it was taken. */
  plate: { width: number; height: number; linear: Float32Array };
  /** Size of the picture. */
  width: number;
  height: number;
  /** Pixels of the picture over the plate's. */
  scale: number;
  /** The plate at the picture's size. */
  behind: Float32Array;
  /** Passes as they were rendered. */
  rendered: Pick<Passes, "prop" | "ratio" | "added" | "depth">;
  /** The same after the comp's stages, before they are put together. */
  layers: Layers;
  /** The finished picture before its look, and what it is without grain. */
  grained: Float32Array;
  merged: Float32Array;
  /** Standard deviation of the filter that was rendered with, pixels of the picture. */
  renderedSigma: number;
  /** What the render noticed. */
  notices: readonly string[];
  /** What is known beside the shot. */
  known: Known;
}

/** What the library knows: terms of models by their file's hash (null where there is no library at hand), and things of known size. */
export interface Known {
  licences: Readonly<Record<string, string>> | null;
  yardsticks: readonly Yardstick[];
}

/** What is known without a library. */
export const unkept: Known = { licences: null, yardsticks: FIRST_YARDSTICKS };

/** A part of the picture, pixels. */
export interface Spot {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** The step of a shot that mends something. */
export type MendStep = "plate" | "camera" | "set" | "props" | "light" | "render" | "comp";

/** What one check finds. */
export interface SitLine {
  /** Off by how many of its tolerances; up to 1 is well. Null where it cannot be told. */
  score: number | null;
  /** The figure with its unit, and what is allowed. */
  value: string;
  tolerance: string;
  /** A sentence: what is wrong and what to do; what is well; or why it cannot be told. */
  words: string;
  step: MendStep;
  spot: Spot | null;
}

export interface SitCheck {
  label: string;
  /** What it finds; null where it does not apply. */
  look: (scene: SitScene) => SitLine | null;
}

/** Box around the pixels for which something holds, with a margin; null without any. */
export function boxOf({ width, height }: SitScene, holds: (pixel: number) => boolean, margin = 12): Spot | null {
  let [x0, y0, x1, y1] = [width, height, -1, -1];
  for (let y = 0, i = 0; y < height; y++)
    for (let x = 0; x < width; x++, i++) {
      if (!holds(i)) continue;
      if (x < x0) x0 = x;
      if (x > x1) x1 = x;
      if (y < y0) y0 = y;
      if (y > y1) y1 = y;
    }
  if (x1 < 0) return null;
  const [left, top] = [Math.max(0, x0 - margin), Math.max(0, y0 - margin)];
  return { x: left, y: top, width: Math.min(width, x1 + margin) - left, height: Math.min(height, y1 + margin) - top };
}

/** Pixels that a prop covers wholly. */
export const covered = ({ rendered }: SitScene, pixel: number): boolean => rendered.prop[pixel * 4 + 3] > 0.99;

const places = new WeakMap<SitScene, Place | null>();
/** The set in every pixel of the picture; null without a camera. */
export function placeIn(scene: SitScene): Place | null {
  const known = places.get(scene);
  if (known !== undefined) return known;
  const { shot, width, height, scale } = scene;
  const camera = shot.solved?.camera;
  const made = camera ? placeOf(shot, camera, { full: { width, height }, scale, y0: 0, rows: height }) : null;
  places.set(scene, made);
  return made;
}

/** The value below which a share of a list lies. */
export function quantile(values: ArrayLike<number>, share: number): number {
  const sorted = Float64Array.from(values).sort();
  return sorted[Math.min(sorted.length - 1, Math.max(0, Math.floor(share * sorted.length)))];
}
