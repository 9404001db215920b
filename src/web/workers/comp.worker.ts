import { expose, transfer } from "comlink";
import type { FinishPart } from "#core/comp/finish";
import { FinishAgain } from "#core/comp/finishAgain";
import type { ScreenPasses } from "#core/comp/screen";
import { halved, readScreen } from "#core/comp/screen";
import type { Scopes, ViewChoice } from "#core/comp/view";
import { paintView, scopesOf } from "#core/comp/view";
import { matteOver } from "#core/comp/mattes/index";
import { placeOf } from "#core/comp/placeRaster";
import type { StageName } from "#core/comp/stages/index";
import type { PlateEncoding } from "#core/image/profile";
import { shownLight } from "#core/image/profile";

/** Finishes the picture at the size of the screen, over and over while settings change: nothing is rendered. */

export interface CompAsk {
  shot: FinishPart;
  /** Half the size, while something is dragged. */
  quick: boolean;
  without: StageName | null;
  view: Pick<ViewChoice, "view" | "gain">;
  matte: { id: string; how: "overlay" | "alone" | "edge" } | null;
}
export interface CompPicture {
  bitmap: ImageBitmap;
  width: number;
  height: number;
  ms: number;
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
let half: Size | null = null;
let encoding: PlateEncoding | null = null;
let last: { linear: Float32Array; touched: Uint8Array; width: number; height: number; size: ScreenPasses } | null =
  null;

function againOf({ width, height, scale, renderedSigma, layers }: ScreenPasses): FinishAgain {
  const { plate: linear, ...passes } = layers;
  const given = { full: { width, height }, scale, y0: 0, renderedSigma };
  return new FinishAgain({ width, height, linear }, { width, height, ...passes }, given);
}

const asks = {
  /** Takes passes at screen size, as the server or the proof made them. */
  load(buffer: ArrayBuffer, own: PlateEncoding): { width: number; height: number; scale: number } {
    const read = readScreen(buffer);
    const smaller = halved(read);
    whole = { ...read, again: againOf(read) };
    half = { ...smaller, again: againOf(smaller) };
    encoding = own;
    last = null;
    const { width, height, scale } = whole;
    return { width, height, scale };
  },

  finish({ shot, quick, without, view, matte }: CompAsk): Promise<CompPicture> | null {
    const size = quick ? half : whole;
    if (!size || !encoding) return null;
    const begun = performance.now();
    const { linear, touched } = size.again.finish(shot, without);
    const { width, height } = size;
    if (!quick) last = { linear, touched, width, height, size };
    const image = new ImageData(width, height);
    const shown = shownLight(encoding);
    const cover = matte && matteAt(shot, size, matte.id);
    const choice: ViewChoice = { ...view, matte: cover && matte ? { pixels: cover, how: matte.how } : null };
    paintView(linear, size.layers.plate, width, choice, shown, image.data);
    return createImageBitmap(image).then((bitmap) =>
      transfer({ bitmap, width, height, ms: performance.now() - begun }, [bitmap]),
    );
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

function matteAt(shot: FinishPart, { width, height, scale, layers }: ScreenPasses, id: string): Float32Array | null {
  const matte = shot.comp.mattes[id];
  const camera = shot.solved?.camera ?? null;
  if (!matte) return null;
  return matteOver(matte, {
    width,
    height,
    y0: 0,
    scale,
    plate: layers.plate,
    place: () => camera && placeOf(shot, camera, { full: { width, height }, scale, y0: 0, rows: height }),
  });
}

export type CompAsks = typeof asks;
expose(asks);
