import { linearToSrgb, luminance } from "../colour/srgb.ts";

/** Ways of looking at a finished picture. Values are shown as sRGB codes. */
export const VIEWS = [
  "picture",
  "plate",
  "difference",
  "red",
  "green",
  "blue",
  "luminance",
  "exposure",
  "saturation",
  "clipping",
] as const;
export type ViewName = (typeof VIEWS)[number];

export interface ViewChoice {
  view: ViewName;
  /** Times that differences are enlarged. */
  gain: number;
  /** A matte over the picture: its cover as a tint, alone, or its border. */
  matte: { pixels: Float32Array; how: "overlay" | "alone" | "edge" } | null;
}

export const plainView = (): ViewChoice => ({ view: "picture", gain: 4, matte: null });

/** Stops from mid grey (0.18) and the colour that each band of exposure has. */
export const EXPOSURE_BANDS: readonly { from: number; colour: readonly [number, number, number]; words: string }[] = [
  { from: -Infinity, colour: [38, 20, 64], words: "under −5" },
  { from: -5, colour: [30, 60, 120], words: "−5" },
  { from: -3, colour: [36, 120, 140], words: "−3" },
  { from: -1.5, colour: [70, 140, 90], words: "−1½" },
  { from: -0.5, colour: [128, 128, 128], words: "mid grey" },
  { from: 0.5, colour: [172, 170, 100], words: "+½" },
  { from: 1.5, colour: [214, 160, 70], words: "+1½" },
  { from: 2.2, colour: [230, 90, 60], words: "+2.2" },
  { from: 2.474, colour: [255, 235, 235], words: "clipped" },
];

const WHITE = 1;
/** Light under which a code of 8 bits is 0. */
const CRUSHED = 0.5 / 255 / 12.92;

/** Codes of 8 bits by light of 0 to 1 in steps fine enough that none is off by more than rounding. */
const STEPS = 65_535;

interface Codes {
  shown: (light: number) => number;
  table: Float32Array;
}

/** Tables that were made before: a picture is painted again whenever something is moved. */
const made = new WeakMap<(light: number) => number, Codes>();

function codesOfLight(shown: (light: number) => number): Codes {
  const known = made.get(shown);
  if (known) return known;
  const table = new Float32Array(STEPS + 2);
  for (let i = 0; i < table.length; i++) table[i] = 255 * linearToSrgb(shown(i / STEPS));
  const codes = { shown, table };
  made.set(shown, codes);
  return codes;
}

function codeOf({ shown, table }: Codes, light: number): number {
  if (!(light > 0)) return 0;
  if (light >= 1) return 255 * linearToSrgb(shown(light));
  const at = light * STEPS;
  const i = Math.floor(at);
  return table[i] + (at - i) * (table[i + 1] - table[i]);
}

