import { expose, transfer } from "comlink";
import type { FinishPart } from "#core/comp/finish";
import { FinishAgain } from "#core/comp/finishAgain";
import { FinishShare, sharesOf } from "#core/comp/finishShare";
import type { ScreenPasses } from "#core/comp/screen";
import { halved, readScreen, screenBytes } from "#core/comp/screen";
import type { Scopes, ViewChoice } from "#core/comp/view";
import { paintView, scopesOf } from "#core/comp/view";
import { matteHalo, matteOver } from "#core/comp/mattes/index";
import { placeOf } from "#core/comp/placeRaster";
import type { StageName } from "#core/comp/stages/index";
import type { PlateEncoding } from "#core/image/profile";
import { shownLight } from "#core/image/profile";

/**
 * Finishes the picture at the size of the screen, over and over while settings change: nothing is rendered. While something
 * is dragged it is made at half the size, by several of these workers, each its share of the rows.
 */

export interface CompAsk {
  shot: FinishPart;
  without: StageName | null;
  view: Pick<ViewChoice, "view" | "gain">;
  matte: { id: string; how: "overlay" | "alone" | "edge" } | null;
}
export interface CompPicture {
  bitmap: ImageBitmap;
  ms: number;
}
/** Some rows of a quick picture, from row `y0` of `height`. */
export interface CompRows extends CompPicture {
  y0: number;
  height: number;
}
/** What lies at a pixel, linear light. */
export interface PixelValues {
  plate: number[];
  finished: number[];
  prop: number[];
  alpha: number;
}

interface Size extends ScreenPasses {
  again: FinishAgain;
}
let whole: Size | null = null;
let half: ScreenPasses | null = null;
let share: FinishShare | null = null;
let encoding: PlateEncoding | null = null;
let last: { linear: Float32Array; touched: Uint8Array; width: number; height: number; size: ScreenPasses } | null =
  null;

function againOf({ width, height, scale, renderedSigma, layers }: ScreenPasses): FinishAgain {
  const { plate: linear, ...passes } = layers;
  const given = { full: { width, height }, scale, y0: 0, renderedSigma };
  return new FinishAgain({ width, height, linear }, { width, height, ...passes }, given);
}

