import { measureGrain } from "#core/comp/measureGrain";
import { plateSharpness } from "#core/comp/sharpness";
import { takeColours } from "#core/render/probeLight";
import type { Shot } from "#core/shot/schema";
import type { Vec2 } from "#core/math/vec3";
import { plateAlbedoOf, probedLight } from "#node/probe";
import { plateOf } from "#node/plateRows";

/** Has the probes tell the sources' colours, as Balance does. */
export async function takeProbedLight(shot: Shot, codes: Uint8Array): Promise<void> {
  const light = await probedLight(shot, plateOf(shot, codes));
  if (typeof light === "string") throw new Error(light);
  takeColours(shot.light, light.colours);
}

/** Measures the plate's grain and sharpness, as the buttons in Comp do. */
export function takePlateLook(shot: Shot, codes: Uint8Array): void {
  const plate = plateOf(shot, codes);
  const lines = Object.values(shot.edges).map(({ points }) => points.map(([x, y]): Vec2 => [x, y]));
  const sharpness = plateSharpness(plate, lines);
  const grain = measureGrain(plate);
  if (!sharpness || !grain) throw new Error(`Grain or sharpness of “${shot.name}” cannot be measured.`);
  shot.comp.sharpness.sigmaPx = Number(sharpness.sigmaPx.toFixed(3));
  shot.comp.grain.model = grain.model;
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