/** Writes the view of a finished picture as RGBA of 8 bits. `shown` bends light as the plate's camera did. */
export function paintView(
  linear: Float32Array,
  plate: Float32Array,
  width: number,
  choice: ViewChoice,
  shown: (light: number) => number,
  out: Uint8ClampedArray,
): void {
  const codes = codesOfLight(shown);
  const { view, gain, matte } = choice;
  const channel = { red: 0, green: 1, blue: 2 }[view as "red"] ?? -1;
  if (view === "picture" && !matte) {
    for (let i = 0, at = 0; i < linear.length; i += 3, at += 4) {
      out[at] = codeOf(codes, linear[i]);
      out[at + 1] = codeOf(codes, linear[i + 1]);
      out[at + 2] = codeOf(codes, linear[i + 2]);
      out[at + 3] = 255;
    }
    return;
  }
  for (let i = 0, at = 0, pixel = 0; i < linear.length; i += 3, at += 4, pixel++) {
    const [r, g, b] = [linear[i], linear[i + 1], linear[i + 2]];
    out[at + 3] = 255;
    if (view === "plate") for (let k = 0; k < 3; k++) out[at + k] = codeOf(codes, plate[i + k]);
    else if (view === "difference")
      for (let k = 0; k < 3; k++)
        out[at + k] = gain * Math.abs(codeOf(codes, linear[i + k]) - codeOf(codes, plate[i + k]));
    else if (channel >= 0) out.fill(codeOf(codes, linear[i + channel]), at, at + 3);
    else if (view === "luminance") out.fill(codeOf(codes, luminance(r, g, b)), at, at + 3);
    else if (view === "saturation") {
      const [most, least] = [Math.max(r, g, b), Math.min(r, g, b)];
      out.fill(most > 1e-4 ? (255 * (most - least)) / most : 0, at, at + 3);
    } else if (view === "exposure") {
      const stops = Math.log2(Math.max(1e-6, luminance(r, g, b)) / 0.18);
      let band = EXPOSURE_BANDS[0];
      for (const next of EXPOSURE_BANDS) if (stops >= next.from) band = next;
      out.set(band.colour, at);
    } else {
      for (let k = 0; k < 3; k++) out[at + k] = codeOf(codes, linear[i + k]);
      if (view === "clipping") {
        const [x, y] = [pixel % width, Math.floor(pixel / width)];
        const stripe = (x + y) % 8 < 4;
        if (stripe && (r >= WHITE || g >= WHITE || b >= WHITE)) out.set([255, 60, 40], at);
        else if (stripe && (r <= CRUSHED || g <= CRUSHED || b <= CRUSHED)) out.set([60, 110, 255], at);
      }
    }
    if (!matte) continue;
    const m = matte.pixels[pixel];
    if (matte.how === "alone") out.fill(255 * m, at, at + 3);
    else if (matte.how === "overlay") {
      out[at] += (235 - out[at]) * 0.55 * m;
      out[at + 1] *= 1 - 0.45 * m;
      out[at + 2] *= 1 - 0.45 * m;
    } else {
      const right = pixel % width < width - 1 ? matte.pixels[pixel + 1] : m;
      const below = pixel + width < matte.pixels.length ? matte.pixels[pixel + width] : m;
      if (m >= 0.5 !== right >= 0.5 || m >= 0.5 !== below >= 0.5) out.set([255, 80, 60], at);
    }
  }
}

/** How often each code stands in each column (waveform), and each pair of colour differences (vectorscope). */
export interface Scopes {
  columns: number;
  /** Of 256 codes by column: of the plate's pixels, and of those that are not the plate's own. */
  plate: Uint32Array;
  cg: Uint32Array;
  /** 128 × 128 of Cb and Cr (ITU-R BT.709), -0.5 to 0.5. */
  platePairs: Uint32Array;
  cgPairs: Uint32Array;
}

export const VECTOR_SIDE = 128;

/** Waveform and vectorscope of a finished picture, what is rendered against what is photographed. */
export function scopesOf(
  linear: Float32Array,
  touched: Uint8Array,
  width: number,
  columns: number,
  shown: (light: number) => number,
): Scopes {
  const found: Scopes = {
    columns,
    plate: new Uint32Array(columns * 256),
    cg: new Uint32Array(columns * 256),
    platePairs: new Uint32Array(VECTOR_SIDE * VECTOR_SIDE),
    cgPairs: new Uint32Array(VECTOR_SIDE * VECTOR_SIDE),
  };
  const place = (v: number) => Math.min(VECTOR_SIDE - 1, Math.max(0, Math.floor((v + 0.5) * VECTOR_SIDE)));
  for (let pixel = 0, i = 0; pixel < touched.length; pixel++, i += 3) {
    const [r, g, b] = [0, 1, 2].map((k) => linearToSrgb(shown(linear[i + k])));
    const y = luminance(r, g, b);
    const code = Math.min(255, Math.max(0, Math.round(255 * y)));
    const column = Math.floor(((pixel % width) * columns) / width);
    const at = place((r - y) / 1.5748) * VECTOR_SIDE + place((b - y) / 1.8556);
    (touched[pixel] ? found.cg : found.plate)[column * 256 + code]++;
    (touched[pixel] ? found.cgPairs : found.platePairs)[at]++;
  }
  return found;
}
