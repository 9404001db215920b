import type { Mat3, Vec3 } from "../math/vec3.ts";
import { apply, multiply } from "../math/vec3.ts";
import { linearToSrgb, srgbToLinear } from "../colour/srgb.ts";
import { toHalf } from "./exr.ts";
import { fromHalf } from "./exrRead.ts";
import type { Response } from "./response.ts";
import { toPlate, toScene } from "./response.ts";

/** A channel's curve: a gamma, the parametric kinds of ICC.1:2022 section 10.18, a table, or codes that are halves (IEEE 754 binary16) of linear light. */
export type Curve =
  | { kind: "half" }
  | { kind: "srgb" }
  | { kind: "parametric"; type: 0 | 1 | 2 | 3 | 4; values: number[] }
  | { kind: "table"; values: number[] };

/** How a plate's codes mean light: bits per channel, the curve of each channel, and the matrix to linear Rec. 709. */
export interface PlateEncoding {
  bits: 8 | 16;
  curves: [Curve, Curve, Curve];
  toRec709: Mat3;
  /** How the camera bent light before it was coded; missing or null for straight. */
  response?: Response | null;
}

export const srgbEncoding = (bits: 8 | 16): PlateEncoding => ({
  bits,
  curves: [{ kind: "srgb" }, { kind: "srgb" }, { kind: "srgb" }],
  toRec709: [
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, 1],
  ],
});

/** Encoding of a plate of floats, kept as halves. */
export const halfEncoding = (toRec709: Mat3): PlateEncoding => ({
  bits: 16,
  curves: [{ kind: "half" }, { kind: "half" }, { kind: "half" }],
  toRec709,
});

/** True for a plate whose codes are halves and not steps of a curve. */
export const isFloat = (e: PlateEncoding): boolean => e.curves[0].kind === "half";

/** The encoding of files that hold no floats: the plate's own, or sRGB with 16 bits for a plate of floats. */
export const shownEncoding = (e: PlateEncoding): PlateEncoding => (isFloat(e) ? srgbEncoding(16) : e);

/** Greatest finite half. */
const MOST_HALF = 65504;

/** Light of a half's bits; what is no number is dark, what is endless is as bright as a half can be. */
function halfToLinear(bits: number): number {
  const value = fromHalf(bits);
  return Number.isNaN(value) ? 0 : Math.min(MOST_HALF, Math.max(-MOST_HALF, value));
}

/** Linear light of a code in 0..1. */
export function curveToLinear(curve: Curve, x: number): number {
  if (curve.kind === "half") return halfToLinear(Math.round(x * 65535));
  if (curve.kind === "srgb") return srgbToLinear(x);
  if (curve.kind === "table") {
    const { values } = curve;
    const at = Math.min(Math.max(x, 0), 1) * (values.length - 1);
    const i = Math.min(values.length - 2, Math.floor(at));
    return values[i] + (values[i + 1] - values[i]) * (at - i);
  }
  const [g, a = 1, b = 0, c = 0, d = 0, e = 0, f = 0] = curve.values;
  const power = (base: number) => Math.pow(Math.max(0, base), g);
  switch (curve.type) {
    case 0:
      return power(x);
    case 1:
      return x >= -b / a ? power(a * x + b) : 0;
    case 2:
      return x >= -b / a ? power(a * x + b) + c : c;
    case 3:
      return x >= d ? power(a * x + b) : c * x;
    default:
      return x >= d ? power(a * x + b) + e : c * x + f;
  }
}

/** Code in 0..1 for linear light: the inverse, by bisection where there is no closed form. */
export function curveToCode(curve: Curve, linear: number): number {
  if (curve.kind === "srgb") return linearToSrgb(linear);
  if (curve.kind === "half") return toHalf(Math.min(MOST_HALF, Math.max(-MOST_HALF, linear))) / 65535;
  if (linear <= curveToLinear(curve, 0)) return 0;
  if (linear >= curveToLinear(curve, 1)) return 1;
  let low = 0;
  let high = 1;
  for (let i = 0; i < 40; i++) {
    const mid = (low + high) / 2;
    if (curveToLinear(curve, mid) < linear) low = mid;
    else high = mid;
  }
  return (low + high) / 2;
}

/** Linear Rec. 709 of XYZ relative to D50, the profile connection space: IEC 61966-2-1's primaries after Bradford. */
const REC709_FROM_D50: Mat3 = [
  [3.1338561, -1.6168667, -0.4906146],
  [-0.9787684, 1.9161415, 0.033454],
  [0.0719453, -0.2289914, 1.4052427],
];

