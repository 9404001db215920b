/** A plain binary bounding-volume hierarchy in TypeScript: the reference that the kernel's hits are checked against. */

interface Node {
  low: number[];
  high: number[];
  left: Node | null;
  right: Node | null;
  triangles: number[];
}

export interface ReferenceHit {
  triangle: number;
  distance: number;
}

const LEAF = 4;

/** Builds over triangles given as vertex indices, split at the middle of the longest side. */
export function buildReference(positions: Float32Array, indices: Uint32Array): Node {
  const corners = (t: number) => [0, 1, 2].map((k) => indices[t * 3 + k] * 3);
  const centre = (t: number, axis: number) => corners(t).reduce((s, c) => s + positions[c + axis], 0) / 3;
  const build = (triangles: number[]): Node => {
    const low = [Infinity, Infinity, Infinity];
    const high = [-Infinity, -Infinity, -Infinity];
    for (const t of triangles) {
      for (const c of corners(t)) {
        for (let k = 0; k < 3; k++) {
          low[k] = Math.min(low[k], positions[c + k]);
          high[k] = Math.max(high[k], positions[c + k]);
        }
      }
    }
    if (triangles.length <= LEAF) return { low, high, left: null, right: null, triangles };
    const sides = high.map((h, k) => h - low[k]);
    const axis = sides.indexOf(Math.max(...sides));
    const sorted = [...triangles].sort((a, b) => centre(a, axis) - centre(b, axis));
    const half = sorted.length >> 1;
    return { low, high, left: build(sorted.slice(0, half)), right: build(sorted.slice(half)), triangles: [] };
  };
  return build(Array.from({ length: indices.length / 3 }, (_, t) => t));
}

/** Nearest hit of a ray (Möller and Trumbore 1997), both sides of triangles; null for none. */
export function referenceClosest(
  root: Node,
  positions: Float32Array,
  indices: Uint32Array,
  origin: number[],
  direction: number[],
): ReferenceHit | null {
  let best: ReferenceHit | null = null;
  const visit = (node: Node): void => {
    let near = 0;
    let far = best ? best.distance : Infinity;
    for (let k = 0; k < 3; k++) {
      const a = (node.low[k] - origin[k]) / direction[k];
      const b = (node.high[k] - origin[k]) / direction[k];
      near = Math.max(near, Math.min(a, b));
      far = Math.min(far, Math.max(a, b));
    }
    if (near > far * (1 + 1e-9)) return;
    for (const t of node.triangles) {
      const distance = hitTriangle(positions, indices, t, origin, direction);
      if (distance !== null && (!best || distance < best.distance)) best = { triangle: t, distance };
    }
    if (node.left) visit(node.left);
    if (node.right) visit(node.right);
  };
  visit(root);
  return best;
}

function hitTriangle(p: Float32Array, indices: Uint32Array, t: number, o: number[], d: number[]): number | null {
  const [a, b, c] = [0, 1, 2].map((k) => indices[t * 3 + k] * 3);
  const e1 = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
  const e2 = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
  const h = [d[1] * e2[2] - d[2] * e2[1], d[2] * e2[0] - d[0] * e2[2], d[0] * e2[1] - d[1] * e2[0]];
  const det = e1[0] * h[0] + e1[1] * h[1] + e1[2] * h[2];
  if (Math.abs(det) < 1e-14) return null;
  const s = [o[0] - p[a], o[1] - p[a + 1], o[2] - p[a + 2]];
  const u = (s[0] * h[0] + s[1] * h[1] + s[2] * h[2]) / det;
  if (u < 0 || u > 1) return null;
  const q = [s[1] * e1[2] - s[2] * e1[1], s[2] * e1[0] - s[0] * e1[2], s[0] * e1[1] - s[1] * e1[0]];
  const v = (d[0] * q[0] + d[1] * q[1] + d[2] * q[2]) / det;
  if (v < 0 || u + v > 1) return null;
  const distance = (e2[0] * q[0] + e2[1] * q[1] + e2[2] * q[2]) / det;
  return distance > 0 ? distance : null;
}
