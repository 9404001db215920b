import { takeColours } from "#core/render/probeLight";
import type { Shot } from "#core/shot/schema";
import { probedLight } from "#node/probe";
import { plateOf } from "#node/renderShot";

/** Has the probes tell the sources' colours, as Balance does. */
export async function takeProbedLight(shot: Shot, codes: Uint8Array): Promise<void> {
  const light = await probedLight(shot, plateOf(shot, codes));
  if (typeof light === "string") throw new Error(light);
  takeColours(shot.light, light.colours);
}
