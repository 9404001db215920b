/** Blurs of rows with finite taps, so that rows by themselves are, to the bit, those of the whole picture. */

/** Pixels to either side that a Gaussian of that standard deviation looks at. */
export const reachOf = (sigma: number): number => (sigma > 0 ? Math.ceil(3 * sigma) : 0);

/** Taps of a Gaussian from its middle outwards, with unit sum over both sides. */
export function gaussianTaps(sigma: number): Float64Array {
  const reach = reachOf(sigma);
  const taps = Float64Array.from({ length: reach + 1 }, (_, i) => Math.exp(-(i * i) / (2 * sigma * sigma)));
  const sum = taps.reduce((total, t, i) => total + (i === 0 ? t : 2 * t), 0);
  return taps.map((t) => t / sum);
}

/**
 * Gaussian blur of an interleaved picture, in place; borders repeat their last pixel. Pixels whose surroundings all hold
 * `calm` keep their bits.
 */
export function blur(
  pixels: Float32Array,
  width: number,
  height: number,
  stride: number,
  sigma: number,
  calm: number,
): void {
  if (!(sigma > 0)) return;
  const taps = gaussianTaps(sigma);
  const reach = taps.length - 1;
  const row = width * stride;
  const loud = loudRows(pixels, row, height, calm);
  const across = new Float32Array(pixels.length);
  for (let y = 0; y < height; y++) {
    if (!loud[y]) {
      across.fill(calm, y * row, (y + 1) * row);
      continue;
    }
    for (let x = 0; x < width; x++) {
      const inside = x >= reach && x + reach < width;
      for (let k = 0; k < stride; k++) {
        const at = y * row + x * stride + k;
        let sum = taps[0] * pixels[at];
        if (inside)
          for (let t = 1, d = stride; t <= reach; t++, d += stride) sum += taps[t] * (pixels[at - d] + pixels[at + d]);
        else
          for (let t = 1; t <= reach; t++)
            sum +=
              taps[t] *
              (pixels[y * row + Math.max(0, x - t) * stride + k] +
                pixels[y * row + Math.min(width - 1, x + t) * stride + k]);
        across[at] = sum;
      }
    }
  }
  const sums = new Float64Array(row);
  for (let y = 0; y < height; y++) {
    const [from, to] = [Math.max(0, y - reach), Math.min(height - 1, y + reach)];
    let any = false;
    for (let v = from; v <= to && !any; v++) any = loud[v] === 1;
    if (!any) continue;
    sums.fill(0);
    for (let t = -reach; t <= reach; t++) {
      const weight = taps[Math.abs(t)];
      const at = Math.min(height - 1, Math.max(0, y + t)) * row;
      for (let i = 0; i < row; i++) sums[i] += weight * across[at + i];
    }
    for (let i = 0; i < row; i++) {
      // What lies among nothing but calm stays exactly that.
      const value = Math.fround(sums[i]);
      pixels[y * row + i] = Math.abs(value - calm) < 1e-7 ? calm : value;
    }
  }
}

/** 1 for each row that holds anything but `calm`; `row` is its length. */
export function loudRows(pixels: Float32Array, row: number, height: number, calm: number): Uint8Array {
  const loud = new Uint8Array(height);
  for (let y = 0; y < height; y++)
    for (let i = y * row, end = i + row; i < end; i++)
      if (pixels[i] !== calm) {
        loud[y] = 1;
        break;
      }
  return loud;
}
