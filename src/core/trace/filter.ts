import { FILTER_CELLS } from "../../kernel/layout.ts";

/** Pixel filters. Width in pixels: a box of 1 is the pixel itself; Blackman-Harris is usual at 3. */
export interface PixelFilter {
  kind: "box" | "blackman-harris";
  width: number;
}

export const BOX: PixelFilter = { kind: "box", width: 1 };
export const SOFT: PixelFilter = { kind: "blackman-harris", width: 3 };

/** Four-term Blackman-Harris window over x in [0, 1] (Harris 1978, Proc. IEEE 66(1), table 1, minimum four terms). */
const blackmanHarris = (x: number): number =>
  0.35875 -
  0.48829 * Math.cos(2 * Math.PI * x) +
  0.14128 * Math.cos(4 * Math.PI * x) -
  0.01168 * Math.cos(6 * Math.PI * x);

/**
 * Offsets in pixels by cumulated weight, FILTER_CELLS + 1 of them: a uniform number picks one, so that samples need no
 * weights and pixels stay apart.
 */
export function filterTable(filter: PixelFilter): Float32Array {
  const table = new Float32Array(FILTER_CELLS + 1);
  const steps = 4096;
  const cumulated = new Float64Array(steps + 1);
  for (let i = 0; i < steps; i++) {
    const x = (i + 0.5) / steps;
    cumulated[i + 1] = cumulated[i] + (filter.kind === "box" ? 1 : Math.max(0, blackmanHarris(x)));
  }
  for (let c = 0, i = 0; c <= FILTER_CELLS; c++) {
    const wanted = (c / FILTER_CELLS) * cumulated[steps];
    while (i < steps - 1 && cumulated[i + 1] < wanted) i++;
    const step = cumulated[i + 1] - cumulated[i];
    const x = (i + (step > 0 ? Math.min(1, (wanted - cumulated[i]) / step) : 0)) / steps;
    table[c] = (x - 0.5) * filter.width;
  }
  return table;
}
