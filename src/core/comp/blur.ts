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
  const loud = loudSpans(pixels, row, height, calm);
  if (!loud) return;
  const side = reach * stride;
  const padded = new Float32Array(row + 2 * side);
  const sums = new Float64Array(row);
  // Rows beyond the borders stand above and below, and what no loud value reaches is calm.
  const across = new Float32Array((height + 2 * reach) * row).fill(calm);
  const { from, to } = loud;
  for (let y = 0; y < height; y++) {
    if (from[y] >= to[y]) continue;
    for (let i = 0; i < side; i++) {
      padded[i] = pixels[y * row + (i % stride)];
      padded[side + row + i] = pixels[(y + 1) * row - stride + (i % stride)];
    }
    padded.set(pixels.subarray(y * row, (y + 1) * row), side);
    const [begin, end] = [Math.max(0, from[y] - side), Math.min(row, to[y] + side)];
    weigh(padded, side + begin, stride, end - begin, taps, sums);
    across.set(sums.subarray(0, end - begin), (reach + y) * row + begin);
  }
  for (let i = 0; i < reach; i++) {
    across.copyWithin(i * row, reach * row, (reach + 1) * row);
    across.copyWithin((reach + height + i) * row, (reach + height - 1) * row, (reach + height) * row);
  }
  for (let y = 0; y < height; y++) {
    let [begin, end] = [row, 0];
    for (let v = Math.max(0, y - reach), last = Math.min(height - 1, y + reach); v <= last; v++)
      if (from[v] < to[v]) {
        begin = Math.min(begin, Math.max(0, from[v] - side));
        end = Math.max(end, Math.min(row, to[v] + side));
      }
    if (begin >= end) continue;
    weigh(across, (reach + y) * row + begin, row, end - begin, taps, sums);
    for (let i = begin, n = 0; i < end; i++, n++) {
      // What lies among nothing but calm stays exactly that.
      const value = Math.fround(sums[n]);
      pixels[y * row + i] = Math.abs(value - calm) < 1e-7 ? calm : value;
    }
  }
}

/** Sums of `n` values from `at` on with those that lie `step`, 2 `step` … to either side, by their taps. */
function weigh(
  source: Float32Array,
  at: number,
  step: number,
  n: number,
  taps: Float64Array,
  into: Float64Array,
): void {
  const reach = taps.length - 1;
  const [own, first] = taps;
  for (let i = 0, c = at; i < n; i++, c++) into[i] = own * source[c] + first * (source[c - step] + source[c + step]);
  let t = 2;
  for (; t < reach; t += 2) {
    const [a, b, p, q] = [taps[t], taps[t + 1], t * step, (t + 1) * step];
    for (let i = 0, c = at; i < n; i++, c++)
      into[i] += a * (source[c - p] + source[c + p]) + b * (source[c - q] + source[c + q]);
  }
  if (t > reach) return;
  const [a, p] = [taps[t], t * step];
  for (let i = 0, c = at; i < n; i++, c++) into[i] += a * (source[c - p] + source[c + p]);
}

/** Where in each row anything but `calm` lies, from one value to before another; null where all is calm. */
function loudSpans(
  pixels: Float32Array,
  row: number,
  height: number,
  calm: number,
): { from: Int32Array; to: Int32Array } | null {
  const [from, to] = [new Int32Array(height), new Int32Array(height)];
  let any = false;
  for (let y = 0; y < height; y++) {
    let [begin, end] = [y * row, (y + 1) * row];
    while (begin < end && pixels[begin] === calm) begin++;
    while (end > begin && pixels[end - 1] === calm) end--;
    from[y] = begin - y * row;
    to[y] = end - y * row;
    any ||= begin < end;
  }
  return any ? { from, to } : null;
}

/** 1 for each row that holds anything but `calm`; `row` is its length. */
export function loudRows(pixels: Float32Array, row: number, height: number, calm: number): Uint8Array {
  const spans = loudSpans(pixels, row, height, calm);
  return Uint8Array.from({ length: height }, (_, y) => (spans && spans.from[y] < spans.to[y] ? 1 : 0));
}
