// Builds the 8-wide BVH: a binned surface-area binary tree, collapsed by area.
//
// primitive record (32 B): min xyz | id, max xyz | id     binary node (32 B): min xyz | left or first, max xyz | count
// The id carries a large offset so that the fourth lane is a normal float: denormals would stall the SIMD units.
import { NODE_BYTES, NODE_CHILDREN, TRIANGLE_BLOCK_BYTES, TRIANGLE_BYTES } from "./layout";

const ID_OFFSET: u32 = 0x40000000;
const BINS: u32 = 16;
const LEAF: u32 = 4;
const WIDTH: u32 = 8;
const PLANE: u32 = 32;
const BIN_COUNTS: u32 = 3 * BINS * 32;
const SWEEP_AREA: u32 = BIN_COUNTS + 3 * BINS * 4;
const SWEEP_COUNT: u32 = SWEEP_AREA + BINS * 4;
const WORK_STACK: u32 = SWEEP_COUNT + BINS * 4;

// @ts-ignore: decorator
@inline
function halfArea(low: v128, high: v128): f32 {
  const d = f32x4.sub(high, low);
  const x = f32x4.extract_lane(d, 0), y = f32x4.extract_lane(d, 1), z = f32x4.extract_lane(d, 2);
  return x * y + y * z + z * x;
}

// Vertices are 12 bytes: the 16-byte load reads one float past, which the host pads for.
// @ts-ignore: decorator
@inline
function vertex(positions: u32, index: u32): v128 {
  return v128.load(positions + index * 12);
}

function fillRecords(positions: u32, triangles: u32, count: u32, records: u32): void {
  for (let i: u32 = 0; i < count; i++) {
    const t = triangles + i * TRIANGLE_BYTES;
    const a = vertex(positions, load<u32>(t)), b = vertex(positions, load<u32>(t, 4)), c = vertex(positions, load<u32>(t, 8));
    const record = records + (i << 5);
    v128.store(record, i32x4.replace_lane(f32x4.pmin(f32x4.pmin(a, b), c), 3, i + ID_OFFSET));
    v128.store(record, i32x4.replace_lane(f32x4.pmax(f32x4.pmax(a, b), c), 3, i + ID_OFFSET), 16);
  }
}

/**
 * Binary tree over `count` triangles. `records` takes 32 bytes a triangle, `nodes` 64, `work` 64 KiB.
 * Returns the number of nodes.
 */
