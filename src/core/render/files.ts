import type { LightPart } from "../light/schema.ts";
import { provideSurroundings } from "../light/surroundings/known.ts";
import type { Model } from "../props/model.ts";
import { provideSetModels } from "../set/models.ts";
import type { SetRecord } from "../set/parts/index.ts";

/** Takes in what set and sky have from files, as far as these are loaded. */
export function provideFiles(shot: { set: SetRecord } & LightPart, models: ReadonlyMap<string, Model>): void {
  provideSetModels(shot, models);
  const { spread } = shot.light.sky;
  const around = spread.kind === "picture" && models.get(spread.asset)?.around;
  if (around) provideSurroundings(spread.asset, around);
}
