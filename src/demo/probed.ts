import { takeColours } from "#core/render/probeLight";
import type { Shot } from "#core/shot/schema";
import type { Vec2 } from "#core/math/vec3";
import { plateAlbedoOf, probedLight } from "#node/probe";
import { plateOf } from "#node/renderShot";

/** Has the probes tell the sources' colours, as Balance does. */
export async function takeProbedLight(shot: Shot, codes: Uint8Array): Promise<void> {
  const light = await probedLight(shot, plateOf(shot, codes));
  if (typeof light === "string") throw new Error(light);
  takeColours(shot.light, light.colours);
}

/** Reads a material's reflectance off the plate, as the button "colour from the plate" does. */
export async function takePlateAlbedo(
  shot: Shot,
  codes: Uint8Array,
  material: string,
  pixel: Vec2,
  radius: number,
): Promise<void> {
  const albedo = await plateAlbedoOf(shot, plateOf(shot, codes), pixel, radius);
  if (typeof albedo === "string") throw new Error(albedo);
  shot.materials[material].albedo = albedo;
}