function buildBinary(positions: u32, triangles: u32, count: u32, records: u32, nodes: u32, work: u32): u32 {
  const empty = f32x4.splat(Infinity), full = f32x4.splat(-Infinity);
  fillRecords(positions, triangles, count, records);
  const bins = work, counts = work + BIN_COUNTS, areas = work + SWEEP_AREA, rights = work + SWEEP_COUNT, bottom = work + WORK_STACK;
  let sp = bottom, used: u32 = 1;
  store<u32>(sp, 0);
  store<u32>(sp, 0, 4);
  store<u32>(sp, count, 8);
  sp += 12;
  while (sp != bottom) {
    sp -= 12;
    const node = nodes + (load<u32>(sp) << 5), first = load<u32>(sp, 4), last = load<u32>(sp, 8), n = last - first;
    let low = empty, high = full, centreLow = empty, centreHigh = full;
    const begin = records + (first << 5), end = records + (last << 5);
    for (let r = begin; r < end; r += 32) {
      const a = v128.load(r), b = v128.load(r, 16), c = f32x4.add(a, b);
      low = f32x4.pmin(low, a);
      high = f32x4.pmax(high, b);
      centreLow = f32x4.pmin(centreLow, c);
      centreHigh = f32x4.pmax(centreHigh, c);
    }
    if (n <= LEAF) {
      v128.store(node, i32x4.replace_lane(low, 3, first));
      v128.store(node, i32x4.replace_lane(high, 3, n), 16);
      continue;
    }
    const binCount = min<u32>(BINS, 4 + (n >> 3));
    const extent = f32x4.sub(centreHigh, centreLow), scaleTop = <f32>binCount * <f32>0.999999;
    const sx: f32 = f32x4.extract_lane(extent, 0) > 0 ? scaleTop / f32x4.extract_lane(extent, 0) : 0;
    const sy: f32 = f32x4.extract_lane(extent, 1) > 0 ? scaleTop / f32x4.extract_lane(extent, 1) : 0;
    const sz: f32 = f32x4.extract_lane(extent, 2) > 0 ? scaleTop / f32x4.extract_lane(extent, 2) : 0;
    const scale = f32x4.replace_lane(f32x4.replace_lane(f32x4.replace_lane(f32x4.splat(0), 0, sx), 1, sy), 2, sz);
    for (let b: u32 = 0; b < 3 * BINS; b++) {
      v128.store(bins + (b << 5), empty);
      v128.store(bins + (b << 5), full, 16);
      store<u32>(counts + (b << 2), 0);
    }
    for (let r = begin; r < end; r += 32) {
      const a = v128.load(r), b = v128.load(r, 16);
      const k = i32x4.trunc_sat_f32x4_s(f32x4.mul(f32x4.sub(f32x4.add(a, b), centreLow), scale));
      putInBin(bins, counts, <u32>i32x4.extract_lane(k, 0), a, b);
      putInBin(bins, counts, <u32>i32x4.extract_lane(k, 1) + BINS, a, b);
      putInBin(bins, counts, <u32>i32x4.extract_lane(k, 2) + 2 * BINS, a, b);
    }
    let best: f32 = Infinity, axis: i32 = -1, split: u32 = 0;
    for (let ax: u32 = 0; ax < 3; ax++) {
      if ((ax == 0 ? sx : ax == 1 ? sy : sz) == 0) continue;
      const bb = bins + ax * BINS * 32, cc = counts + ax * BINS * 4;
      let a = empty, b = full, c: u32 = 0;
      for (let k = binCount - 1; k > 0; k--) {
        c += load<u32>(cc + (k << 2));
        a = f32x4.pmin(a, v128.load(bb + (k << 5)));
        b = f32x4.pmax(b, v128.load(bb + (k << 5), 16));
        store<f32>(areas + (k << 2), halfArea(a, b));
        store<u32>(rights + (k << 2), c);
      }
      a = empty;
      b = full;
      c = 0;
      for (let k: u32 = 0; k < binCount - 1; k++) {
        c += load<u32>(cc + (k << 2));
        a = f32x4.pmin(a, v128.load(bb + (k << 5)));
        b = f32x4.pmax(b, v128.load(bb + (k << 5), 16));
        const right = load<u32>(rights + (k << 2), 4);
        if (c == 0 || right == 0) continue;
        const cost = halfArea(a, b) * <f32>((c + 3) >> 2) + load<f32>(areas + (k << 2), 4) * <f32>((right + 3) >> 2);
        if (cost < best) {
          best = cost;
          axis = ax;
          split = k;
        }
      }
    }
    let middle: u32 = (first + last) >> 1;
    if (axis >= 0) {
      const offset = <u32>axis << 2;
      const start = axis == 0 ? f32x4.extract_lane(centreLow, 0) : axis == 1 ? f32x4.extract_lane(centreLow, 1) : f32x4.extract_lane(centreLow, 2);
      middle = partition(begin, end - 32, offset, start, axis == 0 ? sx : axis == 1 ? sy : sz, split, records);
    }
    const left = used;
    used += 2;
    v128.store(node, i32x4.replace_lane(low, 3, left));
    v128.store(node, i32x4.replace_lane(high, 3, 0), 16);
    store<u32>(sp, left + 1);
    store<u32>(sp, middle, 4);
    store<u32>(sp, last, 8);
    sp += 12;
    store<u32>(sp, left);
    store<u32>(sp, first, 4);
    store<u32>(sp, middle, 8);
    sp += 12;
  }
  return used;
}

// @ts-ignore: decorator
@inline
function putInBin(bins: u32, counts: u32, k: u32, low: v128, high: v128): void {
  const bin = bins + (k << 5), count = counts + (k << 2);
  v128.store(bin, f32x4.pmin(v128.load(bin), low));
  v128.store(bin, f32x4.pmax(v128.load(bin, 16), high), 16);
  store<u32>(count, load<u32>(count) + 1);
}

function partition(from: u32, to: u32, offset: u32, start: f32, scale: f32, split: u32, records: u32): u32 {
  let i = from, j = to;
  while (true) {
    while (i <= j && <u32><i32>((load<f32>(i + offset) + load<f32>(i + offset, 16) - start) * scale) <= split) i += 32;
    while (i <= j && <u32><i32>((load<f32>(j + offset) + load<f32>(j + offset, 16) - start) * scale) > split) j -= 32;
    if (i >= j) break;
    const a = v128.load(i), b = v128.load(i, 16);
    v128.store(i, v128.load(j));
    v128.store(i, v128.load(j, 16), 16);
    v128.store(j, a);
    v128.store(j, b, 16);
    i += 32;
    j -= 32;
  }
  return (i - records) >> 5;
}

