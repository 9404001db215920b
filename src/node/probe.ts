import type { DecodedPlate } from "#core/comp/composite";
import type { Vec2 } from "#core/math/vec3";
import type { PlateAlbedo } from "#core/render/plateAlbedo";
import { plateAlbedo } from "#core/render/plateAlbedo";
import type { ProbedLight } from "#core/render/probeLight";
import { probeLight } from "#core/render/probeLight";
import type { Shot } from "#core/shot/schema";
import type { Kernel } from "#core/trace/kernel";
import { SceneMemory, scratchAddress } from "#core/trace/memory";
import type { Picture } from "#core/trace/scene";
import { compileKernel, newKernelMemory, openKernel } from "./kernelFile.ts";

/** Asks the tracer something of a plate, on the calling thread. */
async function asked<T>(
  plate: DecodedPlate,
  ask: (kernel: Kernel, memory: SceneMemory, picture: Picture) => T,
): Promise<T> {
  const memory = newKernelMemory();
  const kernel = await openKernel(await compileKernel(), memory, scratchAddress(0));
  return ask(kernel, new SceneMemory(memory), { width: plate.width, height: plate.height, pixels: plate.linear });
}

/** The sources' colours from the shot's probes. */
export const probedLight = (shot: Shot, plate: DecodedPlate): Promise<ProbedLight | string> =>
  asked(plate, (kernel, memory, picture) => probeLight(kernel, memory, shot, picture));

/** Reflectance of what a patch of the plate shows, over the light there. */
export const plateAlbedoOf = (
  shot: Shot,
  plate: DecodedPlate,
  pixel: Vec2,
  radius: number,
): Promise<PlateAlbedo | string> =>
  asked(plate, (kernel, memory, picture) => plateAlbedo(kernel, memory, shot, picture, pixel, radius));
