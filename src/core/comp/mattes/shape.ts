import type * as v from "valibot";

/** Rows of a picture that a matte is drawn into, and what a shape may look at. */
export interface MatteRows {
  width: number;
  height: number;
  /** Number of the first row in the whole picture. */
  y0: number;
  /** Pixels of the picture over pixels of the plate. */
  scale: number;
  /** The plate's rows, linear RGB. */
  plate: Float32Array;
  /** The set in every pixel: number of the part, from 1 on, and metres along the view axis; null without a camera. */
  place: () => Place | null;
}

export interface Place {
  /** Ids of the parts by their number less one. */
  parts: string[];
  part: Uint16Array;
  depth: Float32Array;
  /** Line of sight of every pixel, x and y at one metre along the view axis. */
  rays: Float32Array;
}

/** A kind of shape: how it is stored, and its coverage of every pixel of the rows, 0 to 1. */
export interface ShapeKind<S> {
  schema: v.GenericSchema<unknown, S>;
  label: string;
  fresh: () => S;
  /** Rows above and below that it looks at in a picture of that scale; none where it is left out. */
  halo?: (shape: S, scale: number) => number;
  cover: (shape: S, rows: MatteRows) => Float32Array;
}

/** 0 below `from`, 1 above `to`, smooth between. */
export function smoothstep(from: number, to: number, x: number): number {
  if (x <= from) return 0;
  if (x >= to) return 1;
  const t = (x - from) / (to - from);
  return t * t * (3 - 2 * t);
}
