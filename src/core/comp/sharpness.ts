import { findSegments } from "../detect/segments.ts";
import { stepSpread } from "../detect/step.ts";
import { toneOf } from "../detect/tone.ts";
import type { Vec2 } from "../math/vec3.ts";

/** How soft a plate's edges are: the standard deviation of the Gaussian that blurs a step into what is seen. */

export interface MeasuredSharpness {
  /** Pixels; two fifths of what was measured are sharper. */
  sigmaPx: number;
  /** Edge spreads of all places, sorted. */
  each: number[];
}

/** Edges of things may be softer than the lens, and slivers look sharper: the place in the sorted list that counts. */
const SHARPER = 0.4;

/** Pixels to either side of an edge that are looked at, and along it for one measurement. */
const REACH = 7;
const ALONG = 24;
/** Share of the spread that a blurred step has to explain. */
const LEAST_FIT = 0.97;

/**
 * Measures edges of a plate along lines that were marked on it, a piece of 24 pixels at a time: the light across, pooled
 * over the piece so that its slant samples it finely (ISO 12233's slanted edge), fitted by a blurred step. Null where no
 * piece, or fewer than the least, is a clean step.
 */
export function measureSharpness(
  plate: { width: number; height: number; linear: Float32Array },
  lines: readonly (readonly Vec2[])[],
  least = 3,
): MeasuredSharpness | null {
  const each: number[] = [];
  for (const line of lines)
    for (let i = 1; i < line.length; i++) {
      const [from, to] = [line[i - 1], line[i]];
      const length = Math.hypot(to[0] - from[0], to[1] - from[1]);
      const pieces = Math.min(60, Math.floor(length / ALONG));
      for (let p = 0; p < pieces; p++) {
        const at = (s: number): Vec2 => [from[0] + (to[0] - from[0]) * s, from[1] + (to[1] - from[1]) * s];
        const sigma = stepSpread(plate, at((p * ALONG) / length), at(((p + 1) * ALONG) / length), REACH, LEAST_FIT);
        if (sigma !== null) each.push(sigma);
      }
    }
  if (each.length < least) return null;
  each.sort((a, b) => a - b);
  return { sigmaPx: each[Math.floor(SHARPER * each.length)], each };
}

/** Pieces of marked edges that suffice. */
const ENOUGH = 8;

/** A plate's sharpness by the edges that are marked on it, and by those that are found in it where the marks are no clean steps. */
export function plateSharpness(
  plate: { width: number; height: number; linear: Float32Array },
  marks: readonly (readonly Vec2[])[],
): MeasuredSharpness | null {
  const marked = measureSharpness(plate, marks);
  if (marked && marked.each.length >= ENOUGH) return marked;
  const found = findSegments(toneOf(plate.linear, plate.width, plate.height));
  return measureSharpness(plate, [...marks, ...found.map(({ from, to }) => [from, to])]);
}
