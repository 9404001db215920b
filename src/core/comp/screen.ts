/** Passes and plate at the size of a screen in one run of bytes: what the page's comp works on while a slider moves. */

export const SCREEN_LAYERS = [
  { name: "prop", channels: 4 },
  { name: "ratio", channels: 3 },
  { name: "added", channels: 3 },
  { name: "depth", channels: 1 },
  { name: "occlusion", channels: 1 },
  { name: "plate", channels: 3 },
] as const;
export type ScreenLayer = (typeof SCREEN_LAYERS)[number]["name"];

export interface ScreenHead {
  width: number;
  height: number;
  /** Pixels over those of the plate. */
  scale: number;
  /** Standard deviation of the filter that was rendered with, in these pixels. */
  renderedSigma: number;
}

export interface ScreenPasses extends ScreenHead {
  layers: Record<Exclude<ScreenLayer, "occlusion">, Float32Array> & { occlusion: Float32Array | null };
}

const HEAD_FLOATS = 8;

/** Rows of a layer averaged down as they come, without holding the whole; it must not become larger. */
export class ShrunkLayer {
  readonly pixels: Float32Array;
  private readonly row: Float32Array;
  /** Of each column the first one that it falls on, and its shares there and on the next one. */
  private readonly first: Uint32Array;
  private readonly shares: Float32Array;

  constructor(
    private readonly from: { width: number; height: number },
    private readonly to: { width: number; height: number },
    private readonly channels: number,
  ) {
    this.pixels = new Float32Array(to.width * to.height * channels);
    // One column more than are wanted, for the last one's share of nothing.
    this.row = new Float32Array((to.width + 1) * channels);
    this.first = new Uint32Array(from.width);
    this.shares = new Float32Array(2 * from.width);
    const across = to.width / from.width;
    for (let x = 0; x < from.width; x++) {
      const [left, right] = [x * across, (x + 1) * across];
      const u = Math.min(to.width - 1, Math.floor(left));
      this.first[x] = u;
      this.shares[2 * x] = Math.min(right, u + 1) - left;
      this.shares[2 * x + 1] = Math.max(0, right - (u + 1));
    }
  }

  /** Takes a row by its channels, each as wide as the picture. */
  take(y: number, channels: readonly Float32Array[]): void {
    const { from, to, row, first, shares, channels: n } = this;
    const down = to.height / from.height;
    const [top, foot] = [y * down, (y + 1) * down];
    row.fill(0);
    for (let k = 0; k < n; k++) {
      const values = channels[k];
      for (let x = 0; x < from.width; x++) {
        const value = values[x];
        if (value === 0) continue;
        const at = first[x] * n + k;
        row[at] += shares[2 * x] * value;
        row[at + n] += shares[2 * x + 1] * value;
      }
    }
    const wide = to.width * n;
    for (let v = Math.floor(top); v <= Math.min(to.height - 1, Math.floor(foot)); v++) {
      const share = Math.min(foot, v + 1) - Math.max(top, v);
      if (share <= 0) continue;
      const at = v * wide;
      for (let i = 0; i < wide; i++) this.pixels[at + i] += share * row[i];
    }
  }
}

/** Distances that were averaged with what nothing covers, as those of what covers alone; in place. */
export function depthOfCover(depth: Float32Array, prop: Float32Array): void {
  for (let i = 0; i < depth.length; i++) depth[i] = prop[i * 4 + 3] > 0 ? depth[i] / prop[i * 4 + 3] : 0;
}

/** Widest picture that the page's comp works on. */
export const SCREEN_WIDTH = 1280;

/** Bytes of the layers that are there; the head says which. */
export function screenBytes(head: ScreenHead, layers: Partial<Record<ScreenLayer, Float32Array>>): Uint8Array {
  const there = SCREEN_LAYERS.filter(({ name }) => layers[name]);
  const floats = there.reduce((n, { channels }) => n + channels * head.width * head.height, HEAD_FLOATS);
  const out = new Float32Array(floats);
  out.set([head.width, head.height, head.scale, head.renderedSigma, layers.occlusion ? 1 : 0]);
  let at = HEAD_FLOATS;
  for (const { name } of there) {
    out.set(layers[name]!, at);
    at += layers[name]!.length;
  }
  return new Uint8Array(out.buffer);
}

/** The same again. Throws when the bytes are not those that the head says. */
export function readScreen(buffer: ArrayBuffer): ScreenPasses {
  const all = new Float32Array(buffer);
  const [width, height, scale, renderedSigma, occlusion] = all;
  const layers: Partial<Record<ScreenLayer, Float32Array | null>> = { occlusion: null };
  let at = HEAD_FLOATS;
  for (const { name, channels } of SCREEN_LAYERS) {
    if (name === "occlusion" && occlusion !== 1) continue;
    const length = width * height * channels;
    layers[name] = all.subarray(at, at + length);
    at += length;
  }
  if (at !== all.length) throw new Error("The render's passes came in part only. Look at it again.");
  return { width, height, scale, renderedSigma, layers: layers as ScreenPasses["layers"] };
}

/** Half the size, each pixel the mean of four. */
export function halved(of: ScreenPasses): ScreenPasses {
  const [width, height] = [Math.floor(of.width / 2), Math.floor(of.height / 2)];
  const half = (source: Float32Array, channels: number) => {
    const out = new Float32Array(width * height * channels);
    const row = of.width * channels;
    for (let y = 0, i = 0; y < height; y++)
      for (let x = 0; x < width; x++)
        for (let k = 0; k < channels; k++, i++) {
          const at = 2 * y * row + 2 * x * channels + k;
          out[i] = (source[at] + source[at + channels] + source[at + row] + source[at + row + channels]) / 4;
        }
    return out;
  };
  const layers = Object.fromEntries(
    SCREEN_LAYERS.map(({ name, channels }) => [name, of.layers[name] && half(of.layers[name], channels)]),
  ) as unknown as ScreenPasses["layers"];
  return { width, height, scale: of.scale / 2, renderedSigma: of.renderedSigma / 2, layers };
}
