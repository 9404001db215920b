import type { Vec2 } from "../math/vec3.ts";
import type { Tone } from "./tone.ts";
import { halved } from "./tone.ts";

/** A straight segment found on a plate, in its pixels. */
export interface Segment {
  from: Vec2;
  to: Vec2;
  /** Mean step of lightness across it. */
  contrast: number;
}

const DIRECTIONS = 128;
/** Pixels of a segment turn their gradient by no more than this from its own direction, radians. */
const TOLERANCE = 0.3;

/**
 * Straight segments of a plate by growing regions of like gradient direction and fitting a line to each: the idea of
 * Burns, Hanson, Riseman 1986 ("Extracting straight lines"), with regions grown from the strongest pixels. Large plates
 * are searched at half size. `least` is the shortest segment kept, as a share of the plate's diagonal. Longest first.
 */
export function findSegments(tone: Tone, least = 0.03): Segment[] {
  let small = tone;
  let factor = 1;
  while (small.width * small.height > 2_200_000) {
    small = halved(small);
    factor *= 2;
  }
  const { width, height } = small;
  const { strength, direction } = gradients(small);
  const diagonal = Math.hypot(width, height);
  const shortest = Math.max(12, least * diagonal);
  const floor = noiseFloor(strength);
  const order = strongestFirst(strength, floor);
  const used = new Uint8Array(width * height);
  const stack = new Int32Array(width * height);
  const found: Segment[] = [];
  const cosines = new Float32Array(DIRECTIONS);
  const sines = new Float32Array(DIRECTIONS);
  for (let i = 0; i < DIRECTIONS; i++) {
    cosines[i] = Math.cos((i / DIRECTIONS) * 2 * Math.PI);
    sines[i] = Math.sin((i / DIRECTIONS) * 2 * Math.PI);
  }
  const limit = Math.cos(TOLERANCE);
  for (const seed of order) {
    if (used[seed]) continue;
    used[seed] = 1;
    stack[0] = seed;
    let count = 1;
    let cx = cosines[direction[seed]];
    let cy = sines[direction[seed]];
    let l = 1;
    let [sw, sx, sy, sxx, sxy, syy] = [0, 0, 0, 0, 0, 0];
    for (let k = 0; k < count; k++) {
      const at = stack[k];
      const x = at % width;
      const y = (at - x) / width;
      const w = strength[at];
      sw += w;
      sx += w * x;
      sy += w * y;
      sxx += w * x * x;
      sxy += w * x * y;
      syy += w * y * y;
      for (let dy = -1; dy <= 1; dy++) {
        const yy = y + dy;
        if (yy < 0 || yy >= height) continue;
        for (let dx = -1; dx <= 1; dx++) {
          const xx = x + dx;
          if (xx < 0 || xx >= width) continue;
          const n = yy * width + xx;
          if (used[n] || strength[n] < floor) continue;
          const gx = cosines[direction[n]];
          const gy = sines[direction[n]];
          if (gx * cx + gy * cy < limit * l) continue;
          used[n] = 1;
          stack[count++] = n;
          cx += gx;
          cy += gy;
          l = Math.sqrt(cx * cx + cy * cy);
        }
      }
    }
    if (count < shortest) continue;
    const [mx, my] = [sx / sw, sy / sw];
    const [xx, xy, yy] = [sxx / sw - mx * mx, sxy / sw - mx * my, syy / sw - my * my];
    const angle = 0.5 * Math.atan2(2 * xy, xx - yy);
    const [ux, uy] = [Math.cos(angle), Math.sin(angle)];
    // The line must run across the gradients that made it.
    if (Math.abs(ux * cx + uy * cy) > 0.35 * l) continue;
    let [low, high, across] = [Infinity, -Infinity, 0];
    for (let k = 0; k < count; k++) {
      const x = (stack[k] % width) - mx;
      const y = Math.floor(stack[k] / width) - my;
      const t = x * ux + y * uy;
      if (t < low) low = t;
      if (t > high) high = t;
      across += (y * ux - x * uy) ** 2;
    }
    const length = high - low;
    const thickness = Math.sqrt(across / count);
    if (length < shortest || thickness > 2 || count < 0.6 * length) continue;
    found.push({
      from: [(mx + ux * low + 0.5) * factor, (my + uy * low + 0.5) * factor],
      to: [(mx + ux * high + 0.5) * factor, (my + uy * high + 0.5) * factor],
      contrast: sw / count,
    });
  }
  return joined(found, factor).sort((a, b) => lengthOf(b) - lengthOf(a));
}

