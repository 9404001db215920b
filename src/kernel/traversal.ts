// Ray traversal of an 8-wide BVH with SIMD: closest hit and any hit.
//
// A node holds, for each of six planes (min x, max x, min y, ...), eight floats, then eight child words.
// A child word is a node address (even), or a leaf: block address | 1.
// A leaf of triangles is one block of four: v0, e1 = v0 - v1, e2 = v2 - v0, and their ids.
// Instances stand in a tree of the same kind whose leaf blocks hold four instance numbers: address | (count - 1) << 1 | 1.
// The triangle test is Moller and Trumbore 1997 in the form without division before the accept.
import { paramU, setParams } from "./params";
import { ldx, ldy, ldz, lox, loy, loz, rayIntoModel } from "./motion";
import { letsThrough, stopsNearest } from "./ask";
import {
  INSTANCE_BYTES,
  INSTANCE_FLAGS,
  INSTANCE_ROOT,
  NODE_CHILDREN,
  PARAM_INSTANCES,
  SCRATCH_INSTANCES,
  SCRATCH_LIGHTS,
  SCRATCH_RAYS,
} from "./layout";

const CHILDREN: usize = NODE_CHILDREN;
const PLANE: u32 = 32;
const STACK: u32 = 288;
const NONE: u32 = 1;

let scratch: u32 = 0;
let foundT: f32 = 0;
let foundU: f32 = 0;
let foundV: f32 = 0;

let foundInstance: u32 = 0;
let rayCount: f64 = 0;

export function setScratch(address: u32): void {
  scratch = address;
}
/** Where the thread keeps the light of its path by group. */
export function lightScratch(): u32 {
  return scratch + SCRATCH_LIGHTS;
}
/** Where the thread keeps the rays that it has aimed ahead. */
export function rayScratch(): u32 {
  return scratch + SCRATCH_RAYS;
}
export function hitT(): f32 {
  return foundT;
}
export function hitU(): f32 {
  return foundU;
}
export function hitV(): f32 {
  return foundV;
}

/** Address of the instance that `closestInstance` met. */
export function hitInstance(): u32 {
  return foundInstance;
}
/** Rays traced by this thread since it was asked last. */
export function takeRayCount(): f64 {
  const count = rayCount;
  rayCount = 0;
  return count;
}
export function countRay(): void {
  rayCount += 1;
}

// @ts-ignore: decorator
@inline
function safeInverse(x: f32): f32 {
  return 1.0 / (abs<f32>(x) < 1e-18 ? 1e-18 : x);
}

// V8 sinks loop-invariant splats and divides into the traversal loop; a trip through memory pins them outside.
// @ts-ignore: decorator
@inline
function spillRay(q: u32, ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32, tMin: f32): void {
  const ix = safeInverse(dx),
    iy = safeInverse(dy),
    iz = safeInverse(dz);
  v128.store(q, f32x4.splat(ox), 64);
  v128.store(q, f32x4.splat(oy), 80);
  v128.store(q, f32x4.splat(oz), 96);
  v128.store(q, f32x4.splat(ix), 112);
  v128.store(q, f32x4.splat(iy), 128);
  v128.store(q, f32x4.splat(iz), 144);
  v128.store(q, f32x4.splat(dx), 160);
  v128.store(q, f32x4.splat(dy), 176);
  v128.store(q, f32x4.splat(dz), 192);
  v128.store(q, f32x4.splat(tMin), 208);
  const nearX: u32 = ix < 0 ? PLANE : 0,
    nearY: u32 = iy < 0 ? 3 * PLANE : 2 * PLANE,
    nearZ: u32 = iz < 0 ? 5 * PLANE : 4 * PLANE;
  store<u32>(q, nearX, 256);
  store<u32>(q, nearY, 260);
  store<u32>(q, nearZ, 264);
  store<u32>(q, nearX ^ PLANE, 268);
  store<u32>(q, nearY ^ PLANE, 272);
  store<u32>(q, nearZ ^ PLANE, 276);
}

/** Boxes are left a little later than reckoned, lest rounding make a ray miss what lies in its face (Ize 2013). */
// @ts-ignore: decorator
@inline
function later(t: v128): v128 {
  return f32x4.mul(t, f32x4.splat(1.0000006));
}

