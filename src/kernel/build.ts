// Builds the 8-wide BVH: a binned surface-area binary tree, collapsed into the 8-wide tree of least surface area.
//
// primitive record (32 B): min xyz | id, max xyz | id     binary node (32 B): min xyz | left or first, max xyz | count
// The id carries a large offset so that the fourth lane is a normal float: denormals would stall the SIMD units.
import {
  ASK_BIT,
  BINARY_BYTES,
  INSTANCE_BLOCK_BYTES,
  NODE_BYTES,
  NODE_CHILDREN,
  PART_ASKS,
  PART_BYTES,
  PART_FLAGS,
  PLAN_BYTES,
  TRIANGLE_BLOCK_BYTES,
  TRIANGLE_BYTES,
} from "./layout";

const ID_OFFSET: u32 = 0x40000000;
const BINS: u32 = 16;
const LEAF: u32 = 4;
const WIDTH: u32 = 8;
const PLANE: u32 = 32;
const LEAVES_LAST: f32 = 1e10;
const BIN_COUNTS: u32 = 3 * BINS * 32;
const SWEEP_AREA: u32 = BIN_COUNTS + 3 * BINS * 4;
const SWEEP_COUNT: u32 = SWEEP_AREA + BINS * 4;
const WORK_STACK: u32 = SWEEP_COUNT + BINS * 4;

// @ts-ignore: decorator
@inline
function halfArea(low: v128, high: v128): f32 {
  const d = f32x4.sub(high, low);
  const x = f32x4.extract_lane(d, 0),
    y = f32x4.extract_lane(d, 1),
    z = f32x4.extract_lane(d, 2);
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
    const a = vertex(positions, load<u32>(t)),
      b = vertex(positions, load<u32>(t, 4)),
      c = vertex(positions, load<u32>(t, 8));
    const record = records + (i << 5);
    v128.store(record, i32x4.replace_lane(f32x4.pmin(f32x4.pmin(a, b), c), 3, i + ID_OFFSET));
    v128.store(record, i32x4.replace_lane(f32x4.pmax(f32x4.pmax(a, b), c), 3, i + ID_OFFSET), 16);
  }
}

/** Records of boxes that are stored as six f32 each: low x y z, high x y z. */
function fillBoxRecords(boxes: u32, count: u32, records: u32): void {
  for (let i: u32 = 0; i < count; i++) {
    const box = boxes + i * 24,
      record = records + (i << 5);
    v128.store(record, i32x4.replace_lane(v128.load(box), 3, i + ID_OFFSET));
    v128.store(record, i32x4.replace_lane(v128.load(box, 12), 3, i + ID_OFFSET), 16);
  }
}

/** Binary tree over triangles; sizes as in `buildBoxes`. */
export function buildTriangles(positions: u32, triangles: u32, count: u32, records: u32, nodes: u32, work: u32): u32 {
  fillRecords(positions, triangles, count, records);
  return buildBinary(count, records, nodes, work);
}

/**
 * Binary tree over `count` boxes. `records` takes RECORD_BYTES a box, `nodes` twice BINARY_BYTES, `work` 64 KiB.
 * Returns the number of nodes; leaves are half of them, rounded up.
 */
export function buildBoxes(boxes: u32, count: u32, records: u32, nodes: u32, work: u32): u32 {
  fillBoxRecords(boxes, count, records);
  return buildBinary(count, records, nodes, work);
}