/** Writes the blocks of one leaf at `out` and returns how many. */
function packLeaf(positions: u32, triangles: u32, records: u32, first: u32, count: u32, out: u32): u32 {
  const blocks = (count + 3) >> 2;
  memory.fill(out, 0, blocks * TRIANGLE_BLOCK_BYTES);
  for (let k: u32 = 0; k < count; k++) {
    const id = load<u32>(records + ((first + k) << 5), 12) - ID_OFFSET;
    const t = triangles + id * TRIANGLE_BYTES;
    const a = positions + load<u32>(t) * 12, b = positions + load<u32>(t, 4) * 12, c = positions + load<u32>(t, 8) * 12;
    const o = out + (k >> 2) * TRIANGLE_BLOCK_BYTES + ((k & 3) << 2);
    const ax = load<f32>(a), ay = load<f32>(a, 4), az = load<f32>(a, 8);
    const e1x = ax - load<f32>(b), e1y = ay - load<f32>(b, 4), e1z = az - load<f32>(b, 8);
    const e2x = load<f32>(c) - ax, e2y = load<f32>(c, 4) - ay, e2z = load<f32>(c, 8) - az;
    store<f32>(o, ax);
    store<f32>(o, ay, 16);
    store<f32>(o, az, 32);
    store<f32>(o, e1x, 48);
    store<f32>(o, e1y, 64);
    store<f32>(o, e1z, 80);
    store<f32>(o, e2x, 96);
    store<f32>(o, e2y, 112);
    store<f32>(o, e2z, 128);
    store<f32>(o, e2y * e1z - e2z * e1y, 144);
    store<f32>(o, e2z * e1x - e2x * e1z, 160);
    store<f32>(o, e2x * e1y - e2y * e1x, 176);
    store<u32>(o, id, 192);
  }
  return blocks;
}

/**
 * Builds the BVH of triangles 0..count-1 at `triangles`. The root is at `out`; blocks follow at `blocks`.
 * Sizes the host reserves: records 32 B, binary 64 B, out 256 B, blocks 208 B, each a triangle (never exceeded);
 * work 64 KiB. Leaves at `work` the counts of nodes and blocks used.
 */
export function buildBvh(positions: u32, triangles: u32, count: u32, records: u32, binary: u32, out: u32, blocks: u32, work: u32): void {
  buildBinary(positions, triangles, count, records, binary, work);
  const open = work, bottom = work + 256;
  let nodeCount: u32 = 0, nextBlock = blocks, sp = bottom;
  store<u32>(sp, binary);
  store<u32>(sp, 0, 4);
  sp += 8;
  while (sp != bottom) {
    sp -= 8;
    const source = load<u32>(sp), parentSlot = load<u32>(sp, 4);
    const node = out + nodeCount * NODE_BYTES;
    nodeCount++;
    if (parentSlot) store<u32>(parentSlot, node);
    let k: u32 = 1;
    store<u32>(open, source);
    while (k < WIDTH) {
      let widest: i32 = -1, area: f32 = -1;
      for (let i: u32 = 0; i < k; i++) {
        const c = load<u32>(open + (i << 2));
        if (load<u32>(c, 28) != 0) continue;
        const a = halfArea(v128.load(c), v128.load(c, 16));
        if (a > area) {
          area = a;
          widest = i;
        }
      }
      if (widest < 0) break;
      const c = load<u32>(open + (widest << 2)), left = binary + (load<u32>(c, 12) << 5);
      store<u32>(open + (widest << 2), left);
      store<u32>(open + (k << 2), left + 32);
      k++;
    }
    for (let i: u32 = 0; i < WIDTH; i++) {
      const o = node + (i << 2);
      if (i >= k) {
        for (let p: u32 = 0; p < 3; p++) {
          store<f32>(o + 2 * p * PLANE, Infinity);
          store<f32>(o + (2 * p + 1) * PLANE, -Infinity);
        }
        store<u32>(o + NODE_CHILDREN, 1);
        continue;
      }
      const c = load<u32>(open + (i << 2));
      for (let p: u32 = 0; p < 3; p++) {
        store<f32>(o + 2 * p * PLANE, load<f32>(c + (p << 2)));
        store<f32>(o + (2 * p + 1) * PLANE, load<f32>(c + (p << 2), 16));
      }
      const n = load<u32>(c, 28);
      if (n) {
        const b = packLeaf(positions, triangles, records, load<u32>(c, 12), n, nextBlock);
        store<u32>(o + NODE_CHILDREN, nextBlock | ((b - 1) << 1) | 1);
        nextBlock += b * TRIANGLE_BLOCK_BYTES;
      }
    }
    for (let i = k; i > 0; i--) {
      const c = load<u32>(open + ((i - 1) << 2));
      if (load<u32>(c, 28) != 0) continue;
      store<u32>(sp, c);
      store<u32>(sp, node + NODE_CHILDREN + ((i - 1) << 2), 4);
      sp += 8;
    }
  }
  store<u32>(work, nodeCount);
  store<u32>(work, (nextBlock - blocks) / TRIANGLE_BLOCK_BYTES, 4);
}
