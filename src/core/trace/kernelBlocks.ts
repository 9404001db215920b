import * as L from "../../kernel/layout.ts";
import type { BlockBytes, BlockMaker, Repeats } from "../image/exr.ts";
import { repeating } from "../image/exr.ts";
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

const float = new Float32Array(1);
const bits = new Uint32Array(float.buffer);
function bitsOf(value: number): number {
  float[0] = value;
  return bits[0];
}