function buildBinary(count: u32, records: u32, nodes: u32, work: u32): u32 {
  const empty = f32x4.splat(Infinity),
    full = f32x4.splat(-Infinity);
  const bins = work,
    counts = work + BIN_COUNTS,
    areas = work + SWEEP_AREA,
    rights = work + SWEEP_COUNT,
    bottom = work + WORK_STACK;
  let sp = bottom,
    used: u32 = 1;
  store<u32>(sp, 0);
  store<u32>(sp, 0, 4);
  store<u32>(sp, count, 8);
  sp += 12;
  while (sp != bottom) {
    sp -= 12;
    const node = nodes + (load<u32>(sp) << 5),
      first = load<u32>(sp, 4),
      last = load<u32>(sp, 8),
      n = last - first;
    let low = empty,
      high = full,
      centreLow = empty,
      centreHigh = full;
    const begin = records + (first << 5),
      end = records + (last << 5);
    for (let r = begin; r < end; r += 32) {
      const a = v128.load(r),
        b = v128.load(r, 16),
        c = f32x4.add(a, b);
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
    const extent = f32x4.sub(centreHigh, centreLow),
      scaleTop = <f32>BINS * <f32>0.999999;
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
      const a = v128.load(r),
        b = v128.load(r, 16);
      const k = i32x4.trunc_sat_f32x4_s(f32x4.mul(f32x4.sub(f32x4.add(a, b), centreLow), scale));
      putInBin(bins, counts, <u32>i32x4.extract_lane(k, 0), a, b);
      putInBin(bins, counts, <u32>i32x4.extract_lane(k, 1) + BINS, a, b);
      putInBin(bins, counts, <u32>i32x4.extract_lane(k, 2) + 2 * BINS, a, b);
    }
    let best: f32 = Infinity,
      axis: i32 = -1,
      split: u32 = 0;
    for (let ax: u32 = 0; ax < 3; ax++) {
      if ((ax == 0 ? sx : ax == 1 ? sy : sz) == 0) continue;
      const bb = bins + ax * BINS * 32,
        cc = counts + ax * BINS * 4;
      let a = empty,
        b = full,
        c: u32 = 0;
      for (let k = BINS - 1; k > 0; k--) {
        c += load<u32>(cc + (k << 2));
        a = f32x4.pmin(a, v128.load(bb + (k << 5)));
        b = f32x4.pmax(b, v128.load(bb + (k << 5), 16));
        store<f32>(areas + (k << 2), halfArea(a, b));
        store<u32>(rights + (k << 2), c);
      }
      a = empty;
      b = full;
      c = 0;
      for (let k: u32 = 0; k < BINS - 1; k++) {
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
      const offset = (<u32>axis) << 2;
      const start =
        axis == 0
          ? f32x4.extract_lane(centreLow, 0)
          : axis == 1
            ? f32x4.extract_lane(centreLow, 1)
            : f32x4.extract_lane(centreLow, 2);
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
  const bin = bins + (k << 5),
    count = counts + (k << 2);
  v128.store(bin, f32x4.pmin(v128.load(bin), low));
  v128.store(bin, f32x4.pmax(v128.load(bin, 16), high), 16);
  store<u32>(count, load<u32>(count) + 1);
}

function partition(from: u32, to: u32, offset: u32, start: f32, scale: f32, split: u32, records: u32): u32 {
  let i = from,
    j = to;
  while (true) {
    while (i <= j && <u32>(<i32>((load<f32>(i + offset) + load<f32>(i + offset, 16) - start) * scale)) <= split)
      i += 32;
    while (i <= j && <u32>(<i32>((load<f32>(j + offset) + load<f32>(j + offset, 16) - start) * scale)) > split) j -= 32;
    if (i >= j) break;
    const a = v128.load(i),
      b = v128.load(i, 16);
    v128.store(i, v128.load(j));
    v128.store(i, v128.load(j, 16), 16);
    v128.store(j, a);
    v128.store(j, b, 16);
    i += 32;
    j -= 32;
  }
  return (i - records) >> 5;
}

/** Writes one leaf of triangles at `out`. Hits on parts that ask are marked in the triangle's number. */
function packTriangles(
  positions: u32,
  triangles: u32,
  parts: u32,
  base: u32,
  records: u32,
  first: u32,
  count: u32,
  out: u32,
): void {
  memory.fill(out, 0, TRIANGLE_BLOCK_BYTES);
  for (let k: u32 = 0; k < count; k++) {
    const id = load<u32>(records + ((first + k) << 5), 12) - ID_OFFSET;
    const t = triangles + id * TRIANGLE_BYTES;
    const a = positions + load<u32>(t) * 12,
      b = positions + load<u32>(t, 4) * 12,
      c = positions + load<u32>(t, 8) * 12;
    const asks = load<u32>(parts + load<u32>(t, 12) * PART_BYTES, PART_FLAGS) & PART_ASKS;
    const o = out + (k << 2);
    const ax = load<f32>(a),
      ay = load<f32>(a, 4),
      az = load<f32>(a, 8);
    const e1x = ax - load<f32>(b),
      e1y = ay - load<f32>(b, 4),
      e1z = az - load<f32>(b, 8);
    const e2x = load<f32>(c) - ax,
      e2y = load<f32>(c, 4) - ay,
      e2z = load<f32>(c, 8) - az;
    store<f32>(o, ax);
    store<f32>(o, ay, 16);
    store<f32>(o, az, 32);
    store<f32>(o, e1x, 48);
    store<f32>(o, e1y, 64);
    store<f32>(o, e1z, 80);
    store<f32>(o, e2x, 96);
    store<f32>(o, e2y, 112);
    store<f32>(o, e2z, 128);
    store<u32>(o, (id + base) | (asks ? ASK_BIT : 0), 144);
  }
}

/** Writes one leaf of instances at `out`: their numbers. */
function packInstances(records: u32, first: u32, count: u32, out: u32): void {
  for (let k: u32 = 0; k < count; k++)
    store<u32>(out + (k << 2), load<u32>(records + ((first + k) << 5), 12) - ID_OFFSET);
}

// Plan of a binary node: seven f32, the least area of the wide nodes below it when it may take 1 to 7 slots of the
// node above; then eight bytes, for 2 to 8 slots how many its left child gets, 0 where one slot less does as well.
const SPLITS: u32 = 28;

/**
 * Plans the collapse of a binary tree by dynamic programming (the idea of Wald, Benthin and Boulos 2008, worked out for
 * surface area by Ylitie, Karras and Laine 2017, section 3.1). `plan` takes PLAN_BYTES a node. Returns the number of
 * wide nodes, whose emission `work` must hold a stack for.
 */
export function planCollapse(nodes: u32, used: u32, plan: u32, work: u32): u32 {
  for (let i = used; i > 0; i--) {
    const node = nodes + (i - 1) * BINARY_BYTES,
      p = plan + (i - 1) * PLAN_BYTES;
    memory.fill(p, 0, PLAN_BYTES);
    if (load<u32>(node, 28) != 0) continue;
    const left = plan + load<u32>(node, 12) * PLAN_BYTES,
      right = left + PLAN_BYTES;
    let before: f32 = 0;
    const area = halfArea(v128.load(node), v128.load(node, 16));
    for (let slots: u32 = 2; slots <= WIDTH; slots++) {
      let best: f32 = Infinity,
        split: u32 = 0;
      for (let k: u32 = 1; k < slots; k++) {
        if (k > 7 || slots - k > 7) continue;
        const cost = load<f32>(left + ((k - 1) << 2)) + load<f32>(right + ((slots - k - 1) << 2));
        if (cost < best) {
          best = cost;
          split = k;
        }
      }
      store<u8>(p + SPLITS + slots - 1, split);
      if (slots < WIDTH) store<f32>(p + ((slots - 1) << 2), best);
      else before = best;
    }
    // One slot makes a wide node of its own.
    store<f32>(p, area + before);
    for (let slots: u32 = 2; slots < WIDTH; slots++) {
      const less = load<f32>(p + ((slots - 2) << 2));
      if (less > load<f32>(p + ((slots - 1) << 2))) continue;
      store<f32>(p + ((slots - 1) << 2), less);
      store<u8>(p + SPLITS + slots - 1, 0);
    }
  }
  return emit(nodes, plan, 0, 0, 0, 0, 0, 0, 0, work);
}

/** Lists at `open` the binary nodes that fill a wide node's slots, and returns how many. */
function openChildren(nodes: u32, plan: u32, source: u32, open: u32): u32 {
  let count: u32 = 1,
    pending = true;
  store<u32>(open, source);
  store<u32>(open, WIDTH, 4);
  while (pending) {
    pending = false;
    for (let i: u32 = 0, end = count; i < end; i++) {
      const at = open + (i << 3),
        c = load<u32>(at);
      let slots = load<u32>(at, 4);
      if (load<u32>(c, 28) != 0) continue;
      const p = plan + ((c - nodes) / BINARY_BYTES) * PLAN_BYTES;
      while (slots > 1 && load<u8>(p + SPLITS + slots - 1) == 0) slots--;
      store<u32>(at, slots, 4);
      if (slots <= 1) continue;
      const k = load<u8>(p + SPLITS + slots - 1),
        left = nodes + load<u32>(c, 12) * BINARY_BYTES;
      store<u32>(at, left);
      store<u32>(at, k, 4);
      const next = open + (count << 3);
      store<u32>(next, left + BINARY_BYTES);
      store<u32>(next, slots - k, 4);
      count++;
      pending = true;
    }
  }
  sortByChance(open, count);
  return count;
}

/** Puts the nodes listed at `open` in the order of the chance that a ray is stopped in them: leaves last, by their area. */
function sortByChance(open: u32, count: u32): void {
  const end = open + (count << 3);
  for (let i = open + 8; i < end; i += 8) {
    const entry = load<u64>(i),
      chance = stopChance(<u32>entry);
    let at = i;
    while (at != open && stopChance(load<u32>(at - 8)) > chance) {
      store<u64>(at, load<u64>(at - 8));
      at -= 8;
    }
    store<u64>(at, entry);
  }
}

// @ts-ignore: decorator
@inline
function stopChance(node: u32): f32 {
  const area = halfArea(v128.load(node), v128.load(node, 16));
  return load<u32>(node, 28) ? area * LEAVES_LAST : area;
}

/**
 * Writes the planned wide tree from `out`, each node before its leaf blocks, as if it stood `shift` bytes lower, where the
 * host moves it. Triangles get `base` added to their number; without `triangles` the leaves are instances.
 * Without `out` it only counts. Returns the number of wide nodes.
 */
export function emit(
  nodes: u32,
  plan: u32,
  positions: u32,
  triangles: u32,
  parts: u32,
  base: u32,
  records: u32,
  out: u32,
  shift: u32,
  work: u32,
): u32 {
  const open = work,
    bottom = work + 256;
  const blockBytes: u32 = triangles ? TRIANGLE_BLOCK_BYTES : INSTANCE_BLOCK_BYTES;
  let nodeCount: u32 = 0,
    at = out,
    sp = bottom;
  store<u32>(sp, nodes);
  store<u32>(sp, 0, 4);
  sp += 8;
  while (sp != bottom) {
    sp -= 8;
    const source = load<u32>(sp),
      parentSlot = load<u32>(sp, 4);
    const node = at;
    at += NODE_BYTES;
    nodeCount++;
    if (parentSlot) store<u32>(parentSlot, node - shift);
    const k = openChildren(nodes, plan, source, open);
    if (out) {
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
        const c = load<u32>(open + (i << 3));
        for (let p: u32 = 0; p < 3; p++) {
          store<f32>(o + 2 * p * PLANE, load<f32>(c + (p << 2)));
          store<f32>(o + (2 * p + 1) * PLANE, load<f32>(c + (p << 2), 16));
        }
        const n = load<u32>(c, 28);
        if (n) {
          const first = load<u32>(c, 12);
          if (triangles) {
            packTriangles(positions, triangles, parts, base, records, first, n, at);
            store<u32>(o + NODE_CHILDREN, (at - shift) | 1);
          } else {
            packInstances(records, first, n, at);
            store<u32>(o + NODE_CHILDREN, (at - shift) | ((n - 1) << 1) | 1);
          }
          at += blockBytes;
        }
      }
    }
    for (let i: u32 = 1; i <= k; i++) {
      const c = load<u32>(open + ((i - 1) << 3));
      if (load<u32>(c, 28) != 0) continue;
      store<u32>(sp, c);
      store<u32>(sp, out ? node + NODE_CHILDREN + ((i - 1) << 2) : 0, 4);
      sp += 8;
    }
  }
  return nodeCount;
}