// @ts-ignore: decorator
@inline
function entry(
  x: u32,
  y: u32,
  z: u32,
  half: usize,
  ox: v128,
  oy: v128,
  oz: v128,
  ix: v128,
  iy: v128,
  iz: v128,
  tMin: v128,
): v128 {
  return f32x4.pmax(
    f32x4.pmax(tMin, f32x4.mul(f32x4.sub(half ? v128.load(z, 16) : v128.load(z), oz), iz)),
    f32x4.pmax(
      f32x4.mul(f32x4.sub(half ? v128.load(x, 16) : v128.load(x), ox), ix),
      f32x4.mul(f32x4.sub(half ? v128.load(y, 16) : v128.load(y), oy), iy),
    ),
  );
}

// @ts-ignore: decorator
@inline
function exit(
  x: u32,
  y: u32,
  z: u32,
  half: usize,
  ox: v128,
  oy: v128,
  oz: v128,
  ix: v128,
  iy: v128,
  iz: v128,
  tMax: v128,
): v128 {
  return f32x4.pmin(
    f32x4.pmin(tMax, f32x4.mul(f32x4.sub(half ? v128.load(z, 16) : v128.load(z), oz), iz)),
    f32x4.pmin(
      f32x4.mul(f32x4.sub(half ? v128.load(x, 16) : v128.load(x), ox), ix),
      f32x4.mul(f32x4.sub(half ? v128.load(y, 16) : v128.load(y), oy), iy),
    ),
  );
}

/**
 * Share of its size by which a triangle reaches over its edges. Rounding moves an edge by some 1e-7 of the distance over the
 * triangle's size; with this no ray slips between two that share an edge, or through a corner.
 */
const EDGE: f32 = 3e-5;

/**
 * Tests the four triangles of a block. Leaves T, U, V and the determinant of each in scratch (undivided, of positive
 * sign) and returns the mask of those hit within the interval.
 */
// @ts-ignore: decorator
@inline
function testBlock(p: u32, ox: v128, oy: v128, oz: v128, dx: v128, dy: v128, dz: v128, tMin: v128, tMax: v128): u32 {
  const cx = f32x4.sub(v128.load(p, 0), ox),
    cy = f32x4.sub(v128.load(p, 16), oy),
    cz = f32x4.sub(v128.load(p, 32), oz);
  const rx = f32x4.sub(f32x4.mul(cy, dz), f32x4.mul(cz, dy));
  const ry = f32x4.sub(f32x4.mul(cz, dx), f32x4.mul(cx, dz));
  const rz = f32x4.sub(f32x4.mul(cx, dy), f32x4.mul(cy, dx));
  const ax = v128.load(p, 48),
    ay = v128.load(p, 64),
    az = v128.load(p, 80),
    bx = v128.load(p, 96),
    by = v128.load(p, 112),
    bz = v128.load(p, 128);
  const gx = f32x4.sub(f32x4.mul(by, az), f32x4.mul(bz, ay));
  const gy = f32x4.sub(f32x4.mul(bz, ax), f32x4.mul(bx, az));
  const gz = f32x4.sub(f32x4.mul(bx, ay), f32x4.mul(by, ax));
  const determinant = f32x4.add(f32x4.add(f32x4.mul(gx, dx), f32x4.mul(gy, dy)), f32x4.mul(gz, dz));
  const size = f32x4.abs(determinant),
    sign = v128.xor(determinant, size);
  const u = v128.xor(f32x4.add(f32x4.add(f32x4.mul(rx, bx), f32x4.mul(ry, by)), f32x4.mul(rz, bz)), sign);
  const v = v128.xor(f32x4.add(f32x4.add(f32x4.mul(rx, ax), f32x4.mul(ry, ay)), f32x4.mul(rz, az)), sign);
  const slack = f32x4.mul(size, f32x4.splat(EDGE));
  let inside = f32x4.ge(
    f32x4.pmin(f32x4.pmin(u, v), f32x4.sub(size, f32x4.add(u, v))),
    f32x4.sub(f32x4.splat(0), slack),
  );
  if (!i32x4.bitmask(inside)) return 0;
  const t = v128.xor(f32x4.add(f32x4.add(f32x4.mul(gx, cx), f32x4.mul(gy, cy)), f32x4.mul(gz, cz)), sign);
  inside = v128.and(inside, v128.and(f32x4.lt(f32x4.mul(size, tMin), t), f32x4.lt(t, f32x4.mul(size, tMax))));
  const mask: u32 = i32x4.bitmask(inside);
  if (mask) {
    const q = scratch;
    v128.store(q, f32x4.div(t, size));
    v128.store(q, u, 16);
    v128.store(q, v, 32);
    v128.store(q, size, 48);
  }
  return mask;
}

