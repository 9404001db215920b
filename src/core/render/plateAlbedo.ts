import { readPatch } from "../light/patch.ts";
import { sunOf } from "../light/rig.ts";
import type { Vec2, Vec3 } from "../math/vec3.ts";
import type { Kernel } from "../trace/kernel.ts";
import type { SceneMemory } from "../trace/memory.ts";
import type { Picture } from "../trace/scene.ts";
import { lightOver, pointsOf } from "./lightOver.ts";
import type { Seen } from "./scene.ts";
import { traceSceneOf } from "./scene.ts";
import { underGloss } from "./underGloss.ts";

/** Reflectance read off the plate. */
export interface PlateAlbedo {
  colour: Vec3;
  spread: number;
  source: string;
}

/** Relative standard deviation for what the set does not have and the light is not known by (common practice, no published source). */
const RELATIVE = 0.15;

/**
 * Reflectance of the surface under a patch of the plate: pi times its mean colour over the irradiance that sun, sky,
 * lamps and the set bring there (Lambert's law). A sentence where it cannot be had.
 */
export function plateAlbedo(
  kernel: Kernel,
  memory: SceneMemory,
  shot: Seen,
  plate: Picture,
  pixel: Vec2,
  radius: number,
): PlateAlbedo | string {
  const patch = readPatch({ width: plate.width, height: plate.height, linear: plate.pixels }, pixel, radius);
  if (patch.pixels === 0) return "The patch lies outside the plate. Drag over the plate.";
  if (patch.clipped > 0.01) return "The patch is clipped: its brightest pixels hold no colour. Take a darker one.";
  const scene = traceSceneOf(shot, plate, new Map(), false);
  const points = pointsOf(shot, { pixel, radius });
  const [at] = lightOver(kernel, memory, scene, [points]);
  if (!at) return "No surface of the set is there. Draw it first.";
  const sun = sunOf(shot)?.irradiance ?? [0, 0, 0];
  const lit = at.sunCosine * at.sunShare;
  const under = underGloss(shot, points);
  const colour = at.bounce.map((bounce, k) => {
    const around = bounce + at.sky[k] + at.lamps.reduce((sum, lamp) => sum + lamp[k], 0);
    const irradiance = under.around * around + under.sun * lit * sun[k];
    // What the surface's gloss sends here is not its colour.
    const matt = Math.max(0, patch.colour[k] - at.gloss[k]);
    return Math.min(0.98, (Math.PI * matt) / Math.max(1e-6, irradiance));
  }) as Vec3;
  if (!(Math.max(...colour) > 1e-4)) return "No light reaches the surface there. Set the light first.";
  const level = (colour[0] + colour[1] + colour[2]) / 3;
  return {
    colour: colour.map((c) => Number(Math.max(1e-4, c).toFixed(4))) as Vec3,
    spread: Number((RELATIVE * level).toFixed(4)),
    source: `the plate at ${pixel.map(Math.round).join(", ")}, over the light there`,
  };
}