const asks = {
  /** Takes passes at screen size, as the server or the proof made them. Returns those of half the size, for the others. */
  load(buffer: ArrayBuffer, own: PlateEncoding, workers: number): ArrayBuffer {
    const read = readScreen(buffer);
    whole = { ...read, again: againOf(read) };
    last = null;
    const { occlusion, ...layers } = (half = halved(read)).layers;
    asks.loadHalf(half, own, 0, workers);
    const bytes = screenBytes(half, { ...layers, ...(occlusion ? { occlusion } : {}) }).buffer as ArrayBuffer;
    return transfer(bytes, [bytes]);
  },

  /** Takes passes of half the size as one of several workers, by its number. */
  loadHalf(passes: ArrayBuffer | ScreenPasses, own: PlateEncoding, number: number, workers: number): void {
    half = passes instanceof ArrayBuffer ? readScreen(passes) : passes;
    share = new FinishShare(half, sharesOf(half.height, workers)[number]);
    encoding = own;
  },

  finish({ shot, without, view, matte }: CompAsk): Promise<CompPicture> | null {
    if (!whole || !encoding) return null;
    const begun = performance.now();
    const { linear, touched } = whole.again.finish(shot, without);
    const { width, height, layers } = whole;
    last = { linear, touched, width, height, size: whole };
    const cover = matte && matteAt(shot, whole, matte.id, { from: 0, to: height });
    const choice: ViewChoice = { ...view, matte: cover && matte ? { pixels: cover, how: matte.how } : null };
    return painted(linear, layers.plate, width, choice, encoding, begun);
  },

  /** This worker's rows of the picture at half the size; null where it has none. */
  async finishRows({ shot, without, view, matte }: CompAsk): Promise<CompRows | null> {
    if (!half || !share || !encoding || share.share.from === share.share.to) return null;
    const begun = performance.now();
    const { width, height } = half;
    const rows = share.share;
    const { linear } = share.finish(shot, without);
    const cover = matte && matteAt(shot, half, matte.id, rows);
    const choice: ViewChoice = { ...view, matte: cover && matte ? { pixels: cover, how: matte.how } : null };
    const made = await painted(linear, share.plate(), width, choice, encoding, begun);
    return transfer({ ...made, y0: rows.from, height }, [made.bitmap]);
  },

  /** What was finished last, at a pixel of the plate; null beside it. */
  values(u: number, v: number): PixelValues | null {
    if (!last) return null;
    const { linear, width, height, size } = last;
    const [x, y] = [Math.floor(u * size.scale), Math.floor(v * size.scale)];
    if (x < 0 || y < 0 || x >= width || y >= height) return null;
    const pixel = y * width + x;
    const three = (of: Float32Array) => [...of.subarray(pixel * 3, pixel * 3 + 3)];
    const prop = [...size.layers.prop.subarray(pixel * 4, pixel * 4 + 4)];
    return {
      plate: three(size.layers.plate),
      finished: three(linear),
      prop: prop.slice(0, 3).map((c) => (prop[3] > 0 ? c / prop[3] : 0)),
      alpha: prop[3],
    };
  },

  /** Mean of the props' own colour, or of the plate, over some pixels around one of the plate; null where there is none. */
  patch(u: number, v: number, radius: number, of: "cg" | "plate"): [number, number, number] | null {
    if (!whole) return null;
    const { width, height, scale, layers } = whole;
    const r = Math.max(1, radius * scale);
    const sum = [0, 0, 0, 0];
    for (let y = Math.floor(v * scale - r); y <= v * scale + r; y++)
      for (let x = Math.floor(u * scale - r); x <= u * scale + r; x++) {
        if (x < 0 || y < 0 || x >= width || y >= height) continue;
        const pixel = y * width + x;
        const weight = of === "plate" ? 1 : layers.prop[pixel * 4 + 3];
        sum[3] += weight;
        for (let k = 0; k < 3; k++) sum[k] += of === "plate" ? layers.plate[pixel * 3 + k] : layers.prop[pixel * 4 + k];
      }
    return sum[3] > 0.5 ? [sum[0] / sum[3], sum[1] / sum[3], sum[2] / sum[3]] : null;
  },

  scopes(columns: number): Scopes | null {
    if (!last || !encoding) return null;
    return scopesOf(last.linear, last.touched, last.width, columns, shownLight(encoding));
  },
};

async function painted(
  linear: Float32Array,
  plate: Float32Array,
  width: number,
  choice: ViewChoice,
  own: PlateEncoding,
  begun: number,
): Promise<CompPicture> {
  const image = new ImageData(width, linear.length / 3 / width);
  paintView(linear, plate, width, choice, shownLight(own), image.data);
  const bitmap = await createImageBitmap(image);
  return transfer({ bitmap, ms: performance.now() - begun }, [bitmap]);
}

function matteAt(
  shot: FinishPart,
  { width, height, scale, layers }: ScreenPasses,
  id: string,
  { from, to }: { from: number; to: number },
): Float32Array | null {
  const matte = shot.comp.mattes[id];
  const camera = shot.solved?.camera ?? null;
  if (!matte) return null;
  const halo = matteHalo(matte, scale);
  const [y0, end] = [Math.max(0, from - halo), Math.min(height, to + halo)];
  const rows = end - y0;
  const cover = matteOver(matte, {
    width,
    height: rows,
    y0,
    scale,
    plate: layers.plate.subarray(y0 * width * 3, end * width * 3),
    place: () => camera && placeOf(shot, camera, { full: { width, height }, scale, y0, rows }),
  });
  return cover.subarray((from - y0) * width, (to - y0) * width);
}

export type CompAsks = typeof asks;
expose(asks);