/**
 * Encoding of a matrix/TRC profile (ICC.1:2022, section 8.3); null for profiles of another kind. Profiles that are sRGB
 * within the precision of their numbers become exactly sRGB.
 */
export function parseProfile(icc: Uint8Array, bits: 8 | 16): PlateEncoding | null {
  if (icc.length < 132) return null;
  const view = new DataView(icc.buffer, icc.byteOffset, icc.byteLength);
  const text = (at: number) => String.fromCharCode(...icc.subarray(at, at + 4));
  if (text(36) !== "acsp" || text(16) !== "RGB " || text(20) !== "XYZ ") return null;
  const tags = new Map<string, number>();
  const count = view.getUint32(128);
  if (132 + count * 12 > icc.length) return null;
  for (let i = 0; i < count; i++) tags.set(text(132 + i * 12), view.getUint32(136 + i * 12));
  const fixed = (at: number) => view.getInt32(at) / 65536;
  try {
    const xyz = (name: string): Vec3 => {
      const at = tags.get(name)! + 8;
      return [fixed(at), fixed(at + 4), fixed(at + 8)];
    };
    const r = xyz("rXYZ");
    const g = xyz("gXYZ");
    const b = xyz("bXYZ");
    const toXyz: Mat3 = [
      [r[0], g[0], b[0]],
      [r[1], g[1], b[1]],
      [r[2], g[2], b[2]],
    ];
    const curves = ["rTRC", "gTRC", "bTRC"].map((name) =>
      readCurve(view, text, tags.get(name)!),
    ) as PlateEncoding["curves"];
    const encoding: PlateEncoding = { bits, curves, toRec709: multiply(REC709_FROM_D50, toXyz) };
    if (!isUsable(encoding)) return null;
    return isSrgb(encoding) ? srgbEncoding(bits) : encoding;
  } catch {
    return null;
  }
}

/** Entries that a curve's table may have: one for each code of 16 bits. */
const MAX_CURVE = 65_536;

/** A curve of ICC.1:2022, sections 10.6 and 10.18. Throws on one of another kind. */
function readCurve(view: DataView, text: (at: number) => string, at: number): Curve {
  const kind = text(at);
  if (kind === "para") {
    const type = view.getUint16(at + 8);
    const values = [1, 3, 4, 5, 7][type];
    if (values === undefined) throw new RangeError("unknown type of curve");
    return {
      kind: "parametric",
      type: type as 0 | 1 | 2 | 3 | 4,
      values: Array.from({ length: values }, (_, i) => view.getInt32(at + 12 + i * 4) / 65536),
    };
  }
  if (kind !== "curv") throw new RangeError("unknown kind of curve");
  const count = view.getUint32(at + 8);
  if (count === 0) return { kind: "parametric", type: 0, values: [1] };
  if (count === 1) return { kind: "parametric", type: 0, values: [view.getUint16(at + 12) / 256] };
  if (count > MAX_CURVE) throw new RangeError("too long a curve");
  return { kind: "table", values: Array.from({ length: count }, (_, i) => view.getUint16(at + 12 + i * 2) / 65535) };
}

/** True for an encoding that can be turned back: rising, finite curves and a matrix with an inverse. */
function isUsable(e: PlateEncoding): boolean {
  const rises = e.curves.every((curve) => {
    const values = Array.from({ length: 65 }, (_, i) => curveToLinear(curve, i / 64));
    return values.every((x, i) => Number.isFinite(x) && (i === 0 || x >= values[i - 1])) && values[64] > values[0];
  });
  const inverse = invert(e.toRec709).flat();
  return rises && inverse.every((x) => Math.abs(x) < 1000);
}

function isSrgb(e: PlateEncoding): boolean {
  for (let i = 0; i < 3; i++) {
    for (let j = 0; j < 3; j++) if (Math.abs(e.toRec709[i][j] - (i === j ? 1 : 0)) > 0.004) return false;
    for (let k = 0; k <= 16; k++) {
      if (Math.abs(curveToLinear(e.curves[i], k / 16) - srgbToLinear(k / 16)) > 0.003) return false;
    }
  }
  return true;
}

export const isRec709 = (e: PlateEncoding): boolean =>
  e.curves.every((c) => c.kind === "srgb") && e.toRec709[0][0] === 1;

const unbent = (x: number): number => x;
const bends = new WeakMap<object, (linear: number) => number>();

/** One function for each response, so that what was reckoned of it can be kept. */
function bendOf(response: NonNullable<PlateEncoding["response"]>): (linear: number) => number {
  let bend = bends.get(response);
  if (!bend) bends.set(response, (bend = (x) => toPlate(response, x)));
  return bend;
}

