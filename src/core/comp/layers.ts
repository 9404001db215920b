import type { Passes } from "../trace/film.ts";

/** Rows of a picture that is being finished: what the stages change, in the order of `stages/index`. Linear Rec. 709. */
export interface Layers {
  width: number;
  height: number;
  /** Number of the first row in the whole picture. */
  y0: number;
  /** The plate, interleaved RGB; no stage before the look changes it. */
  plate: Float32Array;
  /** Premultiplied RGBA. */
  prop: Float32Array;
  /** Coverage of the prop by channel, where a lens parts them; null where all are its alpha. */
  cover: Float32Array | null;
  /** What the plate is multiplied by: shadow and bounce. */
  ratio: Float32Array;
  /** Light added to the plate: reflections. */
  added: Float32Array;
  /** Metres along the view axis; 0 where no prop is seen. */
  depth: Float32Array;
  /** Share of the hemisphere that is open; null where the render did not ask for it. */
  occlusion: Float32Array | null;
  /** Light that glows over everything; null before anything does. */
  glow: Float32Array | null;
}

/** Where the rows lie, and what a stage may ask about them. */
export interface Where {
  /** Size of the whole picture. */
  full: { width: number; height: number };
  /** Pixels of the picture over pixels of the plate. */
  scale: number;
  /** Standard deviation of the filter that the passes were rendered with, pixels of the picture. */
  renderedSigma: number;
  /** Metres along the view axis of the set's surface in every pixel of the rows, 0 where there is none. */
  setDepth: () => Float32Array | null;
  /** Line of sight of every pixel of the rows, x and y (down) at one metre along the view axis; null without a camera. */
  rays: () => Float32Array | null;
  /** Pixels of the picture that a metre at one metre's distance covers. */
  focal: number | null;
}

/** Layers of passes and the plate's rows; arrays are the passes' own, so that stages change them in place. */
export const layersOf = (plate: Float32Array, passes: Passes, y0: number): Layers => ({
  width: passes.width,
  height: passes.height,
  y0,
  plate,
  prop: passes.prop,
  cover: null,
  ratio: passes.ratio,
  added: passes.added,
  depth: passes.depth,
  occlusion: passes.occlusion ?? null,
  glow: null,
});

/** Rows from one to another, without that. */
export interface Rows {
  from: number;
  to: number;
}

/** Some rows of layers, in the same memory. */
export function layerRows(layers: Layers, { from, to }: Rows): Layers {
  const { width, y0, cover, occlusion, glow } = layers;
  const cut = (of: Float32Array, stride: number) => of.subarray(from * width * stride, to * width * stride);
  return {
    width,
    height: to - from,
    y0: y0 + from,
    plate: cut(layers.plate, 3),
    prop: cut(layers.prop, 4),
    cover: cover && cut(cover, 3),
    ratio: cut(layers.ratio, 3),
    added: cut(layers.added, 3),
    depth: cut(layers.depth, 1),
    occlusion: occlusion && cut(occlusion, 1),
    glow: glow && cut(glow, 3),
  };
}

type Changing = Pick<Layers, "prop" | "ratio" | "added" | "glow" | "cover">;

/** True where the layers leave the plate's pixel as it is. */
export const leavesPlate = ({ prop, ratio, added, glow, cover }: Changing, pixel: number): boolean =>
  prop[pixel * 4 + 3] === 0 &&
  isOnly(ratio, pixel * 3, 1) &&
  isOnly(added, pixel * 3, 0) &&
  (glow === null || isOnly(glow, pixel * 3, 0)) &&
  (cover === null || isOnly(cover, pixel * 3, 0));

const isOnly = (of: Float32Array, i: number, value: number): boolean =>
  of[i] === value && of[i + 1] === value && of[i + 2] === value;

/** 1 for each pixel that the layers change. */
export function touchedBy({ prop, ratio, added, glow, cover }: Changing): Uint8Array {
  const touched = new Uint8Array(prop.length / 4);
  for (let pixel = 0, p = 3; pixel < touched.length; pixel++, p += 4) touched[pixel] = +(prop[p] !== 0);
  noteOther(touched, ratio, 1);
  noteOther(touched, added, 0);
  if (glow) noteOther(touched, glow, 0);
  if (cover) noteOther(touched, cover, 0);
  return touched;
}

/** Notes pixels whose three values are not all that one. */
function noteOther(touched: Uint8Array, of: Float32Array, value: number): void {
  for (let pixel = 0, i = 0; pixel < touched.length; pixel++, i += 3)
    if (of[i] !== value || of[i + 1] !== value || of[i + 2] !== value) touched[pixel] = 1;
}
