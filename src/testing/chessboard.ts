import type { Vec2 } from "#core/math/vec3";

/** A grey picture, rows from the top. */
export interface Grey {
  width: number;
  height: number;
  values: Float32Array;
}

interface Corner {
  at: Vec2;
  strength: number;
}

const blurred = ({ width, height, values }: Grey): Grey => {
  const weights = [1, 4, 6, 4, 1];
  const pass = (from: Float32Array, dx: number, dy: number) => {
    const out = new Float32Array(from.length);
    for (let y = 0; y < height; y++) {
      for (let x = 0; x < width; x++) {
        let sum = 0;
        for (let k = -2; k <= 2; k++) {
          const xx = Math.min(width - 1, Math.max(0, x + k * dx));
          const yy = Math.min(height - 1, Math.max(0, y + k * dy));
          sum += weights[k + 2] * from[yy * width + xx];
        }
        out[y * width + x] = sum / 16;
      }
    }
    return out;
  };
  return { width, height, values: pass(pass(values, 1, 0), 0, 1) };
};

/** Where the tone is a saddle, as between four squares: the strongest first, each refined to the middle of its quadric. */
function saddles(picture: Grey): Corner[] {
  const { width, height, values } = blurred(picture);
  const strength = new Float32Array(width * height);
  for (let y = 6; y < height - 6; y++) {
    for (let x = 6; x < width - 6; x++) {
      const v = (dx: number, dy: number) => values[(y + dy) * width + x + dx];
      const xx = v(2, 0) - 2 * v(0, 0) + v(-2, 0);
      const yy = v(0, 2) - 2 * v(0, 0) + v(0, -2);
      const xy = (v(2, 2) - v(2, -2) - v(-2, 2) + v(-2, -2)) / 4;
      strength[y * width + x] = xy * xy - xx * yy;
    }
  }
  const found: Corner[] = [];
  for (let y = 8; y < height - 8; y++) {
    for (let x = 8; x < width - 8; x++) {
      const s = strength[y * width + x];
      if (s < 1e-4) continue;
      let top = true;
      for (let dy = -4; dy <= 4 && top; dy++)
        for (let dx = -4; dx <= 4; dx++) if (strength[(y + dy) * width + x + dx] > s) top = false;
      if (!top) continue;
      const at = quadricMiddle({ width, height, values }, x, y);
      if (at && fourParts({ width, height, values }, at)) found.push({ at, strength: s });
    }
  }
  return found.sort((a, b) => b.strength - a.strength);
}

/** The middle of the quadric through a 7 × 7 patch, pixels (the first pixel's centre is 0.5); null where it is no saddle nearby. */
function quadricMiddle({ width, values }: Grey, x: number, y: number): Vec2 | null {
  // Least squares on a symmetric grid: the coefficients are sums over it.
  let [s0, sx, sy, sxx, sxy, syy] = [0, 0, 0, 0, 0, 0];
  const r = 3;
  for (let dy = -r; dy <= r; dy++) {
    for (let dx = -r; dx <= r; dx++) {
      const v = values[(y + dy) * width + x + dx];
      s0 += v;
      sx += v * dx;
      sy += v * dy;
      sxx += v * dx * dx;
      sxy += v * dx * dy;
      syy += v * dy * dy;
    }
  }
  const n = (2 * r + 1) ** 2;
  const m2 = ((2 * r + 1) * r * (r + 1) * (2 * r + 1)) / 3;
  let m4 = 0;
  for (let d = -r; d <= r; d++) m4 += d ** 4;
  const m22 = (m2 / (2 * r + 1)) ** 2;
  m4 *= 2 * r + 1;
  const [bx, by, c] = [sx / m2, sy / m2, sxy / m22];
  // v = a + bx x + by y + axx x² + c xy + ayy y²: the even part by its normal equations.
  const spread = m4 - m22;
  const both = (sxx + syy - (2 * m2 * s0) / n) / (m4 + m22 - (2 * m2 * m2) / n);
  const apart = (sxx - syy) / spread;
  const [axx, ayy] = [(both + apart) / 2, (both - apart) / 2];
  const det = 4 * axx * ayy - c * c;
  if (det > -1e-9) return null;
  const u = (-2 * ayy * bx + c * by) / det;
  const v = (-2 * axx * by + c * bx) / det;
  return Math.hypot(u, v) < 2.5 ? [x + u + 0.5, y + v + 0.5] : null;
}

/** True if a circle about a point is bright and dark twice each. */
function fourParts({ width, values }: Grey, [u, v]: Vec2): boolean {
  const ring = Array.from({ length: 24 }, (_, i) => {
    const a = (i / 24) * 2 * Math.PI;
    return values[Math.round(v - 0.5 + 5 * Math.sin(a)) * width + Math.round(u - 0.5 + 5 * Math.cos(a))];
  });
  const [low, high] = [Math.min(...ring), Math.max(...ring)];
  if (high - low < 0.12) return false;
  const middle = (low + high) / 2;
  return ring.filter((r, i) => r > middle !== ring[(i + 1) % 24] > middle).length === 4;
}

