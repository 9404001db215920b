import type { Vec2 } from "../math/vec3.ts";
import type { Tone } from "./tone.ts";
import { sampleTone } from "./tone.ts";

/** A mark brought onto the real edge under it. */
export interface Stuck {
  from: Vec2;
  to: Vec2;
  /** Root mean square distance of the edge's own points from the line, pixels. */
  scatter: number;
}

/**
 * Brings a straight mark onto the edge of the plate under it, to parts of a pixel. Lightness is read across the mark at
 * many places; the line through the steps that are strongest together, with a leaning to the mark as it was set, is found by trying offsets of both ends, then refined by least squares over
 * the steps' own sub-pixel places. Ends keep their place along the mark. Null where there is no clear edge within
 * `reach` pixels.
 */
export function stickEdge(tone: Tone, from: Vec2, to: Vec2, reach = 6): Stuck | null {
  const [dx, dy] = [to[0] - from[0], to[1] - from[1]];
  const length = Math.hypot(dx, dy);
  if (length < 8) return null;
  const [ux, uy] = [dx / length, dy / length];
  const [nx, ny] = [-uy, ux];
  const places = Math.max(12, Math.min(160, Math.round(length / 3)));
  const STEP = 0.5;
  const half = Math.ceil((reach + 2) / STEP);
  const wide = 2 * half + 1;
  const slopes = new Float32Array(places * wide);
  const across = new Float32Array(wide + 4);
  const along: number[] = [];
  for (let i = 0; i < places; i++) {
    // The very ends are left out: there the edge often meets another.
    const t = 0.03 + (0.94 * i) / (places - 1);
    along.push(t);
    const [x, y] = [from[0] + dx * t, from[1] + dy * t];
    for (let k = 0; k < wide + 4; k++) {
      const s = (k - half - 2) * STEP;
      across[k] = sampleTone(tone, x + nx * s, y + ny * s);
    }
    // Derivative of a Gaussian of half a pixel: the difference over two pixels, smoothed.
    for (let k = 0; k < wide; k++)
      slopes[i * wide + k] = (across[k + 4] - across[k] + 2 * (across[k + 3] - across[k + 1])) / (6 * STEP);
  }
  const noise = medianMagnitude(slopes);
  let best: { a: number; b: number; score: number } | null = null;
  const tries = Math.round(reach / STEP);
  // Bounded, so that one bright spot does not outvote a long edge; of either sense, since what lies behind a corner may
  // be brighter here and darker there.
  const bound = 3 * noise + 0.02;
  for (let p = -tries; p <= tries; p++) {
    for (let q = -tries; q <= tries; q++) {
      let sum = 0;
      for (let i = 0; i < places; i++) {
        const g = Math.abs(slopes[i * wide + half + Math.round(p + (q - p) * along[i])]);
        sum += g > bound ? bound : g;
      }
      const away = (p * p + q * q) * STEP * STEP;
      const score = sum * Math.exp(-away / (2 * (reach * 1.1) ** 2));
      if (!best || score > best.score) best = { a: p * STEP, b: q * STEP, score };
    }
  }
  if (!best || best.score / places < 1.3 * noise + 0.003) return null;
  let { a, b } = best;
  let scatter = 0;
  let window = 2.5;
  for (let round = 0; round < 6; round++) {
    let [sw, st, stt, so, sto] = [0, 0, 0, 0, 0];
    const steps: [number, number, number][] = [];
    for (let i = 0; i < places; i++) {
      const t = along[i];
      const middle = a + (b - a) * t;
      const step = stepNear(slopes, i * wide, wide, half, STEP, middle, window);
      if (step) steps.push([t, step.at, step.weight]);
    }
    if (steps.length < Math.max(5, places / 4)) return null;
    const limit = Math.max(0.35, 2.5 * scatter);
    for (const [t, at, w0] of steps) {
      const r = at - (a + (b - a) * t);
      const w = round === 0 || Math.abs(r) < limit ? w0 : (w0 * limit) / Math.abs(r) / 4;
      sw += w;
      st += w * t;
      stt += w * t * t;
      so += w * at;
      sto += w * t * at;
    }
    const det = sw * stt - st * st;
    if (!(Math.abs(det) > 1e-12)) return null;
    const slope = (sw * sto - st * so) / det;
    const offset = (so - slope * st) / sw;
    a = offset;
    b = offset + slope;
    const residues = steps.map(([t, at]) => Math.abs(at - (a + (b - a) * t))).sort((x, y) => x - y);
    scatter = 1.48 * residues[residues.length >> 1];
    window = Math.max(1.5, window * 0.8);
  }
  if (Math.abs(a) > reach + 1 || Math.abs(b) > reach + 1) return null;
  return {
    from: [from[0] + nx * a, from[1] + ny * a],
    to: [to[0] + nx * b, to[1] + ny * b],
    scatter,
  };
}

function medianMagnitude(values: Float32Array): number {
  const sorted = Float32Array.from(values, Math.abs).sort();
  return sorted[sorted.length >> 1];
}

/** The place of the step nearest to `middle`: centroid of the slope around its strongest point. */
function stepNear(
  slopes: Float32Array,
  row: number,
  wide: number,
  half: number,
  stepSize: number,
  middle: number,
  window: number,
): { at: number; weight: number } | null {
  const low = Math.max(1, Math.round((middle - window) / stepSize) + half);
  const high = Math.min(wide - 2, Math.round((middle + window) / stepSize) + half);
  let peak = -1;
  let most = 0;
  for (let k = low; k <= high; k++) {
    const far = ((k - half) * stepSize - middle) / window;
    const g = Math.abs(slopes[row + k]) * (1 - 0.4 * far * far);
    if (g > most) {
      most = g;
      peak = k;
    }
  }
  if (peak < 0) return null;
  const sign = Math.sign(slopes[row + peak]);
  let [sum, moment] = [0, 0];
  for (let k = Math.max(0, peak - 3); k <= Math.min(wide - 1, peak + 3); k++) {
    const g = sign * slopes[row + k];
    if (g <= 0.25 * most) continue;
    sum += g;
    moment += g * (k - half) * stepSize;
  }
  return sum > 0 ? { at: moment / sum, weight: most } : null;
}
