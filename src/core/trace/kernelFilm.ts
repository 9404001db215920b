import type { Kernel } from "./kernel.ts";
import type { FilmLayout, FilmPlanes, LightWeights, Passes } from "./film.ts";
import { groupWeights, packing, propChanges } from "./film.ts";
import type { SceneMemory } from "./memory.ts";
import type { Packing, UnpackedFilm } from "./sparse.ts";
import { maskWords, thereOf, twinMarks } from "./sparse.ts";

/** Planes that films are ever asked for at once. */
const MAX_PLANES = 8;

/** Films that are unpacked and developed in the kernel's memory, one after the other in the same room. */
export class KernelFilm {
  private readonly films: number;
  private readonly packed: number;
  private readonly packing: Packing;
  private readonly twins: number;
  private readonly there: number;
  private readonly weights: number;
  private readonly changes: number;
  private readonly floats: number;
  private readonly planes: number;

  /** Takes room for films of so many pixels. */
  constructor(
    private readonly kernel: Kernel,
    private readonly memory: SceneMemory,
    private readonly pixels: number,
    private readonly layout: FilmLayout,
  ) {
    const { stride, groups } = layout;
    this.films = memory.reserve(pixels * stride * 4);
    this.packed = memory.reserve(pixels * (maskWords(stride) + stride) * 4);
    this.packing = packing(layout);
    this.twins = memory.putU32(twinMarks(this.packing));
    this.there = memory.reserve(maskWords(stride) * 4);
    this.weights = memory.reserve(groups.length * 24);
    this.changes = memory.reserve(groups.length * 24);
    this.floats = memory.reserve(MAX_PLANES * 4);
    this.planes = memory.reserve(MAX_PLANES * pixels * 4);
  }

  /** Room for so many packed words. Throws RangeError where no film of this size has so many. */
  words(count: number): Uint32Array {
    if (count > this.pixels * (maskWords(this.layout.stride) + this.layout.stride))
      throw new RangeError("A film has more sums than its pixels can hold.");
    return this.memory.u32(this.packed, count);
  }

  /** The film of so many pixels from the words that were put there; null where the words are not so many. */
  unpack(count: number, pixels: number): UnpackedFilm | null {
    const { memory, films, packed, twins, there } = this;
    const { stride } = this.layout;
    const marks = maskWords(stride) * pixels;
    const words = count - marks;
    if (pixels > this.pixels || words < 0) return null;
    const taken = this.kernel.unpackPixels(packed, packed + marks * 4, words, pixels, stride, twins, films, there);
    if (taken !== words) return null;
    const any = memory.u32(there, maskWords(stride));
    return {
      pixels: memory.f32(films, pixels * stride),
      there: thereOf(any, this.packing),
    };
  }

  /**
   * `developFilm` for `count` pixels of the film that stands here, from number `first` on, to the passes' pixels from number
   * `to` on. The passes must stand in the kernel's memory. Throws where weights of the props need what the film does not keep.
   */
  develop(weights: LightWeights, first: number, count: number, into: Passes, to: number): void {
    const { layout, films, memory } = this;
    const { stride, lights, groups, propLights } = layout;
    const changes = propChanges(layout, weights);
    memory.f64(this.weights, groups.length * 3).set(groupWeights(layout, weights).flat());
    if (changes) memory.f64(this.changes, groups.length * 3).set(changes.flat());
    const at = (values: Float32Array, floats: number) => {
      if (!memory.holds(values)) throw new RangeError("The passes do not stand in the kernel's memory.");
      return values.byteOffset + to * floats * 4;
    };
    this.kernel.developFilm(
      films + first * stride * 4,
      count,
      stride,
      lights,
      groups.length,
      this.weights,
      propLights,
      changes ? this.changes : 0,
      at(into.prop, 4),
      at(into.ratio, 3),
      at(into.added, 3),
      at(into.depth, 1),
    );
  }

  /** Planes of the film that stands here, in memory that the next ones overwrite. */
  readonly planesOf: FilmPlanes = (film, pixels, stride, floats) => {
    const { memory, kernel, planes } = this;
    if (!memory.holds(film) || floats.length > MAX_PLANES)
      throw new RangeError("Only the film that stands here has planes.");
    memory.u32(this.floats, floats.length).set(floats);
    kernel.filmPlanes(film.byteOffset, pixels, stride, this.floats, floats.length, planes);
    return floats.map((_, i) => memory.f32(planes + i * pixels * 4, pixels));
  };
}

/** Passes of so many pixels in the kernel's memory, which are not cleared. */
export function kernelPasses(memory: SceneMemory, width: number, height: number, occlusion = false): Passes {
  const floats = (stride: number) => {
    const length = width * height * stride;
    return memory.f32(memory.reserve(length * 4), length);
  };
  return {
    width,
    height,
    prop: floats(4),
    ratio: floats(3),
    added: floats(3),
    depth: floats(1),
    occlusion: occlusion ? floats(1) : null,
  };
}
