import type { Vec3 } from "../math/vec3.ts";
import type { Face } from "./face.ts";
import { rayMeets } from "./face.ts";
import { allFaces } from "./faces.ts";
import type { Part, SetRecord } from "./parts/index.ts";

/** A tree of boxes over the faces of a set, so that pointing into thousands of them asks only a few. */

interface Entry {
  part: Part;
  face: Face;
  low: Vec3;
  high: Vec3;
}

interface Node {
  low: Vec3;
  high: Vec3;
  /** Faces of a leaf; otherwise two nodes. */
  entries: Entry[] | null;
  near: Node | null;
  far: Node | null;
}

/** Faces that a leaf has at most. */
const LEAF = 6;
/** A box is wider than its faces by this, metres: flat ones have none of their own. */
const PAD = 1e-6;

const trees = new WeakMap<SetRecord, Node | null>();

function boxOf(points: Iterable<Vec3>): [Vec3, Vec3] {
  const low: Vec3 = [Infinity, Infinity, Infinity];
  const high: Vec3 = [-Infinity, -Infinity, -Infinity];
  for (const p of points)
    for (let k = 0; k < 3; k++) {
      if (p[k] - PAD < low[k]) low[k] = p[k] - PAD;
      if (p[k] + PAD > high[k]) high[k] = p[k] + PAD;
    }
  return [low, high];
}

function build(entries: Entry[]): Node {
  const low: Vec3 = [Infinity, Infinity, Infinity];
  const high: Vec3 = [-Infinity, -Infinity, -Infinity];
  for (const entry of entries)
    for (let k = 0; k < 3; k++) {
      low[k] = Math.min(low[k], entry.low[k]);
      high[k] = Math.max(high[k], entry.high[k]);
    }
  if (entries.length <= LEAF) return { low, high, entries, near: null, far: null };
  // Halved along the longest side, by the middles of the faces' boxes.
  const k = [0, 1, 2].reduce((most, i) => (high[i] - low[i] > high[most] - low[most] ? i : most), 0);
  const sorted = entries.sort((a, b) => a.low[k] + a.high[k] - b.low[k] - b.high[k]);
  const half = sorted.length >> 1;
  return { low, high, entries: null, near: build(sorted.slice(0, half)), far: build(sorted.slice(half)) };
}

function treeOf(set: SetRecord): Node | null {
  let tree = trees.get(set);
  if (tree === undefined) {
    const entries = [...allFaces(set)].map(({ part, face }): Entry => {
      const [low, high] = boxOf(face.rings[0]);
      return { part, face, low, high };
    });
    tree = entries.length > 0 ? build(entries) : null;
    trees.set(set, tree);
  }
  return tree;
}

/** Share of the ray at which it enters a box; infinite where it passes by, or behind `most`. */
function entry(node: Node, from: Vec3, inverse: Vec3, most: number): number {
  let near = 0;
  let far = most;
  for (let k = 0; k < 3; k++) {
    const a = (node.low[k] - from[k]) * inverse[k];
    const b = (node.high[k] - from[k]) * inverse[k];
    near = Math.max(near, Math.min(a, b));
    far = Math.min(far, Math.max(a, b));
  }
  return near <= far ? near : Infinity;
}

/** The nearest face that a ray meets among those that count; null for none. `distance` is in lengths of the direction. */
export function nearestFace(
  set: SetRecord,
  from: Vec3,
  direction: Vec3,
  counts: (part: Part, face: string) => boolean,
): { part: Part; face: Face; distance: number } | null {
  const root = treeOf(set);
  if (!root) return null;
  // A direction along an axis divides by nothing: the box is then met or missed by all of the ray.
  const inverse = direction.map((x) => 1 / (Math.abs(x) < 1e-300 ? 1e-300 : x)) as Vec3;
  let best: { part: Part; face: Face; distance: number } | null = null;
  let most = Infinity;
  const open: Node[] = [root];
  while (open.length > 0) {
    const node = open.pop()!;
    if (entry(node, from, inverse, most) === Infinity) continue;
    if (node.entries) {
      for (const { part, face } of node.entries) {
        if (!counts(part, face.id)) continue;
        const distance = rayMeets(face, from, direction);
        if (distance === null || distance >= most) continue;
        most = distance;
        best = { part, face, distance };
      }
      continue;
    }
    const [near, far] = [entry(node.near!, from, inverse, most), entry(node.far!, from, inverse, most)];
    // The nearer one is opened first, so it is put on top.
    if (near <= far) open.push(node.far!, node.near!);
    else open.push(node.near!, node.far!);
  }
  return best;
}
