import type { Vec2, Vec3 } from "../math/vec3.ts";
import { pickFace } from "../set/pick.ts";
import { materialAt } from "../set/surface.ts";
import type { Seen } from "./scene.ts";
import { traceSceneOf } from "../render/scene.ts";
import type { Kernel } from "../trace/kernel.ts";
import type { SceneMemory } from "../trace/memory.ts";
import type { Picture } from "../trace/scene.ts";
import { uploadScene } from "../trace/upload.ts";
import type { Balance, ProbedPatch } from "../light/balance.ts";
import { balanceLight, readPatch } from "../light/balance.ts";

const SAMPLES = 1024;

export interface ProbeResult extends Balance {
  lit: ProbedPatch;
  shaded: ProbedPatch;
}

/**
 * Sun and sky of a shot from its two probes: the tracer tells what of the sky and the set each patch sees, and the
 * balance follows; repeated, since light from unseen surfaces depends on the answer. A sentence where it cannot be had.
 */
export function probeShot(kernel: Kernel, memory: SceneMemory, shot: Seen, plate: Picture): ProbeResult | string {
  const { lit, shaded } = shot.light;
  if (!shot.solved) return "Solve the camera first; the probes need to know where the ground is.";
  if (!lit || !shaded) return "Probe one patch in the sun and one of the same surface in the shade.";
  const albedo = albedoAt(shot, lit.pixel);
  const linear = { width: plate.width, height: plate.height, linear: plate.pixels };
  const read = [readPatch(linear, lit.pixel, lit.radius), readPatch(linear, shaded.pixel, shaded.radius)];
  for (const [i, patch] of read.entries()) {
    const name = i === 0 ? "lit" : "shaded";
    if (patch.pixels === 0) return `The ${name} patch lies outside the plate. Move it onto the ground.`;
    if (patch.clipped > 0.01)
      return `The ${name} patch is clipped: its brightest pixels hold no colour. Move it to a darker place.`;
  }
  let current: Seen = { ...shot, props: {} };
  let result: ProbeResult | string = "";
  for (let round = 0; round < 3; round++) {
    const scene = traceSceneOf(current, plate, new Map(), false);
    const loaded = uploadScene(kernel, memory, scene, { width: 8, height: 8, seed: 1, maxDepth: 4 });
    const pixels = memory.putF32([...lit.pixel, ...shaded.pixel]);
    const out = memory.reserve(48);
    kernel.probePixels(loaded.params, pixels, 2, SAMPLES, out);
    const facts = memory.f32(out, 12);
    const patchOf = (i: number): ProbedPatch | null =>
      facts[i * 6] < 0
        ? null
        : {
            colour: read[i].colour,
            openSky: facts[i * 6],
            bounce: [facts[i * 6 + 1], facts[i * 6 + 2], facts[i * 6 + 3]] as Vec3,
            sunCosine: Math.max(0, facts[i * 6 + 5]) * facts[i * 6 + 4],
          };
    const [a, b] = [patchOf(0), patchOf(1)];
    if (!a) return "The lit patch is not on the set. Draw the ground under it first.";
    if (!b) return "The shaded patch is not on the set. Draw the ground under it first.";
    const balance = balanceLight(a, b, albedo.colour, albedo.spread);
    if (typeof balance === "string") return balance;
    result = { ...balance, lit: a, shaded: b };
    current = {
      ...current,
      light: { ...current.light, sunIrradiance: balance.sunIrradiance, skyRadiance: balance.skyRadiance },
    };
  }
  return result;
}

/** What the surface under a pixel is made of; the ground where there is none. */
function albedoAt({ set, materials, ground, solved }: Seen, pixel: Vec2): { colour: Vec3; spread: number } {
  const picked = solved && pickFace(set, solved.camera, pixel);
  return (
    ((picked && materialAt({ set, materials }, picked.part, picked.face.id)) ?? materials[ground])?.albedo ?? {
      colour: [0.25, 0.25, 0.25],
      spread: 0.3,
    }
  );
}