/**
 * The inner corners of a chessboard of `across` × `down`, by their places on it; null where the whole board is not found.
 * A grid is grown from one corner: each next one lies where its neighbours point to.
 */
export function chessboardCorners(picture: Grey, across: number, down: number): { pixel: Vec2; place: Vec2 }[] | null {
  const all = saddles(picture);
  const usual = all[Math.min(all.length - 1, (across * down) >> 1)]?.strength ?? 0;
  const corners = all.filter((c) => c.strength > 0.25 * usual).slice(0, 3 * across * down);
  for (const seed of corners.slice(0, 12)) {
    const grid = grown(seed, corners);
    const board = fullest(grid, across, down) ?? fullest(turned(grid), across, down);
    if (board) return board;
  }
  return null;
}

interface Placed {
  pixel: Vec2;
  place: Vec2;
  strength: number;
}

const turned = (grid: Map<string, Placed>): Map<string, Placed> =>
  new Map(
    [...grid.values()].map(({ place: [x, y], ...c }): [string, Placed] => [`${y},${x}`, { ...c, place: [y, x] }]),
  );

/** The part of a grid that is a whole board, of several the one whose weakest corner is the strongest. */
function fullest(grid: Map<string, Placed>, across: number, down: number): { pixel: Vec2; place: Vec2 }[] | null {
  let best: { corners: { pixel: Vec2; place: Vec2 }[]; weakest: number } | null = null;
  for (const { place } of grid.values()) {
    const part: { pixel: Vec2; place: Vec2 }[] = [];
    let weakest = Infinity;
    for (let y = 0; y < down; y++) {
      for (let x = 0; x < across; x++) {
        const c = grid.get(`${place[0] + x},${place[1] + y}`);
        if (!c) continue;
        part.push({ pixel: c.pixel, place: [x, y] });
        weakest = Math.min(weakest, c.strength);
      }
    }
    if (part.length === across * down && (!best || weakest > best.weakest)) best = { corners: part, weakest };
  }
  return best?.corners ?? null;
}

function grown(seed: Corner, corners: Corner[]): Map<string, Placed> {
  const grid = new Map<string, Placed>();
  const near = (to: Vec2, within: number): Corner | null => {
    let best: Corner | null = null;
    for (const c of corners) {
      const d = Math.hypot(c.at[0] - to[0], c.at[1] - to[1]);
      if (d < within && (!best || d < Math.hypot(best.at[0] - to[0], best.at[1] - to[1]))) best = c;
    }
    return best;
  };
  const others = corners
    .filter((c) => c !== seed)
    .sort(
      (a, b) =>
        Math.hypot(a.at[0] - seed.at[0], a.at[1] - seed.at[1]) - Math.hypot(b.at[0] - seed.at[0], b.at[1] - seed.at[1]),
    );
  const step = (c: Corner): Vec2 => [c.at[0] - seed.at[0], c.at[1] - seed.at[1]];
  const first = others[0];
  if (!first) return grid;
  const right = step(first);
  const across = others.slice(1, 6).find((c) => {
    const s = step(c);
    return Math.abs(s[0] * right[1] - s[1] * right[0]) > 0.6 * Math.hypot(...s) * Math.hypot(...right);
  });
  if (!across) return grid;
  let up = step(across);
  if (right[0] * up[1] - right[1] * up[0] < 0) up = [-up[0], -up[1]];
  const key = (p: Vec2) => p.join();
  const open: { place: Vec2; right: Vec2; up: Vec2 }[] = [{ place: [0, 0], right, up }];
  grid.set("0,0", { pixel: seed.at, place: [0, 0], strength: seed.strength });
  const taken = new Set<Corner>([seed]);
  for (let next = open.shift(); next; next = open.shift()) {
    const { pixel } = grid.get(key(next.place))!;
    for (const [dx, dy] of [
      [1, 0],
      [-1, 0],
      [0, 1],
      [0, -1],
    ] as Vec2[]) {
      const place: Vec2 = [next.place[0] + dx, next.place[1] + dy];
      if (grid.has(key(place))) continue;
      const way: Vec2 = [dx * next.right[0] + dy * next.up[0], dx * next.right[1] + dy * next.up[1]];
      const found = near([pixel[0] + way[0], pixel[1] + way[1]], 0.3 * Math.hypot(...way));
      if (!found || taken.has(found)) continue;
      taken.add(found);
      grid.set(key(place), { pixel: found.at, place, strength: found.strength });
      const real: Vec2 = [found.at[0] - pixel[0], found.at[1] - pixel[1]];
      const sign = dx + dy;
      open.push({
        place,
        right: dx ? [real[0] * sign, real[1] * sign] : next.right,
        up: dy ? [real[0] * sign, real[1] * sign] : next.up,
      });
    }
  }
  return grid;
}
