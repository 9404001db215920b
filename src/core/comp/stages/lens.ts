import * as v from "valibot";
import { Finite } from "../../schema/fields.ts";
import type { Layers, Where } from "../layers.ts";
import type { Stage, StageBase } from "../stage.ts";
import { newStage, stageEntries } from "../stage.ts";

/** What the plate's lens does to colour and brightness towards the corners, done to what is rendered. */
const edge = v.pipe(Finite, v.minValue(-20, "must be -20 px or more"), v.maxValue(20, "must be 20 px or less"));
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
  for (let i = 0, p = 3; i < cover.length; i += 3, p += 4) cover.fill(layers.prop[p], i, i + 3);
  const [cx, cy] = [full.width / 2, full.height / 2];
  const corner = Math.hypot(cx, cy);
  const sample = (of: Float32Array, stride: number, offset: number, x: number, y: number) => {
    const u = Math.min(width - 1, Math.max(0, x));
    const w = Math.min(height - 1, Math.max(0, y));
    const [i, j] = [Math.min(width - 2, Math.floor(u)), Math.min(height - 2, Math.floor(w))];
    const [s, t] = [u - i, w - j];
    const at = (j * width + i) * stride + offset;
    const down = width * stride;
    const [a, b, c, d] = [of[at], of[at + stride], of[at + down], of[at + down + stride]];
    if (a === b && a === c && a === d) return a;
    return (1 - t) * ((1 - s) * a + s * b) + t * ((1 - s) * c + s * d);
  };
  for (const [k, px] of [
    [0, red],
    [2, blue],
  ]) {
    if (px === 0 || width < 2 || height < 2) continue;
    const from = 1 - px / corner;
    const [prop, ratio, added] = [layers.prop.slice(), layers.ratio.slice(), layers.added.slice()];
    const alpha = cover.slice();
    for (let y = 0; y < height; y++)
      for (let x = 0; x < width; x++) {
        const u = cx + (x + 0.5 - cx) * from - 0.5;
        const w = cy + (y + y0 + 0.5 - cy) * from - 0.5 - y0;
        const i = y * width + x;
        layers.prop[i * 4 + k] = sample(prop, 4, k, u, w);
        cover[i * 3 + k] = sample(alpha, 3, k, u, w);
        layers.ratio[i * 3 + k] = sample(ratio, 3, k, u, w);
        layers.added[i * 3 + k] = sample(added, 3, k, u, w);
      }
  }
  layers.cover = cover;
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