/**
 * Reads a node, or leaf block, that is visited later, so that it is in the cache by then: scattered rays wait for memory more
 * than they reckon.
 */
// @ts-ignore: decorator
@inline
function fetchAhead(child: u32): void {
  const at = child & ~15;
  load<u32>(at);
  load<u32>(at, 64);
  load<u32>(at, 128);
  load<u32>(at, 192);
}

/** Walks a tree of triangles, or of instances, from near to far. */
// @ts-ignore: decorator
@inline
function walkClosest(
  instances: bool,
  mask: u32,
  root: u32,
  ox: f32,
  oy: f32,
  oz: f32,
  dx: f32,
  dy: f32,
  dz: f32,
  tMin: f32,
  tMax: f32,
): i32 {
  const q: u32 = instances ? scratch + SCRATCH_INSTANCES : scratch;
  spillRay(q, ox, oy, oz, dx, dy, dz, tMin);
  const nearX = load<u32>(q, 256),
    nearY = load<u32>(q, 260),
    nearZ = load<u32>(q, 264);
  const farX = load<u32>(q, 268),
    farY = load<u32>(q, 272),
    farZ = load<u32>(q, 276);
  const vox = v128.load(q, 64),
    voy = v128.load(q, 80),
    voz = v128.load(q, 96);
  const vix = v128.load(q, 112),
    viy = v128.load(q, 128),
    viz = v128.load(q, 144);
  const vdx = v128.load(q, 160),
    vdy = v128.load(q, 176),
    vdz = v128.load(q, 192),
    vMin = v128.load(q, 208);
  let vMax = f32x4.splat(tMax),
    bestT = tMax,
    bestU: f32 = 0,
    bestV: f32 = 0,
    best: i32 = -1,
    bestInstance: u32 = 0;
  const base = q + STACK;
  let sp = base,
    node = root;
  while (true) {
    while ((node & 1) == 0) {
      const in0 = entry(node + nearX, node + nearY, node + nearZ, 0, vox, voy, voz, vix, viy, viz, vMin);
      const out0 = exit(node + farX, node + farY, node + farZ, 0, vox, voy, voz, vix, viy, viz, vMax);
      const in1 = entry(node + nearX, node + nearY, node + nearZ, 1, vox, voy, voz, vix, viy, viz, vMin);
      const out1 = exit(node + farX, node + farY, node + farZ, 1, vox, voy, voz, vix, viy, viz, vMax);
      let open: u32 = i32x4.bitmask(f32x4.le(in0, later(out0))) | (i32x4.bitmask(f32x4.le(in1, later(out1))) << 4);
      if (open == 0) {
        node = NONE;
        while (sp != base) {
          sp -= 8;
          if (load<f32>(sp + 4) < bestT) {
            node = load<u32>(sp);
            if (sp != base) fetchAhead(load<u32>(sp - 8));
            break;
          }
        }
        if (node == NONE) break;
        continue;
      }
      const i0 = ctz<u32>(open);
      open &= open - 1;
      if (open == 0) {
        node = load<u32>(node + (i0 << 2), CHILDREN);
        continue;
      }
      v128.store(q, in0);
      v128.store(q, in1, 16);
      const i1 = ctz<u32>(open);
      open &= open - 1;
      if (open == 0) {
        const t0 = load<u32>(q + (i0 << 2)),
          t1 = load<u32>(q + (i1 << 2));
        const c0 = load<u32>(node + (i0 << 2), CHILDREN),
          c1 = load<u32>(node + (i1 << 2), CHILDREN);
        const firstNearer = t0 <= t1;
        store<u32>(sp, select<u32>(c1, c0, firstNearer));
        store<u32>(sp + 4, select<u32>(t1, t0, firstNearer));
        node = select<u32>(c0, c1, firstNearer);
        sp += 8;
        fetchAhead(load<u32>(sp - 8));
        continue;
      }
      // Three or more: keys (distance << 32 | child) kept in descending order by insertion; the nearest is visited next.
      let nearest = ((<u64>load<u32>(q + (i0 << 2))) << 32) | (<u64>load<u32>(node + (i0 << 2), CHILDREN));
      const second = ((<u64>load<u32>(q + (i1 << 2))) << 32) | (<u64>load<u32>(node + (i1 << 2), CHILDREN));
      store<u64>(sp, max<u64>(nearest, second));
      nearest = min<u64>(nearest, second);
      const low = sp;
      sp += 8;
      do {
        const i = ctz<u32>(open);
        open &= open - 1;
        const key = ((<u64>load<u32>(q + (i << 2))) << 32) | (<u64>load<u32>(node + (i << 2), CHILDREN));
        const farther = max<u64>(key, nearest);
        nearest = min<u64>(key, nearest);
        let slot = sp;
        while (slot != low) {
          const above = load<u64>(slot - 8);
          if (above >= farther) break;
          store<u64>(slot, above);
          slot -= 8;
        }
        store<u64>(slot, farther);
        sp += 8;
      } while (open);
      fetchAhead(load<u32>(sp - 8));
      node = <u32>nearest;
    }
    if (node == NONE) break;
    let block = node & ~15;
    if (instances) {
      let more = (node >> 1) & 7;
      const table = paramU(PARAM_INSTANCES);
      while (true) {
        const instance = table + load<u32>(block) * INSTANCE_BYTES;
        if (load<u32>(instance, INSTANCE_FLAGS) & mask) {
          rayIntoModel(instance, ox, oy, oz, dx, dy, dz);
          const met = closest(load<u32>(instance, INSTANCE_ROOT), lox, loy, loz, ldx, ldy, ldz, tMin, bestT);
          if (met >= 0) {
            best = met;
            bestT = foundT;
            bestU = foundU;
            bestV = foundV;
            bestInstance = instance;
          }
        }
        if (more == 0) break;
        more--;
        block += 4;
      }
      vMax = f32x4.splat(bestT);
    } else {
      let hits = testBlock(block, vox, voy, voz, vdx, vdy, vdz, vMin, vMax);
      if (hits) {
        do {
          const i = ctz<u32>(hits) << 2;
          hits &= hits - 1;
          const t = load<f32>(q + i);
          if (t < bestT) {
            const inverse = <f32>1.0 / load<f32>(q + i, 48),
              id = load<i32>(block + i, 144);
            if (id < 0 && !stopsNearest(id, load<f32>(q + i, 16) * inverse, load<f32>(q + i, 32) * inverse)) continue;
            bestT = t;
            bestU = load<f32>(q + i, 16) * inverse;
            bestV = load<f32>(q + i, 32) * inverse;
            best = id & 0x7fffffff;
          }
        } while (hits);
        vMax = f32x4.splat(bestT);
      }
    }
    node = NONE;
    while (sp != base) {
      sp -= 8;
      if (load<f32>(sp + 4) < bestT) {
        node = load<u32>(sp);
        if (sp != base) fetchAhead(load<u32>(sp - 8));
        break;
      }
    }
    if (node == NONE) break;
  }
  foundT = bestT;
  foundU = bestU;
  foundV = bestV;
  if (instances) foundInstance = bestInstance;
  return best;
}

