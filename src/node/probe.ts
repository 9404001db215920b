import type { DecodedPlate } from "#core/comp/composite";
import type { ProbedLight } from "#core/render/probeLight";
import { probeLight } from "#core/render/probeLight";
import type { Shot } from "#core/shot/schema";
import { SceneMemory, scratchAddress } from "#core/trace/memory";
import { compileKernel, newKernelMemory, openKernel } from "./kernelFile.ts";

/** The sources' colours from the shot's probes, on the calling thread. */
export async function probedLight(shot: Shot, plate: DecodedPlate): Promise<ProbedLight | string> {
  const memory = newKernelMemory();
  const kernel = await openKernel(await compileKernel(), memory, scratchAddress(0));
  const picture = { width: plate.width, height: plate.height, pixels: plate.linear };
  return probeLight(kernel, new SceneMemory(memory), shot, picture);
}
