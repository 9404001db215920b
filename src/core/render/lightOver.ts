import type { Vec2, Vec3 } from "../math/vec3.ts";
import { scale } from "../math/vec3.ts";
import { shotFrame } from "../plate/schema.ts";
import { pickFace } from "../set/pick.ts";
import type { Kernel } from "../trace/kernel.ts";
import type { SceneMemory } from "../trace/memory.ts";
import type { TraceScene } from "../trace/scene.ts";
import type { LightAt } from "./lightAt.ts";
import { lightAt } from "./lightAt.ts";
import type { Seen } from "./scene.ts";

/** A disc of the plate. */
export interface Disc {
  pixel: Vec2;
  radius: number;
}

/** Points of the ring, and its radius over the disc's: with the centre as a seventh, squares are averaged as over the disc. */
const RING = 6;
const RING_RADIUS = Math.sqrt(7 / 12);

/**
 * Plate pixels that stand for a disc, as far as they lie in the frame and on the face that its centre shows: the centre
 * first, and a ring. Their mean is that of the disc for whatever is a polynomial of third degree over it.
 */
export function pointsOf(shot: Seen, { pixel, radius }: Disc): Vec2[] {
  const camera = shot.solved?.camera;
  const face = camera && pickFace(shot.set, camera, pixel);
  if (!camera || !face) return [pixel];
  const { width, height } = shotFrame(shot);
  const ring = Array.from({ length: RING }, (_, i): Vec2 => {
    const turn = (2 * Math.PI * i) / RING;
    const out = radius * RING_RADIUS;
    return [pixel[0] + out * Math.cos(turn), pixel[1] + out * Math.sin(turn)];
  });
  const same = ([x, y]: Vec2) => {
    if (x < 0 || y < 0 || x > width || y > height) return false;
    const met = pickFace(shot.set, camera, [x, y]);
    return met?.part.id === face.part.id && met.face.id === face.face.id;
  };
  return [pixel, ...ring.filter(same)];
}

const SAMPLES = 512;

/** Light that reaches the set over discs of the plate, in the mean; null where a disc's centre shows no set. */
export function lightOver(
  kernel: Kernel,
  memory: SceneMemory,
  scene: TraceScene,
  discs: readonly (readonly Vec2[])[],
): (LightAt | null)[] {
  const found = lightAt(kernel, memory, scene, discs.flat(), SAMPLES);
  let at = 0;
  return discs.map((points) => {
    const own = found.slice(at, (at += points.length));
    return own[0] && meanOf(own.filter((light) => light !== null));
  });
}

function meanOf(all: readonly LightAt[]): LightAt {
  const mean = (value: (at: LightAt) => number) => all.reduce((sum, at) => sum + value(at), 0) / all.length;
  const colour = (value: (at: LightAt) => Vec3) =>
    scale(
      all.reduce((sum, at) => sum.map((x, k) => x + value(at)[k]) as Vec3, [0, 0, 0] as Vec3),
      1 / all.length,
    );
  return {
    openSky: mean((at) => at.openSky),
    bounce: colour((at) => at.bounce),
    sunShare: mean((at) => at.sunShare),
    sunCosine: mean((at) => at.sunCosine),
    sky: colour((at) => at.sky),
    gloss: colour((at) => at.gloss),
    lamps: all[0].lamps.map((_, l) => colour((at) => at.lamps[l])),
  };
}
