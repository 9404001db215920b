import * as v from "valibot";
import { Finite, inPixels } from "../../schema/fields.ts";
import type { Layers, Where } from "../layers.ts";
import { leavesPlate } from "../layers.ts";
import type { Stage, StageBase } from "../stage.ts";
import { newStage, stageEntries } from "../stage.ts";

/** What the plate's lens does to colour and brightness towards the corners, done to what is rendered. */
const edge = inPixels(
  v.pipe(Finite, v.minValue(-20, "must be -20 px or more"), v.maxValue(20, "must be 20 px or less")),
);
export const entries = {
  ...stageEntries,
  /** Pixels of the plate by which red lies farther out than green in the corner; the same of blue. */
  redPx: edge,
  bluePx: edge,
  /** Share of the light that the corner has lost. */
  vignette: v.pipe(Finite, v.minValue(-0.5, "must be -0.5 or more"), v.maxValue(0.95, "must be 0.95 or less")),
};
export const schema = v.object(entries);
export type Settings = v.InferOutput<typeof schema> & StageBase;
export const fresh = (): Settings => ({ ...newStage(), redPx: 0, bluePx: 0, vignette: 0 });

export const stage: Stage<Settings> = {
  label: "Lens",
  changes: ["prop", "cover", "ratio", "added"],
  halo: ({ redPx, bluePx }, scale) => Math.ceil(Math.max(Math.abs(redPx), Math.abs(bluePx)) * scale) + 1,
  idle: ({ redPx, bluePx, vignette }) => redPx === 0 && bluePx === 0 && vignette === 0,
  apply: (layers: Layers, { redPx, bluePx, vignette }: Settings, where: Where) => {
    if (redPx !== 0 || bluePx !== 0) shift(layers, redPx * where.scale, bluePx * where.scale, where);
    if (vignette !== 0) shade(layers, vignette, where);
  },
};

/** Moves red and blue along the radius, as much as the distance from the middle asks. */
function shift(layers: Layers, red: number, blue: number, { full }: Where): void {
  const { width, height, y0 } = layers;
  const cover = new Float32Array(width * height * 3);
  for (let i = 0, p = 3; i < cover.length; i += 3, p += 4) cover[i] = cover[i + 1] = cover[i + 2] = layers.prop[p];
  const [cx, cy] = [full.width / 2, full.height / 2];
  const corner = Math.hypot(cx, cy);
  const spans = spansOf(layers);
  for (const [k, px] of [
    [0, red],
    [2, blue],
  ]) {
    if (px === 0 || width < 2 || height < 2) continue;
    const from = 1 - px / corner;
    const moved: [Float32Array, number, Float32Array][] = [
      [layers.prop, 4, layers.prop.slice()],
      [cover, 3, cover.slice()],
      [layers.ratio, 3, layers.ratio.slice()],
      [layers.added, 3, layers.added.slice()],
    ];
    for (let y = 0; y < height; y++) {
      const w = Math.min(height - 1, Math.max(0, cy + (y + y0 + 0.5 - cy) * from - 0.5 - y0));
      const j = Math.min(height - 2, Math.floor(w));
      const t = w - j;
      // Where there is nothing in the rows that are read, nor in the one that is written, there is nothing to do.
      const left = Math.min(spans[j * 2], spans[j * 2 + 2]);
      const right = Math.max(spans[j * 2 + 1], spans[j * 2 + 3]);
      // The border's pixels go on beyond it.
      const first = left <= 1 ? 0 : Math.min(spans[y * 2], Math.floor((left - 1 - cx) / from + cx) - 1);
      const last =
        right >= width - 2 ? width - 1 : Math.max(spans[y * 2 + 1], Math.ceil((right + 1 - cx) / from + cx) + 1);
      for (let x = Math.max(0, first); x <= Math.min(width - 1, last); x++) {
        const u = Math.min(width - 1, Math.max(0, cx + (x + 0.5 - cx) * from - 0.5));
        const i = Math.min(width - 2, Math.floor(u));
        const s = u - i;
        for (const [into, stride, of] of moved) {
          const at = (j * width + i) * stride + k;
          const down = at + width * stride;
          const [a, b, c, d] = [of[at], of[at + stride], of[down], of[down + stride]];
          into[(y * width + x) * stride + k] =
            a === b && a === c && a === d ? a : (1 - t) * ((1 - s) * a + s * b) + t * ((1 - s) * c + s * d);
        }
      }
    }
  }
  layers.cover = cover;
}

/** First and last column of each row in which the layers change something; a first one beyond the last where they do not. */
function spansOf(layers: Layers): Float64Array {
  const { width, height } = layers;
  const spans = new Float64Array(height * 2);
  for (let y = 0; y < height; y++) {
    let [first, last] = [0, width - 1];
    while (first <= last && leavesPlate(layers, y * width + first)) first++;
    while (last > first && leavesPlate(layers, y * width + last)) last--;
    spans[y * 2] = first > last ? Infinity : first;
    spans[y * 2 + 1] = first > last ? -Infinity : last;
  }
  return spans;
}

/** Light falls off with the square of the distance from the middle, down to the corner's share. */
function shade({ prop, added, width, height, y0 }: Layers, vignette: number, { full }: Where): void {
  const [cx, cy] = [full.width / 2, full.height / 2];
  const corner = cx * cx + cy * cy;
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const left = 1 - (vignette * ((x + 0.5 - cx) ** 2 + (y + y0 + 0.5 - cy) ** 2)) / corner;
      const i = y * width + x;
      for (let k = 0; k < 3; k++) {
        if (prop[i * 4 + k] !== 0) prop[i * 4 + k] *= left;
        if (added[i * 3 + k] !== 0) added[i * 3 + k] *= left;
      }
    }
}
