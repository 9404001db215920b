import * as L from "../../kernel/layout.ts";
import type { BlockBytes, BlockMaker, Repeats } from "../image/exr.ts";
import { repeating } from "../image/exr.ts";
import type { ExrHeader } from "../image/exrCheck.ts";
import type { ExrBlock } from "../image/exrRead.ts";
import { folded } from "../image/exrRead.ts";
import type { Kernel } from "./kernel.ts";
import type { SceneMemory } from "./memory.ts";

export const kernelBlocks = (kernel: Kernel, memory: SceneMemory): BlockMaker => ({
  bytesOf: blockBytes(kernel, memory),
  repeats: repeats(kernel, memory),
});

/** Of values in the kernel's memory by their bits, where -0 is another number than 0; of others as they are compared elsewhere. */
const repeats =
  (kernel: Kernel, memory: SceneMemory): Repeats =>
  (values, stride, first, end) =>
    memory.holds(values)
      ? Boolean(kernel.repeats(values.byteOffset + (first + stride) * 4, Math.max(0, end - first - stride), stride))
      : repeating(values, stride, first, end);

/**
 * Bytes of an OpenEXR block at native speed. Values and counts that are not in the kernel's memory are copied there, behind
 * what is reserved; the bytes stand there until memory is reserved again.
 */
function blockBytes(kernel: Kernel, memory: SceneMemory): BlockBytes {
  return (width, y0, y1, channels, type) => {
    const mark = memory.mark();
    try {
      const copies = new Map<Float32Array, number>();
      /** Address of the first of the block's pixels. */
      const at = (values: Float32Array, stride: number): number => {
        const first = y0 * width * stride;
        if (memory.holds(values)) return values.byteOffset + first * 4;
        const address = copies.get(values) ?? memory.putF32(values.subarray(first, y1 * width * stride));
        copies.set(values, address);
        return address;
      };
      const plan: number[] = [];
      let pairs = 0;
      for (const { values, offset = 0, stride = 1, over, zero, type: own = type } of channels) {
        const half = own === "half";
        const counts = over ? at(over.counts, 1) : 0;
        if (!zero)
          plan.push(at(values, stride) + offset * 4, stride * 4, counts, bitsOf(over?.empty ?? 0), +half, pairs);
        pairs += half ? width : 2 * width;
      }
      const address = memory.reserve(plan.length * 4);
      memory.u32(address, plan.length).set(plan);
      const length = 2 * pairs * (y1 - y0);
      const out = memory.reserve(length);
      kernel.blockRows(address, (plan.length * 4) / L.BLOCK_PLAN_BYTES, width, y1 - y0, pairs, out);
      return memory.u8(out, length);
    } finally {
      memory.release(mark);
    }
  };
}

const KINDS = { uint: L.BLOCK_UINT, half: L.BLOCK_HALF, float: L.BLOCK_FLOAT };

/** Where values of a channel go: memory of the kernel's, the first one's index in it, and how far the next one lies. */
export interface ChannelTarget {
  values: Float32Array;
  offset: number;
  stride: number;
}

/** Puts rows `from` to `to` of a block where their channels' targets are; `row` is the number of the targets' first row. */
export type BlockReader = (
  block: ExrBlock,
  header: ExrHeader,
  targets: ReadonlyMap<string, ChannelTarget>,
  row: number,
  from: number,
  to: number,
) => void;

/** Reads blocks of an OpenEXR file at native speed. */
export const kernelReader =
  (kernel: Kernel, memory: SceneMemory): BlockReader =>
  (block, { width, channels }, targets, row, from, to) => {
    const bytes = block.folded ? block.bytes : folded(block.bytes);
    const { y0, rows } = block;
    const [first, end] = [Math.max(from, y0), Math.min(to, y0 + rows)];
    if (first >= end) return;
    const plan: number[] = [];
    let pairs = 0;
    for (const { name, type } of channels) {
      const target = targets.get(name);
      const at = target && target.values.byteOffset + ((first - row) * width * target.stride + target.offset) * 4;
      plan.push(at ?? 0, (target?.stride ?? 0) * 4, KINDS[type], pairs);
      pairs += type === "half" ? width : 2 * width;
    }
    const mark = memory.mark();
    try {
      const table = memory.putU32(plan);
      const copy = memory.reserve(bytes.length);
      memory.u8(copy, bytes.length).set(bytes);
      kernel.unblockRows(copy, table, channels.length, width, rows, pairs, first - y0, end - y0);
    } finally {
      memory.release(mark);
    }
  };

const float = new Float32Array(1);
const bits = new Uint32Array(float.buffer);
function bitsOf(value: number): number {
  float[0] = value;
  return bits[0];
}
