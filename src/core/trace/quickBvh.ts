import type { ReferenceBvh } from "./referenceBvh.ts";

/**
 * The same kind of tree as `buildReference` gives, built many times quicker and traced a little slower: every node is
 * parted at the middle of its triangles' middles, along the longest side of the box around those.
 */

const LEAF = 6;

/** Builds over triangles given as vertex indices. */
export function buildQuick(positions: Float32Array, indices: Uint32Array): ReferenceBvh {
  const count = indices.length / 3;
  const bounds = new Float32Array(count * 6);
  const middles = new Float32Array(count * 3);
  for (let t = 0; t < count; t++) {
    const [a, b, c] = [indices[t * 3] * 3, indices[t * 3 + 1] * 3, indices[t * 3 + 2] * 3];
    for (let k = 0; k < 3; k++) {
      const [x, y, z] = [positions[a + k], positions[b + k], positions[c + k]];
      const low = x < y ? (x < z ? x : z) : y < z ? y : z;
      const high = x > y ? (x > z ? x : z) : y > z ? y : z;
      bounds[t * 6 + k] = low;
      bounds[t * 6 + 3 + k] = high;
      middles[t * 3 + k] = low + high;
    }
  }
  const order = new Int32Array(count);
  for (let t = 0; t < count; t++) order[t] = t;
  const nodes = Math.max(1, 2 * count);
  const boxes = new Float32Array(nodes * 6);
  const links = new Int32Array(nodes * 2);
  // Node, first triangle and the one after the last.
  const work = [0, 0, count];
  const box = new Float32Array(6);
  const spread = new Float32Array(6);
  let used = 1;
  while (work.length > 0) {
    const to = work.pop()!;
    const from = work.pop()!;
    const node = work.pop()!;
    box.fill(Infinity, 0, 3).fill(-Infinity, 3);
    spread.fill(Infinity, 0, 3).fill(-Infinity, 3);
    for (let i = from; i < to; i++) {
      const t = order[i];
      for (let k = 0; k < 3; k++) {
        const [low, high, middle] = [bounds[t * 6 + k], bounds[t * 6 + 3 + k], middles[t * 3 + k]];
        if (low < box[k]) box[k] = low;
        if (high > box[3 + k]) box[3 + k] = high;
        if (middle < spread[k]) spread[k] = middle;
        if (middle > spread[3 + k]) spread[3 + k] = middle;
      }
    }
    boxes.set(box, node * 6);
    if (to - from <= LEAF) {
      links[node * 2] = from;
      links[node * 2 + 1] = to - from;
      continue;
    }
    let axis = 0;
    for (const k of [1, 2]) if (spread[3 + k] - spread[k] > spread[3 + axis] - spread[axis]) axis = k;
    const border = (spread[axis] + spread[3 + axis]) / 2;
    let [i, j] = [from, to - 1];
    while (i <= j) {
      const t = order[i];
      if (middles[t * 3 + axis] < border) i++;
      else {
        order[i] = order[j];
        order[j] = t;
        j--;
      }
    }
    // Triangles that all have the same middle are parted by number.
    if (i === from || i === to) i = (from + to) >> 1;
    links[node * 2] = used;
    work.push(used + 1, i, to, used, from, i);
    used += 2;
  }
  const triangles = new Float32Array(count * 9);
  for (let i = 0; i < count; i++) {
    const t = order[i] * 3;
    const [a, b, c] = [indices[t] * 3, indices[t + 1] * 3, indices[t + 2] * 3];
    for (let k = 0; k < 3; k++) {
      triangles[i * 9 + k] = positions[a + k];
      triangles[i * 9 + 3 + k] = positions[b + k] - positions[a + k];
      triangles[i * 9 + 6 + k] = positions[c + k] - positions[a + k];
    }
  }
  return { boxes: boxes.slice(0, used * 6), links: links.slice(0, used * 2), triangles, numbers: order };
}
