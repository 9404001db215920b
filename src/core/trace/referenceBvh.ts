/**
 * A binary bounding-volume hierarchy in TypeScript (binned surface-area heuristic, Wald 2007): the reference that the
 * kernel's hits and its speed are checked against. Plain arrays, double precision while tracing.
 */
export interface ReferenceBvh {
  /** Six floats a node: lowest corner, highest corner. */
  boxes: Float32Array;
  /** Two numbers a node: first child or first triangle, and how many triangles; 0 for an inner node. Children are neighbours. */
  links: Int32Array;
  /** Nine floats a triangle: a corner and two edges, in the order of the leaves. */
  triangles: Float32Array;
  /** Numbers of those triangles. */
  numbers: Int32Array;
}

// Looked up once: in a sandboxed global scope, as of test runners, every look-up of Math costs.
const { floor, max, min } = Math;

export interface ReferenceHit {
  triangle: number;
  distance: number;
}

const LEAF = 4;
const BINS = 16;
/** Cost of a step down against that of a triangle. */
const STEP = 1.5;

/** Builds over triangles given as vertex indices. */
export function buildReference(positions: Float32Array, indices: Uint32Array): ReferenceBvh {
  const count = indices.length / 3;
  const bounds = new Float32Array(count * 6);
  for (let t = 0; t < count; t++) {
    for (let k = 0; k < 3; k++) {
      const [a, b, c] = [0, 1, 2].map((j) => positions[indices[t * 3 + j] * 3 + k]);
      bounds[t * 6 + k] = min(a, b, c);
      bounds[t * 6 + 3 + k] = max(a, b, c);
    }
  }
  const order = Int32Array.from({ length: count }, (_, t) => t);
  const boxes = new Float32Array(max(1, 2 * count) * 6);
  const links = new Int32Array(max(1, 2 * count) * 2);
  let used = 1;
  const work = [{ node: 0, from: 0, to: count }];
  while (work.length > 0) {
    const { node, from, to } = work.pop()!;
    const box = enclose(bounds, order, from, to);
    boxes.set(box, node * 6);
    const middle = to - from > 1 ? split(bounds, order, from, to, box) : -1;
    if (middle < 0) {
      links.set([from, to - from], node * 2);
      continue;
    }
    links.set([used, 0], node * 2);
    work.push({ node: used + 1, from: middle, to }, { node: used, from, to: middle });
    used += 2;
  }
  const triangles = new Float32Array(count * 9);
  order.forEach((t, i) => {
    const [a, b, c] = [0, 1, 2].map((j) => indices[t * 3 + j] * 3);
    for (let k = 0; k < 3; k++) {
      triangles[i * 9 + k] = positions[a + k];
      triangles[i * 9 + 3 + k] = positions[b + k] - positions[a + k];
      triangles[i * 9 + 6 + k] = positions[c + k] - positions[a + k];
    }
  });
  return { boxes, links, triangles, numbers: order };
}

function enclose(bounds: Float32Array, order: Int32Array, from: number, to: number): number[] {
  const box = [Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity];
  for (let i = from; i < to; i++) {
    const at = order[i] * 6;
    for (let k = 0; k < 3; k++) {
      box[k] = min(box[k], bounds[at + k]);
      box[3 + k] = max(box[3 + k], bounds[at + 3 + k]);
    }
  }
  return box;
}

const area = (b: number[]) => {
  const [x, y, z] = [b[3] - b[0], b[4] - b[1], b[5] - b[2]];
  return x < 0 ? 0 : x * y + y * z + z * x;
};

/** Sorts a range by the cheapest of the bins' borders and tells where it is parted; -1 for a leaf. */
function split(bounds: Float32Array, order: Int32Array, from: number, to: number, box: number[]): number {
  const centre = (t: number, k: number) => bounds[t * 6 + k] + bounds[t * 6 + 3 + k];
  let best = { cost: Infinity, axis: -1, bin: 0, low: 0, scale: 0 };
  for (let axis = 0; axis < 3; axis++) {
    let [low, high] = [Infinity, -Infinity];
    for (let i = from; i < to; i++) {
      const c = centre(order[i], axis);
      low = min(low, c);
      high = max(high, c);
    }
    if (!(high > low)) continue;
    const scale = (BINS * 0.999999) / (high - low);
    const counts = new Int32Array(BINS);
    const bins = Array.from({ length: BINS }, () => [Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity]);
    for (let i = from; i < to; i++) {
      const t = order[i];
      const b = floor((centre(t, axis) - low) * scale);
      counts[b]++;
      grow(bins[b], bounds, t * 6);
    }
    const right: { area: number; count: number }[] = [];
    const sum = [Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity];
    let n = 0;
    for (let b = BINS - 1; b > 0; b--) {
      grow(sum, bins[b], 0);
      n += counts[b];
      right[b] = { area: area(sum), count: n };
    }
    sum.splice(0, 6, Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity);
    n = 0;
    for (let b = 0; b + 1 < BINS; b++) {
      grow(sum, bins[b], 0);
      n += counts[b];
      if (n === 0 || right[b + 1].count === 0) continue;
      const cost = area(sum) * n + right[b + 1].area * right[b + 1].count;
      if (cost < best.cost) best = { cost, axis, bin: b, low, scale };
    }
  }
  const count = to - from;
  if (best.axis < 0) return count > LEAF ? (from + to) >> 1 : -1;
  if (count <= LEAF && STEP + best.cost / max(1e-30, area(box)) >= count) return -1;
  let [i, j] = [from, to - 1];
  while (i <= j) {
    if (floor((centre(order[i], best.axis) - best.low) * best.scale) <= best.bin) i++;
    else {
      [order[i], order[j]] = [order[j], order[i]];
      j--;
    }
  }
  return i;
}

