import * as L from "../../kernel/layout.ts";
import type { Kernel } from "./kernel.ts";
import type { SceneMemory } from "./memory.ts";

const WORK_BYTES = L.SCRATCH_BYTES * 4;
const CACHE_LINE = 64;

/** A built tree: address of its root, and what it consists of. */
export interface Bvh {
  root: number;
  nodes: number;
  blocks: number;
}

/**
 * Builds the tree of `count` triangles from number `first` on. Everything but the tree is given back: while it is
 * built, it stands above its final place and is moved down at the end.
 */
export function buildTriangleBvh(
  kernel: Kernel,
  memory: SceneMemory,
  soup: { positions: number; triangles: number; parts: number },
  first: number,
  count: number,
): Bvh {
  if (count === 0) return { root: 0, nodes: 0, blocks: 0 };
  const place = memory.mark();
  const records = memory.reserve(count * L.RECORD_BYTES);
  const work = memory.reserve(WORK_BYTES);
  const triangles = soup.triangles + first * L.TRIANGLE_BYTES;
  const binary = memory.reserve(count * 2 * L.BINARY_BYTES);
  const used = kernel.buildTriangles(soup.positions, triangles, count, records, binary, work);
  memory.release(binary);
  memory.reserve(used * L.BINARY_BYTES);
  return finish(kernel, memory, place, records, work, binary, used, L.TRIANGLE_BLOCK_BYTES, {
    ...soup,
    triangles,
    base: first,
  });
}

/** The tree over `count` boxes of instances, six floats each. */
export function buildInstanceBvh(kernel: Kernel, memory: SceneMemory, boxes: Float32Array): Bvh {
  const count = boxes.length / 6;
  if (count === 0) return { root: 0, nodes: 0, blocks: 0 };
  const place = memory.mark();
  const at = memory.putF32(boxes);
  const records = memory.reserve(count * L.RECORD_BYTES);
  const work = memory.reserve(WORK_BYTES);
  const binary = memory.reserve(count * 2 * L.BINARY_BYTES);
  const used = kernel.buildBoxes(at, count, records, binary, work);
  return finish(kernel, memory, place, records, work, binary, used, L.INSTANCE_BLOCK_BYTES, {
    positions: 0,
    triangles: 0,
    parts: 0,
    base: 0,
  });
}

function finish(
  kernel: Kernel,
  memory: SceneMemory,
  place: number,
  records: number,
  work: number,
  binary: number,
  used: number,
  blockBytes: number,
  soup: { positions: number; triangles: number; parts: number; base: number },
): Bvh {
  const plan = memory.reserve(used * L.PLAN_BYTES);
  const nodes = kernel.planCollapse(binary, used, plan, work);
  const blocks = (used + 1) / 2;
  const bytes = nodes * L.NODE_BYTES + blocks * blockBytes + L.LOOK_AHEAD_BYTES;
  const out = memory.reserve(bytes, CACHE_LINE);
  const root = Math.ceil(place / CACHE_LINE) * CACHE_LINE;
  kernel.emit(binary, plan, soup.positions, soup.triangles, soup.parts, soup.base, records, out, out - root, work);
  memory.release(place);
  memory.reserve(bytes, CACHE_LINE);
  new Uint8Array(memory.buffer).copyWithin(root, out, out + bytes);
  return { root, nodes, blocks };
}