/** Linear light as a screen of sRGB shows it beside the plate: bent as the plate's is. */
export const shownLight = ({ response }: PlateEncoding): ((linear: number) => number) =>
  response ? bendOf(response) : unbent;

/** Interleaved RGB codes to linear Rec. 709 of the place, float32, unclamped. */
export function decodeCodes(
  codes: Uint8Array | Uint16Array,
  e: PlateEncoding,
  out: Float32Array<ArrayBufferLike> = new Float32Array(codes.length),
): Float32Array {
  const top = e.bits === 8 ? 255 : 65535;
  const { response } = e;
  const tables = e.curves.map((curve) =>
    Float32Array.from({ length: top + 1 }, (_, i) => {
      const y = curveToLinear(curve, i / top);
      return response ? toScene(response, y) : y;
    }),
  );
  const plain = isRec709(e);
  if (plain && !response) {
    const table = tables[0];
    for (let i = 0; i < codes.length; i++) out[i] = table[codes[i]];
    return out as Float32Array<ArrayBuffer>;
  }
  for (let i = 0; i < codes.length; i += 3) {
    const c: Vec3 = [tables[0][codes[i]], tables[1][codes[i + 1]], tables[2][codes[i + 2]]];
    const l = plain ? c : apply(e.toRec709, c);
    out[i] = l[0];
    out[i + 1] = l[1];
    out[i + 2] = l[2];
  }
  return out;
}

/** Encodes linear Rec. 709 pixels, one at a time, to the plate's own codes. */
export function pixelEncoder(
  e: PlateEncoding,
): (r: number, g: number, b: number, out: Uint8Array | Uint16Array, at: number) => void {
  const top = e.bits === 8 ? 255 : 65535;
  const { response } = e;
  const [tr, tg, tb] = e.curves
    .map((curve) => codeFinder(curve, top))
    .map((find) => (response ? (x: number) => find(toPlate(response, x)) : find));
  if (isRec709(e)) {
    return (r, g, b, out, at) => {
      out[at] = tr(r);
      out[at + 1] = tg(g);
      out[at + 2] = tb(b);
    };
  }
  const back = invert(e.toRec709);
  return (r, g, b, out, at) => {
    const c = apply(back, [r, g, b]);
    out[at] = tr(c[0]);
    out[at + 1] = tg(c[1]);
    out[at + 2] = tb(c[2]);
  };
}

/** Nearest code for linear light: halfway between two codes' curves in code space. */
function codeFinder(curve: Curve, top: number): (linear: number) => number {
  if (curve.kind === "half") return (linear) => toHalf(Math.min(MOST_HALF, Math.max(-MOST_HALF, linear)));
  if (curve.kind === "srgb" && top === 65535) {
    return (linear) => Math.min(top, Math.max(0, Math.round(linearToSrgb(linear) * top)));
  }
  return countBelow(Float64Array.from({ length: top }, (_, i) => curveToLinear(curve, (i + 0.5) / top)));
}

const float = new Float32Array(1);
const bits = new Uint32Array(float.buffer);
/** Positive numbers in order by the upper half of their bits as floats: 128 steps from one power of two to the next. */
const stepOf = (positive: number): number => {
  float[0] = positive;
  return bits[0] >>> 16;
};
const STEPS = stepOf(Infinity) + 1;

/** Tells how many of the bounds, which rise, are less than a number; none are less than what is no number. */
export function countBelow(bounds: Float64Array): (value: number) => number {
  /** How many of the bounds are less than all numbers of a step. */
  const below = new Uint32Array(STEPS + 1);
  for (const bound of bounds) below[bound > 0 ? stepOf(bound) + 1 : 0]++;
  for (let step = 1; step <= STEPS; step++) below[step] += below[step - 1];
  return (value) => {
    let [low, high] = [0, bounds.length];
    if (value > 0) {
      const step = stepOf(value);
      low = below[step];
      high = below[step + 1];
    }
    while (low < high) {
      const mid = (low + high) >> 1;
      if (bounds[mid] < value) low = mid + 1;
      else high = mid;
    }
    return low;
  };
}

function invert(m: Mat3): Mat3 {
  const [a, b, c] = m;
  const x = (p: Vec3, q: Vec3): Vec3 => [
    p[1] * q[2] - p[2] * q[1],
    p[2] * q[0] - p[0] * q[2],
    p[0] * q[1] - p[1] * q[0],
  ];
  const u = x(b, c);
  const v = x(c, a);
  const w = x(a, b);
  const det = a[0] * u[0] + a[1] * u[1] + a[2] * u[2];
  return [
    [u[0] / det, v[0] / det, w[0] / det],
    [u[1] / det, v[1] / det, w[1] / det],
    [u[2] / det, v[2] / det, w[2] / det],
  ];
}
