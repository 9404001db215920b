import { SCRATCH_BYTES } from "../../kernel/layout.ts";
import type { KernelMemory } from "./kernel.ts";

const PAGE = 65536;
const MAX_THREADS = 32;

// The module's own tables stand from 1024 on.
/** Word that counts generations: threads leave a tile when it moves on. */
export const GENERATION_ADDRESS = 256;
/** Word from which threads take the number of the next tile. */
export const TILE_COUNTER_ADDRESS = 320;

/** Scratch memory of thread number `thread`. */
export function scratchAddress(thread: number): number {
  if (thread >= MAX_THREADS)
    throw new RangeError(`At most ${MAX_THREADS} threads can trace; number ${thread} is one too many.`);
  return PAGE + thread * SCRATCH_BYTES;
}

/** Bump allocator over the module's memory. Everything after the threads' scratch belongs to one scene at a time. */
export class SceneMemory {
  private next: number;
  private readonly buffers = new WeakSet<ArrayBufferLike>();
  private readonly base = PAGE + MAX_THREADS * SCRATCH_BYTES;

  constructor(private readonly memory: KernelMemory) {
    this.next = this.base;
  }

  /** Forgets all allocations after `mark` (or all). */
  release(mark = this.base): void {
    this.next = mark;
  }

  mark(): number {
    return this.next;
  }

  /** Reserves `bytes`, aligned to 16 or more. Throws RangeError with advice when 4 GiB would be passed. */
  reserve(bytes: number, alignment = 16): number {
    const address = Math.ceil(this.next / alignment) * alignment;
    if (address + bytes + 32 > 0xffff0000) {
      throw new RangeError(
        "The scene does not fit in 4 GiB of tracer memory. Use smaller textures, fewer triangles, or a smaller render size.",
      );
    }
    // Kernel loads of 16 bytes may read past the last 12-byte vertex.
    this.next = address + Math.ceil((bytes + 16) / 16) * 16;
    const missing = this.next - this.memory.buffer.byteLength;
    if (missing > 0) this.memory.grow(Math.ceil(missing / PAGE));
    return address;
  }

  get buffer(): ArrayBufferLike {
    return this.memory.buffer;
  }

  /** True of values that `f32` gave: memory that grows has another buffer, and views keep theirs. */
  holds(values: Float32Array): boolean {
    return this.buffers.has(values.buffer);
  }

  f32(address: number, length: number): Float32Array {
    this.buffers.add(this.memory.buffer);
    return new Float32Array(this.memory.buffer, address, length);
  }
  f64(address: number, length: number): Float64Array {
    return new Float64Array(this.memory.buffer, address, length);
  }
  u32(address: number, length: number): Uint32Array {
    return new Uint32Array(this.memory.buffer, address, length);
  }
  u8(address: number, length: number): Uint8Array {
    return new Uint8Array(this.memory.buffer, address, length);
  }

  putF32(values: ArrayLike<number>): number {
    const address = this.reserve(values.length * 4);
    this.f32(address, values.length).set(values);
    return address;
  }
  putU32(values: ArrayLike<number>): number {
    const address = this.reserve(values.length * 4);
    this.u32(address, values.length).set(values);
    return address;
  }
}