/** Nearest triangle along the ray, or -1. `hitT`, `hitU`, `hitV` then give distance and barycentrics of v1 and v2. */
export function closest(root: u32, ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32, tMin: f32, tMax: f32): i32 {
  if (root == 0) return -1;
  return walkClosest(false, 0, root, ox, oy, oz, dx, dy, dz, tMin, tMax);
}

/** The same among instances that rays of a kind in `mask` meet; `hitInstance` then gives which. */
export function closestInstance(
  root: u32,
  mask: u32,
  ox: f32,
  oy: f32,
  oz: f32,
  dx: f32,
  dy: f32,
  dz: f32,
  tMin: f32,
  tMax: f32,
): i32 {
  if (root == 0) return -1;
  return walkClosest(true, mask, root, ox, oy, oz, dx, dy, dz, tMin, tMax);
}

/** Walks a tree of triangles, or of instances, until something stops the ray. */
// @ts-ignore: decorator
@inline
function walkOccluded(
  instances: bool,
  mask: u32,
  root: u32,
  ox: f32,
  oy: f32,
  oz: f32,
  dx: f32,
  dy: f32,
  dz: f32,
  tMin: f32,
  tMax: f32,
): i32 {
  const q: u32 = instances ? scratch + SCRATCH_INSTANCES : scratch;
  spillRay(q, ox, oy, oz, dx, dy, dz, tMin);
  const nearX = load<u32>(q, 256),
    nearY = load<u32>(q, 260),
    nearZ = load<u32>(q, 264);
  const farX = load<u32>(q, 268),
    farY = load<u32>(q, 272),
    farZ = load<u32>(q, 276);
  const vox = v128.load(q, 64),
    voy = v128.load(q, 80),
    voz = v128.load(q, 96);
  const vix = v128.load(q, 112),
    viy = v128.load(q, 128),
    viz = v128.load(q, 144);
  const vdx = v128.load(q, 160),
    vdy = v128.load(q, 176),
    vdz = v128.load(q, 192),
    vMin = v128.load(q, 208);
  const vMax = f32x4.splat(tMax);
  const base = q + STACK;
  let sp = base,
    node = root;
  while (true) {
    while ((node & 1) == 0) {
      const in0 = entry(node + nearX, node + nearY, node + nearZ, 0, vox, voy, voz, vix, viy, viz, vMin);
      const out0 = exit(node + farX, node + farY, node + farZ, 0, vox, voy, voz, vix, viy, viz, vMax);
      const in1 = entry(node + nearX, node + nearY, node + nearZ, 1, vox, voy, voz, vix, viy, viz, vMin);
      const out1 = exit(node + farX, node + farY, node + farZ, 1, vox, voy, voz, vix, viy, viz, vMax);
      let open: u32 = i32x4.bitmask(f32x4.le(in0, later(out0))) | (i32x4.bitmask(f32x4.le(in1, later(out1))) << 4);
      if (open == 0) {
        if (sp == base) return 0;
        sp -= 4;
        node = load<u32>(sp);
        if (sp != base) fetchAhead(load<u32>(sp - 4));
        continue;
      }
      const parent = node,
        low = sp;
      let next = load<u32>(parent + (ctz<u32>(open) << 2), CHILDREN);
      open &= open - 1;
      while (open) {
        store<u32>(sp, next);
        sp += 4;
        next = load<u32>(parent + (ctz<u32>(open) << 2), CHILDREN);
        open &= open - 1;
      }
      node = next;
      if (sp != low) fetchAhead(load<u32>(sp - 4));
    }
    let block = node & ~15;
    if (instances) {
      let more = (node >> 1) & 7;
      const table = paramU(PARAM_INSTANCES);
      while (true) {
        const instance = table + load<u32>(block) * INSTANCE_BYTES;
        if (load<u32>(instance, INSTANCE_FLAGS) & mask) {
          rayIntoModel(instance, ox, oy, oz, dx, dy, dz);
          if (occluded(load<u32>(instance, INSTANCE_ROOT), lox, loy, loz, ldx, ldy, ldz, tMin, tMax)) return 1;
        }
        if (more == 0) break;
        more--;
        block += 4;
      }
    } else {
      let hits = testBlock(block, vox, voy, voz, vdx, vdy, vdz, vMin, vMax);
      if (hits) {
        // The sign bit marks triangles that must be asked.
        const asking = <u32>i32x4.bitmask(v128.load(block, 144));
        if (hits & ~asking) return 1;
        do {
          const i = ctz<u32>(hits) << 2;
          hits &= hits - 1;
          const inverse = <f32>1.0 / load<f32>(q + i, 48);
          if (
            !letsThrough(
              load<u32>(block + i, 144),
              load<f32>(q + i),
              load<f32>(q + i, 16) * inverse,
              load<f32>(q + i, 32) * inverse,
              dx,
              dy,
              dz,
            )
          )
            return 1;
        } while (hits);
      }
    }
    if (sp == base) return 0;
    sp -= 4;
    node = load<u32>(sp);
    if (sp != base) fetchAhead(load<u32>(sp - 4));
  }
  return 0;
}

