/** An interleaved picture; RGB where nothing else is said. */
interface Source {
  width: number;
  height: number;
  pixels: Float32Array;
}

/** Box average of an interleaved float picture down to a smaller size; the same size is copied. */
export function shrink(source: Source, width: number, height: number): Source {
  if (width === source.width && height === source.height) return { ...source, pixels: source.pixels.slice() };
  return { width, height, pixels: resampleRows(source, width, height, 0, height) };
}

/** Source pixels that a target pixel takes from, one weight each, from number `first` on. */
interface Taps {
  first: number;
  weights: number[];
}

/** Box average for smaller sizes, Catmull and Rom's cubic (1974) for larger ones; both keep an even picture even. */
function tapsOf(at: number, target: number, source: number): Taps {
  const s = source / target;
  if (s >= 1) {
    const from = at * s;
    const to = (at + 1) * s;
    const first = Math.floor(from);
    const weights: number[] = [];
    for (let i = first; i < Math.min(source, Math.ceil(to)); i++) {
      weights.push((Math.min(to, i + 1) - Math.max(from, i)) / s);
    }
    return { first, weights };
  }
  const centre = (at + 0.5) * s - 0.5;
  const first = Math.floor(centre) - 1;
  return { first, weights: [0, 1, 2, 3].map((k) => cubic(Math.abs(centre - (first + k)))) };
}

const cubic = (d: number) => (d < 1 ? 1 + d * d * (1.5 * d - 2.5) : d < 2 ? 2 - d * (4 - d * (2.5 - 0.5 * d)) : 0);

/** Rows y0 to y1 (without) of the picture at another size, without making the whole of it. */
export function resampleRows(
  source: Source,
  width: number,
  height: number,
  y0: number,
  y1: number,
  stride = 3,
): Float32Array {
  const out = new Float32Array(width * (y1 - y0) * stride);
  const across = Array.from({ length: width }, (_, x) => tapsOf(x, width, source.width));
  const row = new Float32Array(source.width * stride);
  const clamp = (i: number, n: number) => Math.min(n - 1, Math.max(0, i));
  for (let y = y0; y < y1; y++) {
    const down = tapsOf(y, height, source.height);
    row.fill(0);
    down.weights.forEach((weight, k) => {
      const from = clamp(down.first + k, source.height) * row.length;
      for (let i = 0; i < row.length; i++) row[i] += weight * source.pixels[from + i];
    });
    for (let x = 0, at = (y - y0) * width * stride; x < width; x++, at += stride) {
      const { first, weights } = across[x];
      for (let k = 0; k < weights.length; k++) {
        const from = clamp(first + k, source.width) * stride;
        for (let c = 0; c < stride; c++) out[at + c] += weights[k] * row[from + c];
      }
    }
  }
  return out;
}

/** The picture at another size, each pixel the source's nearest: for values of which a mean is none, such as depth. */
export function nearestPixels(source: Source, width: number, height: number, stride: number): Float32Array {
  const out = new Float32Array(width * height * stride);
  for (let y = 0, at = 0; y < height; y++) {
    const row = Math.floor(((y + 0.5) * source.height) / height) * source.width;
    for (let x = 0; x < width; x++, at += stride) {
      const from = (row + Math.floor(((x + 0.5) * source.width) / width)) * stride;
      out.set(source.pixels.subarray(from, from + stride), at);
    }
  }
  return out;
}

/** Render size at a percentage of the plate's sides; 100 is the plate itself. */
export const sizeAt = (
  plate: { width: number; height: number },
  percent: number,
): { width: number; height: number } => ({
  width: Math.max(1, Math.round((plate.width * percent) / 100)),
  height: Math.max(1, Math.round((plate.height * percent) / 100)),
});
