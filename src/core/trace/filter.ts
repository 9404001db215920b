import { FILTER_CELLS } from "../../kernel/layout.ts";

/** Pixel filters. Width in pixels: a box of 1 is the pixel itself; Blackman-Harris is usual at 3. */
export interface PixelFilter {
  kind: "box" | "blackman-harris" | "gaussian";
  width: number;
}

export const BOX: PixelFilter = { kind: "box", width: 1 };
export const SOFT: PixelFilter = { kind: "blackman-harris", width: 3 };

/** Standard deviations that a Gaussian filter is wide. */
const GAUSSIAN_WIDTH = 6;
/** Standard deviation of the soft filter, pixels: what is rendered is never sharper. */
export const SOFT_SIGMA = 0.4155;

/** The filter under which a step is as soft as one blurred by a Gaussian; the soft one for anything sharper than that. */
export const softness = (sigmaPx: number): PixelFilter =>
  sigmaPx > SOFT_SIGMA ? { kind: "gaussian", width: GAUSSIAN_WIDTH * sigmaPx } : SOFT;

/** Standard deviation of what a filter gathers, pixels. */
export const filterSigma = ({ kind, width }: PixelFilter): number =>
  kind === "gaussian"
    ? width / GAUSSIAN_WIDTH
    : kind === "box"
      ? width / Math.sqrt(12)
      : (SOFT_SIGMA * width) / SOFT.width;

/** Four-term Blackman-Harris window over x in [0, 1] (Harris 1978, Proc. IEEE 66(1), table 1, minimum four terms). */
const blackmanHarris = (x: number): number =>
  0.35875 -
  0.48829 * Math.cos(2 * Math.PI * x) +
  0.14128 * Math.cos(4 * Math.PI * x) -
  0.01168 * Math.cos(6 * Math.PI * x);

/** Weight over x in [0, 1]. */
const WINDOWS: Record<PixelFilter["kind"], (x: number) => number> = {
  box: () => 1,
  "blackman-harris": (x) => Math.max(0, blackmanHarris(x)),
  gaussian: (x) => Math.exp(-0.5 * ((x - 0.5) * GAUSSIAN_WIDTH) ** 2),
};

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
    cumulated[i + 1] = cumulated[i] + WINDOWS[filter.kind](x);
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
