import type { Vec2, Vec3 } from "../math/vec3.ts";
import type { Kernel } from "../trace/kernel.ts";
import type { SceneMemory } from "../trace/memory.ts";
import type { TraceScene } from "../trace/scene.ts";
import { uploadScene } from "../trace/upload.ts";

/** Light that reaches the set where a plate pixel shows it. Irradiance in plate units. */
export interface LightAt {
  /** Share of the cosine-weighted hemisphere that is open sky. */
  openSky: number;
  /** From the set and the floor. */
  bounce: Vec3;
  /** Share of the sun's disc in view, and the cosine to it, not below 0. */
  sunShare: number;
  sunCosine: number;
  sky: Vec3;
  /** Radiance that the surface's own gloss sends to the camera, of all that shines; 0 for a matt one. */
  gloss: Vec3;
  /** From each of the scene's lamps. */
  lamps: Vec3[];
}

/** Bounces, as many as a final has. */
const MAX_DEPTH = 8;

/** What the tracer finds at plate pixels of a scene; null where a pixel shows no set. */
export function lightAt(
  kernel: Kernel,
  memory: SceneMemory,
  scene: TraceScene,
  pixels: readonly Vec2[],
  samples = 1024,
): (LightAt | null)[] {
  const loaded = uploadScene(kernel, memory, scene, { width: 8, height: 8, seed: 1, maxDepth: MAX_DEPTH });
  const lamps = scene.lamps?.length ?? 0;
  const stride = 12 + 3 * lamps;
  const out = memory.reserve(pixels.length * stride * 4);
  kernel.probePixels(loaded.params, memory.putF32(pixels.flat()), pixels.length, samples, out);
  return pixels.map((_, i) => {
    const f = [...memory.f32(out + i * stride * 4, stride)];
    if (f[0] < 0) return null;
    const three = (at: number): Vec3 => [f[at], f[at + 1], f[at + 2]];
    return {
      openSky: f[0],
      bounce: three(1),
      sunShare: f[4],
      sunCosine: Math.max(0, f[5]),
      sky: three(6),
      gloss: three(9),
      lamps: Array.from({ length: lamps }, (_, l) => three(12 + 3 * l)),
    };
  });
}