/** 1 if any triangle stops the ray between `tMin` and `tMax`, else 0. */
export function occluded(root: u32, ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32, tMin: f32, tMax: f32): i32 {
  if (root == 0) return 0;
  return walkOccluded(false, 0, root, ox, oy, oz, dx, dy, dz, tMin, tMax);
}

/** The same among instances that rays of a kind in `mask` meet. */
export function occludedByInstance(
  root: u32,
  mask: u32,
  ox: f32,
  oy: f32,
  oz: f32,
  dx: f32,
  dy: f32,
  dz: f32,
  tMin: f32,
  tMax: f32,
): i32 {
  if (root == 0) return 0;
  return walkOccluded(true, mask, root, ox, oy, oz, dx, dy, dz, tMin, tMax);
}

/** `closest` over rays stored as six arrays of `stride` bytes each from `rays`: origin x y z, direction x y z. */
export function closestBatch(
  root: u32,
  rays: u32,
  stride: u32,
  count: u32,
  tMin: f32,
  tMax: f32,
  distances: u32,
  ids: u32,
): void {
  for (let i: u32 = 0, end = count << 2; i < end; i += 4) {
    const r = rays + i;
    const id = closest(
      root,
      load<f32>(r),
      load<f32>(r + stride),
      load<f32>(r + 2 * stride),
      load<f32>(r + 3 * stride),
      load<f32>(r + 4 * stride),
      load<f32>(r + 5 * stride),
      tMin,
      tMax,
    );
    store<i32>(ids + i, id);
    store<f32>(distances + i, foundT);
  }
}

