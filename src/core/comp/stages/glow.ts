import * as v from "valibot";
import { NotNegative } from "../../schema/fields.ts";
import { gaussianTaps } from "../blur.ts";
import type { Layers, Where } from "../layers.ts";
import { luminance } from "../../colour/srgb.ts";
import type { Stage, StageBase } from "../stage.ts";
import { newStage, stageEntries } from "../stage.ts";

/** Light of what is bright in the render, spread by the lens over what is around it, plate and all. */
export const entries = {
  ...stageEntries,
  /** Light from which something glows, in multiples of white. */
  from: v.pipe(NotNegative, v.maxValue(100, "must be 100 or less")),
  /** Standard deviation, thousandths of the picture's width. */
  size: v.pipe(NotNegative, v.maxValue(30, "must be 30 or less")),
  /** Share of that light that is spread. */
  amount: v.pipe(NotNegative, v.maxValue(1, "must be 1 or less")),
};
export const schema = v.object(entries);
export type Settings = v.InferOutput<typeof schema> & StageBase;
export const fresh = (): Settings => ({ ...newStage(), from: 0.8, size: 6, amount: 0.1 });

/** Pixels of the picture that make one cell, in which glow is reckoned: it is smooth. */
const cellOf = (sigma: number): number => Math.max(1, Math.floor(sigma / 3));
const sigmaOf = ({ size }: Pick<Settings, "size">, width: number): number => (size * width) / 1000;
export const stage: Stage<Settings> = {
  label: "Glow",
  changes: ["glow"],
  halo: ({ size }, _scale, width) => Math.ceil(5 * sigmaOf({ size }, width)) + 2,
  idle: ({ size, amount }) => size === 0 || amount === 0,
  apply: (layers: Layers, { from, amount, size }: Settings, { full }: Where) => {
    const { width, height, y0, prop } = layers;
    const sigma = sigmaOf({ size }, full.width);
    const cell = cellOf(sigma);
    // Cells are counted from the whole picture's corner, so that every band has the same.
    const [first, columns] = [Math.floor(y0 / cell), Math.ceil(width / cell)];
    const rows = Math.floor((y0 + height - 1) / cell) - first + 1;
    const cells = new Float32Array(columns * rows * 3);
    let any = false;
    for (let y = 0; y < height; y++)
      for (let x = 0; x < width; x++) {
        const p = (y * width + x) * 4;
        const light = luminance(prop[p], prop[p + 1], prop[p + 2]);
        if (!(light > from)) continue;
        any = true;
        const share = (amount * (light - from)) / light / (cell * cell);
        const at = ((Math.floor((y0 + y) / cell) - first) * columns + Math.floor(x / cell)) * 3;
        for (let k = 0; k < 3; k++) cells[at + k] += share * prop[p + k];
      }
    if (!any) return;
    const spread = spreadCells(cells, columns, rows, sigma / cell);
    const glow = new Float32Array(width * height * 3);
    for (let y = 0; y < height; y++) {
      const v = (y0 + y + 0.5) / cell - 0.5 - first;
      const j = Math.min(rows - 1, Math.max(0, Math.floor(v)));
      const t = Math.min(1, Math.max(0, v - j));
      const below = Math.min(rows - 1, j + 1);
      for (let x = 0; x < width; x++) {
        const u = (x + 0.5) / cell - 0.5;
        const i = Math.min(columns - 1, Math.max(0, Math.floor(u)));
        const s = Math.min(1, Math.max(0, u - i));
        const right = Math.min(columns - 1, i + 1);
        const near = (j * columns + i) * 3 + 1;
        const foot0 = (below * columns + i) * 3 + 1;
        const far = (right - i) * 3;
        if (spread[near] + spread[near + far] + spread[foot0] + spread[foot0 + far] === 0) continue;
        for (let k = 0; k < 3; k++) {
          const top = (1 - s) * spread[(j * columns + i) * 3 + k] + s * spread[(j * columns + right) * 3 + k];
          const foot = (1 - s) * spread[(below * columns + i) * 3 + k] + s * spread[(below * columns + right) * 3 + k];
          glow[(y * width + x) * 3 + k] = (1 - t) * top + t * foot;
        }
      }
    }
    layers.glow = glow;
  },
};

/** Gaussian blur of cells beyond which there is nothing. */
function spreadCells(cells: Float32Array, columns: number, rows: number, sigma: number): Float32Array {
  const taps = gaussianTaps(sigma);
  const reach = taps.length - 1;
  const pass = (source: Float32Array, dx: number, dy: number) => {
    const out = new Float32Array(source.length);
    // What is dark, most of the picture, gives nothing.
    for (let y = 0, i = 0; y < rows; y++)
      for (let x = 0; x < columns; x++, i += 3) {
        const [r, g, b] = [source[i], source[i + 1], source[i + 2]];
        if (r === 0 && g === 0 && b === 0) continue;
        for (let t = -reach; t <= reach; t++) {
          const [u, w] = [x + dx * t, y + dy * t];
          if (u < 0 || w < 0 || u >= columns || w >= rows) continue;
          const at = (w * columns + u) * 3;
          const weight = taps[t < 0 ? -t : t];
          out[at] += weight * r;
          out[at + 1] += weight * g;
          out[at + 2] += weight * b;
        }
      }
    return out;
  };
  return pass(pass(cells, 1, 0), 0, 1);
}
