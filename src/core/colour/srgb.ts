// Looked up once: in a sandboxed global scope, as of test runners, every look-up of Math costs.
const { abs, pow, round } = Math;

/** sRGB transfer, IEC 61966-2-1: code value in 0..1 to linear light. Odd about zero, so unclamped values survive. */
export function srgbToLinear(code: number): number {
  const a = abs(code);
  const l = a <= 0.04045 ? a / 12.92 : pow((a + 0.055) / 1.055, 2.4);
  return code < 0 ? -l : l;
}

/** Linear light to sRGB code value in 0..1 (unclamped). */
export function linearToSrgb(linear: number): number {
  const a = abs(linear);
  const c = a <= 0.0031308 ? a * 12.92 : 1.055 * pow(a, 1 / 2.4) - 0.055;
  return linear < 0 ? -c : c;
}

/** Linear light of every code of a file with `bits` (8 or 16) bits, as float32. */
export function srgbTable(bits: 8 | 16): Float32Array {
  const n = 1 << bits;
  const table = new Float32Array(n);
  for (let i = 0; i < n; i++) table[i] = srgbToLinear(i / (n - 1));
  return table;
}

/** Nearest code of `bits` bits for a linear value, clamped to the range. */
export function linearToCode(linear: number, bits: 8 | 16): number {
  const top = (1 << bits) - 1;
  const code = round(linearToSrgb(linear) * top);
  return code < 0 ? 0 : code > top ? top : code;
}

/** Rec. 709 luminance of linear light. */
export const luminance = (r: number, g: number, b: number): number => 0.2126 * r + 0.7152 * g + 0.0722 * b;