/** `occluded` over rays stored as in `closestBatch`; `out` takes one i32 a ray. */
export function occludedBatch(root: u32, rays: u32, stride: u32, count: u32, tMin: f32, tMax: f32, out: u32): void {
  for (let i: u32 = 0, end = count << 2; i < end; i += 4) {
    const r = rays + i;
    store<i32>(
      out + i,
      occluded(
        root,
        load<f32>(r),
        load<f32>(r + stride),
        load<f32>(r + 2 * stride),
        load<f32>(r + 3 * stride),
        load<f32>(r + 4 * stride),
        load<f32>(r + 5 * stride),
        tMin,
        tMax,
      ),
    );
  }
}

/** `closestBatch` among instances. */
export function closestInstanceBatch(
  params: u32,
  root: u32,
  rays: u32,
  stride: u32,
  count: u32,
  tMin: f32,
  tMax: f32,
  distances: u32,
  ids: u32,
): void {
  setParams(params);
  for (let i: u32 = 0, end = count << 2; i < end; i += 4) {
    const r = rays + i;
    const id = closestInstance(
      root,
      255,
      load<f32>(r),
      load<f32>(r + stride),
      load<f32>(r + 2 * stride),
      load<f32>(r + 3 * stride),
      load<f32>(r + 4 * stride),
      load<f32>(r + 5 * stride),
      tMin,
      tMax,
    );
    store<i32>(ids + i, id);
    store<f32>(distances + i, foundT);
  }
}

/** `occludedBatch` among instances. */
export function occludedInstanceBatch(
  params: u32,
  root: u32,
  rays: u32,
  stride: u32,
  count: u32,
  tMin: f32,
  tMax: f32,
  out: u32,
): void {
  setParams(params);
  for (let i: u32 = 0, end = count << 2; i < end; i += 4) {
    const r = rays + i;
    store<i32>(
      out + i,
      occludedByInstance(
        root,
        255,
        load<f32>(r),
        load<f32>(r + stride),
        load<f32>(r + 2 * stride),
        load<f32>(r + 3 * stride),
        load<f32>(r + 4 * stride),
        load<f32>(r + 5 * stride),
        tMin,
        tMax,
      ),
    );
  }
}
