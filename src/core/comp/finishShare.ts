import type { Finished, FinishPart } from "./finish.ts";
import { finishHalo } from "./finish.ts";
import { FinishAgain } from "./finishAgain.ts";
import type { ScreenPasses } from "./screen.ts";
import { SCREEN_LAYERS } from "./screen.ts";
import type { StageName } from "./stages/index.ts";

/** Rows from one to another, without that. */
export interface Share {
  from: number;
  to: number;
}

/** Rows that every share but the last is a multiple of: what is drawn in stripes of them goes on from share to share. */
const STEP = 8;

/** A picture's rows, dealt out evenly to so many; of a low picture some get none. */
export function sharesOf(height: number, count: number): Share[] {
  const at = (n: number) => (n === count ? height : Math.min(height, STEP * Math.round((height * n) / count / STEP)));
  return Array.from({ length: count }, (_, n) => ({ from: at(n), to: at(n + 1) }));
}

/** Some rows of passes at the size of a screen. */
function rowsOf(size: ScreenPasses, { from, to }: Share): ScreenPasses["layers"] {
  const cut = SCREEN_LAYERS.map(({ name, channels }) => [
    name,
    size.layers[name]?.subarray(from * size.width * channels, to * size.width * channels) ?? null,
  ]);
  return Object.fromEntries(cut) as ScreenPasses["layers"];
}

/**
 * Finishes a share of a picture's rows over and over while settings change, to the bits that those rows have in the whole:
 * what one of several workers does.
 */
export class FinishShare {
  private kept: { halo: number; begin: number; again: FinishAgain } | null = null;

  constructor(
    private readonly size: ScreenPasses,
    readonly share: Share,
  ) {}

  /** The share's rows with these settings. Its arrays must not be changed, and are the next one's. */
  finish(shot: FinishPart, without: StageName | null = null): Pick<Finished, "linear" | "touched"> {
    const { width, height, scale, renderedSigma } = this.size;
    const { from, to } = this.share;
    const halo = finishHalo(shot, scale, { width, height }, renderedSigma);
    if (this.kept?.halo !== halo) {
      const around = { from: Math.max(0, from - halo), to: Math.min(height, to + halo) };
      const { plate: linear, ...layers } = rowsOf(this.size, around);
      const own = { width, height: around.to - around.from };
      const given = { full: { width, height }, scale, y0: around.from, renderedSigma };
      const again = new FinishAgain({ ...own, linear }, { ...own, ...layers }, given);
      this.kept = { halo, begin: around.from, again };
    }
    const { begin, again } = this.kept!;
    const { linear, touched } = again.finish(shot, without);
    const [first, end] = [(from - begin) * width, (to - begin) * width];
    return { linear: linear.subarray(first * 3, end * 3), touched: touched.subarray(first, end) };
  }

  /** The plate under the share. */
  plate(): Float32Array {
    return rowsOf(this.size, this.share).plate;
  }
}