export const lengthOf = (s: Segment): number => Math.hypot(s.to[0] - s.from[0], s.to[1] - s.from[1]);

/** Gradient strength and direction (in 128 steps of a turn) by 3 x 3 derivatives (Scharr's weights). */
function gradients({ width, height, values }: Tone): { strength: Float32Array; direction: Uint8Array } {
  const strength = new Float32Array(width * height);
  const direction = new Uint8Array(width * height);
  const turn = DIRECTIONS / (2 * Math.PI);
  const atan2 = Math.atan2;
  const sqrt = Math.sqrt;
  for (let y = 1; y < height - 1; y++) {
    for (let x = 1; x < width - 1; x++) {
      const o = y * width + x;
      const a = values[o - width - 1];
      const b = values[o - width];
      const c = values[o - width + 1];
      const d = values[o - 1];
      const e = values[o + 1];
      const f = values[o + width - 1];
      const g = values[o + width];
      const h = values[o + width + 1];
      const gx = (3 * (c - a + h - f) + 10 * (e - d)) / 32;
      const gy = (3 * (f - a + h - c) + 10 * (g - b)) / 32;
      const s = sqrt(gx * gx + gy * gy);
      strength[o] = s;
      if (s > 0.004) direction[o] = (atan2(gy, gx) * turn + DIRECTIONS + 0.5) & (DIRECTIONS - 1);
    }
  }
  return { strength, direction };
}

/** Gradients below this are taken for noise: a multiple of the median of all. */
function noiseFloor(strength: Float32Array): number {
  const sample: number[] = [];
  for (let i = 0; i < strength.length; i += 37) sample.push(strength[i]);
  sample.sort((a, b) => a - b);
  return Math.max(0.012, 1.6 * sample[sample.length >> 1]);
}

/** Indices of all pixels above the floor, the strongest first, by buckets. */
function strongestFirst(strength: Float32Array, floor: number): Int32Array {
  const BUCKETS = 512;
  const top = 0.35;
  const bucketOf = (s: number) => Math.min(BUCKETS - 1, Math.floor(((s - floor) / (top - floor)) * BUCKETS));
  const starts = new Int32Array(BUCKETS + 1);
  let total = 0;
  for (const s of strength) {
    if (s < floor) continue;
    starts[BUCKETS - 1 - bucketOf(s) + 1]++;
    total++;
  }
  for (let i = 0; i < BUCKETS; i++) starts[i + 1] += starts[i];
  const order = new Int32Array(total);
  for (let i = 0; i < strength.length; i++) {
    if (strength[i] < floor) continue;
    order[starts[BUCKETS - 1 - bucketOf(strength[i])]++] = i;
  }
  return order;
}

/** Puts pieces of one straight thing together: ends close, directions alike, and the whole still straight. */
function joined(segments: Segment[], factor: number): Segment[] {
  const list = [...segments].sort((a, b) => lengthOf(b) - lengthOf(a));
  const gone = new Set<Segment>();
  for (let i = 0; i < list.length; i++) {
    let s = list[i];
    if (gone.has(s)) continue;
    for (let again = true; again;) {
      again = false;
      const [dx, dy] = [s.to[0] - s.from[0], s.to[1] - s.from[1]];
      const l = Math.hypot(dx, dy);
      for (const t of list) {
        if (t === s || t === list[i] || gone.has(t)) continue;
        const across = (p: Vec2) => Math.abs((p[0] - s.from[0]) * dy - (p[1] - s.from[1]) * dx) / l;
        const along = (p: Vec2) => ((p[0] - s.from[0]) * dx + (p[1] - s.from[1]) * dy) / l;
        const tl = lengthOf(t);
        if (across(t.from) > 1.2 * factor || across(t.to) > 1.2 * factor) continue;
        const dot = ((t.to[0] - t.from[0]) * dx + (t.to[1] - t.from[1]) * dy) / (l * tl);
        if (Math.abs(dot) < 0.999) continue;
        const [a, b] = [Math.min(along(t.from), along(t.to)), Math.max(along(t.from), along(t.to))];
        const gap = Math.max(a - l, -b);
        if (gap > 0.15 * Math.min(l, tl) + 4 * factor) continue;
        const [low, high] = [Math.min(0, a), Math.max(l, b)];
        const at = (q: number): Vec2 => [s.from[0] + (dx / l) * q, s.from[1] + (dy / l) * q];
        const contrast = (s.contrast * l + t.contrast * tl) / (l + tl);
        gone.add(t);
        s = { from: at(low), to: at(high), contrast };
        again = true;
        break;
      }
    }
    list[i] = s;
  }
  return list.filter((s) => !gone.has(s));
}
