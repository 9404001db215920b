/** Box average of an interleaved float picture down to a smaller size; the same size is copied. */
export function shrink(
  source: { width: number; height: number; pixels: Float32Array },
  width: number,
  height: number,
): { width: number; height: number; pixels: Float32Array } {
  if (width === source.width && height === source.height) return { ...source, pixels: source.pixels.slice() };
  const half = boxAcross(source.pixels, source.width, source.height, width, 3);
  return { width, height, pixels: transposeBox(half, width, source.height, height) };
}

function boxAcross(
  pixels: Float32Array,
  width: number,
  height: number,
  target: number,
  channels: number,
): Float32Array {
  const out = new Float32Array(target * height * channels);
  const s = width / target;
  for (let x = 0; x < target; x++) {
    const [from, to] = [x * s, (x + 1) * s];
    for (let sx = Math.floor(from); sx < Math.min(width, Math.ceil(to)); sx++) {
      const weight = (Math.min(to, sx + 1) - Math.max(from, sx)) / s;
      for (let y = 0; y < height; y++) {
        const [a, b] = [(y * target + x) * channels, (y * width + sx) * channels];
        for (let k = 0; k < channels; k++) out[a + k] += weight * pixels[b + k];
      }
    }
  }
  return out;
}

function transposeBox(pixels: Float32Array, width: number, height: number, target: number): Float32Array {
  const row = width * 3;
  const out = new Float32Array(row * target);
  const s = height / target;
  for (let y = 0; y < target; y++) {
    const [from, to] = [y * s, (y + 1) * s];
    for (let sy = Math.floor(from); sy < Math.min(height, Math.ceil(to)); sy++) {
      const weight = (Math.min(to, sy + 1) - Math.max(from, sy)) / s;
      for (let i = 0; i < row; i++) out[y * row + i] += weight * pixels[sy * row + i];
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
