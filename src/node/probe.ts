import type { ProbeResult } from "#core/render/probeShot";
import { probeShot } from "#core/render/probeShot";
import type { DecodedPlate } from "#core/comp/composite";
import type { Shot } from "#core/shot/schema";
import { SceneMemory, scratchAddress } from "#core/trace/memory";
import { compileKernel, newKernelMemory, openKernel } from "./kernelFile.ts";

/** Sun and sky from the shot's probes, on the calling thread. */
export async function probeLight(shot: Shot, plate: DecodedPlate): Promise<ProbeResult | string> {
  const memory = newKernelMemory();
  const kernel = await openKernel(await compileKernel(), memory, scratchAddress(0));
  const picture = { width: plate.width, height: plate.height, pixels: plate.linear };
  return probeShot(kernel, new SceneMemory(memory), shot, picture);
}