function grow(box: number[], other: ArrayLike<number>, at: number): void {
  for (let k = 0; k < 3; k++) {
    box[k] = min(box[k], other[at + k]);
    box[3 + k] = max(box[3 + k], other[at + 3 + k]);
  }
}

const waiting = new Int32Array(256);
const entries = new Float64Array(256);

/** Nearest hit of a ray (Möller and Trumbore 1997), both sides of triangles; null for none. `any`: the first that is found. */
function trace(
  bvh: ReferenceBvh,
  ox: number,
  oy: number,
  oz: number,
  dx: number,
  dy: number,
  dz: number,
  any: boolean,
): ReferenceHit | null {
  const { boxes, links, triangles, numbers } = bvh;
  const ix = 1 / (dx || 1e-30);
  const iy = 1 / (dy || 1e-30);
  const iz = 1 / (dz || 1e-30);
  // Which of a box's planes a ray meets first on each axis, and which last.
  const x0 = ix > 0 ? 0 : 3;
  const y0 = iy > 0 ? 1 : 4;
  const z0 = iz > 0 ? 2 : 5;
  const x1 = 3 - x0;
  const y1 = 5 - y0;
  const z1 = 7 - z0;
  let best = Infinity;
  let found = -1;
  /** Where a ray enters a node; infinite if it misses. */
  const enter = (at: number): number => {
    let near = (boxes[at + x0] - ox) * ix;
    const ny = (boxes[at + y0] - oy) * iy;
    const nz = (boxes[at + z0] - oz) * iz;
    let far = (boxes[at + x1] - ox) * ix;
    const fy = (boxes[at + y1] - oy) * iy;
    const fz = (boxes[at + z1] - oz) * iz;
    if (ny > near) near = ny;
    if (nz > near) near = nz;
    if (near < 0) near = 0;
    if (fy < far) far = fy;
    if (fz < far) far = fz;
    if (best < far) far = best;
    return near <= far * (1 + 1e-7) ? near : Infinity;
  };
  let top = 0;
  waiting[top] = 0;
  entries[top++] = enter(0);
  while (top > 0) {
    top--;
    if (entries[top] > best || entries[top] === Infinity) continue;
    let node = waiting[top];
    while (links[node * 2 + 1] === 0) {
      const left = links[node * 2];
      const a = enter(left * 6);
      const b = enter(left * 6 + 6);
      const first = a <= b;
      const [near, far] = first ? [a, b] : [b, a];
      if (near === Infinity) {
        node = -1;
        break;
      }
      if (far < Infinity) {
        waiting[top] = first ? left + 1 : left;
        entries[top++] = far;
      }
      node = first ? left : left + 1;
    }
    if (node < 0) continue;
    const first = links[node * 2];
    for (let i = first, end = first + links[node * 2 + 1]; i < end; i++) {
      const t = hitTriangle(triangles, i * 9, ox, oy, oz, dx, dy, dz);
      if (t <= 0 || t >= best) continue;
      best = t;
      found = numbers[i];
      if (any) return { triangle: found, distance: best };
    }
  }
  return found < 0 ? null : { triangle: found, distance: best };
}

/** Distance to a triangle, Infinity for a miss. */
function hitTriangle(
  p: Float32Array,
  at: number,
  ox: number,
  oy: number,
  oz: number,
  dx: number,
  dy: number,
  dz: number,
): number {
  const ax = p[at + 3];
  const ay = p[at + 4];
  const az = p[at + 5];
  const bx = p[at + 6];
  const by = p[at + 7];
  const bz = p[at + 8];
  const hx = dy * bz - dz * by;
  const hy = dz * bx - dx * bz;
  const hz = dx * by - dy * bx;
  const inverse = 1 / (ax * hx + ay * hy + az * hz);
  const sx = ox - p[at];
  const sy = oy - p[at + 1];
  const sz = oz - p[at + 2];
  const u = (sx * hx + sy * hy + sz * hz) * inverse;
  if (!(u >= 0 && u <= 1)) return Infinity;
  const qx = sy * az - sz * ay;
  const qy = sz * ax - sx * az;
  const qz = sx * ay - sy * ax;
  const v = (dx * qx + dy * qy + dz * qz) * inverse;
  if (!(v >= 0 && u + v <= 1)) return Infinity;
  return (bx * qx + by * qy + bz * qz) * inverse;
}

/** Nearest hit of a ray; null for none. */
export const referenceClosest = (
  bvh: ReferenceBvh,
  ox: number,
  oy: number,
  oz: number,
  dx: number,
  dy: number,
  dz: number,
): ReferenceHit | null => trace(bvh, ox, oy, oz, dx, dy, dz, false);

/** True if the ray meets anything. */
export const referenceOccluded = (
  bvh: ReferenceBvh,
  ox: number,
  oy: number,
  oz: number,
  dx: number,
  dy: number,
  dz: number,
): boolean => trace(bvh, ox, oy, oz, dx, dy, dz, true) !== null;
