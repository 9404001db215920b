/** A picture of one channel, row by row from the top. */
export interface Tone {
  width: number;
  height: number;
  values: Float32Array;
}

/**
 * Perceived lightness, 0 to 1 for diffuse surfaces, of interleaved linear RGB: Rec. 709 luminance under a square root,
 * so that an edge in the shade counts like one in the sun.
 */
export function toneOf(linear: ArrayLike<number>, width: number, height: number): Tone {
  const values = new Float32Array(width * height);
  for (let i = 0, o = 0; i < values.length; i++, o += 3) {
    const y = 0.2126 * linear[o] + 0.7152 * linear[o + 1] + 0.0722 * linear[o + 2];
    values[i] = y > 0 ? Math.sqrt(y) : 0;
  }
  return { width, height, values };
}

/** The picture at half its size, each pixel the mean of four. */
export function halved(tone: Tone): Tone {
  const width = tone.width >> 1;
  const height = tone.height >> 1;
  const values = new Float32Array(width * height);
  for (let y = 0; y < height; y++) {
    const a = 2 * y * tone.width;
    const b = a + tone.width;
    for (let x = 0; x < width; x++) {
      const o = 2 * x;
      values[y * width + x] =
        (tone.values[a + o] + tone.values[a + o + 1] + tone.values[b + o] + tone.values[b + o + 1]) / 4;
    }
  }
  return { width, height, values };
}

/** Value between pixel centres, by bilinear interpolation; (0.5, 0.5) is the centre of the first pixel. */
export function sampleTone(tone: Tone, u: number, v: number): number {
  const { width, height, values } = tone;
  const x = Math.min(width - 1.001, Math.max(0, u - 0.5));
  const y = Math.min(height - 1.001, Math.max(0, v - 0.5));
  const i = Math.floor(x);
  const j = Math.floor(y);
  const a = x - i;
  const b = y - j;
  const o = j * width + i;
  return (
    (values[o] * (1 - a) + values[o + 1] * a) * (1 - b) + (values[o + width] * (1 - a) + values[o + width + 1] * a) * b
  );
}
