import { ciede2000, linearToLab } from "#core/colour/difference";
import { linearToSrgb, luminance } from "#core/colour/srgb";
import type { Vec2 } from "#core/math/vec3";
import type { Region } from "#core/trace/tiles";

/** How far a composite is from the picture in which the prop was really there. */
export interface InsertionFigures {
  pixels: number;
  mean: number;
  percentile95: number;
  contactMean: number;
  propLightness: number;
  shadowLightness: number;
  /** Median and 95th percentile of the shadow's edge, pixels along rows. */
  shadowEdge: { median: number; percentile95: number };
}

interface Pictures {
  width: number;
  height: number;
  without: Float32Array;
  truth: Float32Array;
  composite: Float32Array;
  /** Coverage of the prop, one value a pixel. */
  alpha: Float32Array;
  contacts: Vec2[];
  region: Region;
}

const GROW = 20;
const CONTACT = 12;

/**
 * CIEDE2000 over the pixels where the pictures with and without the prop differ by more than 1/255 (sRGB), grown by 20
 * pixels; near the contact; signed difference of L* on the prop and in the core of its shadow; shift of the shadow's edge.
 */
export function insertionFigures(p: Pictures): InsertionFigures {
  const { width, region } = p;
  const touched = new Uint8Array(p.width * p.height);
  for (let y = region.y0; y < region.y1; y++) {
    for (let x = region.x0; x < region.x1; x++) {
      const i = (y * width + x) * 3;
      let difference = 0;
      for (let k = 0; k < 3; k++) {
        difference = Math.max(difference, Math.abs(linearToSrgb(p.truth[i + k]) - linearToSrgb(p.without[i + k])));
      }
      if (difference > 1 / 255) touched[y * width + x] = 1;
    }
  }
  const mask = grow(touched, p.width, p.height, GROW);
  const all: number[] = [];
  const near: number[] = [];
  const prop: number[] = [];
  const shadow: number[] = [];
  const lab = (c: Float32Array, i: number) => linearToLab(c[i], c[i + 1], c[i + 2]);
  const lum = (c: Float32Array, i: number) => luminance(c[i], c[i + 1], c[i + 2]);
  for (let y = region.y0; y < region.y1; y++) {
    for (let x = region.x0; x < region.x1; x++) {
      const at = y * width + x;
      if (!mask[at]) continue;
      const i = at * 3;
      const [a, b] = [lab(p.truth, i), lab(p.composite, i)];
      const difference = ciede2000(a, b);
      all.push(difference);
      if (p.contacts.some(([u, v]) => Math.hypot(u - x - 0.5, v - y - 0.5) <= CONTACT)) near.push(difference);
      if (p.alpha[at] >= 1) prop.push(b[0] - a[0]);
      else if (p.alpha[at] === 0 && lum(p.truth, i) < 0.5 * lum(p.without, i)) shadow.push(b[0] - a[0]);
    }
  }
  const edges = shadowEdges(p);
  return {
    pixels: all.length,
    mean: mean(all),
    percentile95: percentile(all, 0.95),
    contactMean: mean(near),
    propLightness: mean(prop),
    shadowLightness: mean(shadow),
    shadowEdge: { median: percentile(edges, 0.5), percentile95: percentile(edges, 0.95) },
  };
}

/** Shift of the place, row by row, where the shadow's ratio first falls through 0.7 from the left. */
function shadowEdges(p: Pictures): number[] {
  const { width, region } = p;
  const ratioOf = (c: Float32Array, x: number, y: number): number => {
    let [sum, sum0] = [0, 0];
    for (let dx = -1; dx <= 1; dx++) {
      const i = (y * width + x + dx) * 3;
      sum += luminance(c[i], c[i + 1], c[i + 2]);
      sum0 += luminance(p.without[i], p.without[i + 1], p.without[i + 2]);
    }
    return sum / Math.max(1e-6, sum0);
  };
  const crossing = (c: Float32Array, y: number): number | null => {
    let before = ratioOf(c, region.x0 + 1, y);
    for (let x = region.x0 + 2; x < region.x1 - 1; x++) {
      if (p.alpha[y * width + x] > 0) return null;
      const now = ratioOf(c, x, y);
      if (before >= 0.7 && now < 0.7) return x - 1 + (before - 0.7) / (before - now);
      before = now;
    }
    return null;
  };
  const shifts: number[] = [];
  for (let y = region.y0 + 1; y < region.y1 - 1; y++) {
    const [a, b] = [crossing(p.truth, y), crossing(p.composite, y)];
    if (a !== null && b !== null) shifts.push(Math.abs(a - b));
  }
  return shifts;
}

function grow(mask: Uint8Array, width: number, height: number, radius: number): Uint8Array {
  const pass = (source: Uint8Array, step: number, length: number, other: number, otherStep: number) => {
    const out = new Uint8Array(source.length);
    for (let o = 0; o < other; o++) {
      let last = -Infinity;
      for (let i = 0; i < length; i++) {
        if (source[o * otherStep + i * step]) last = i;
        if (i - last <= radius) out[o * otherStep + i * step] = 1;
      }
      last = Infinity;
      for (let i = length - 1; i >= 0; i--) {
        if (source[o * otherStep + i * step]) last = i;
        if (last - i <= radius) out[o * otherStep + i * step] = 1;
      }
    }
    return out;
  };
  return pass(pass(mask, 1, width, height, width), width, height, width, 1);
}

const mean = (a: number[]) => (a.length === 0 ? NaN : a.reduce((s, x) => s + x, 0) / a.length);
const percentile = (a: number[], q: number) =>
  a.length === 0 ? NaN : [...a].sort((x, y) => x - y)[Math.min(a.length - 1, Math.floor(q * a.length))];
