import * as L from "../../kernel/layout.ts";
import { lampsLit } from "../light/rig.ts";
import type { LightPart } from "../light/schema.ts";
import type { Passes } from "../trace/film.ts";
import { developFilm, emptyPasses } from "../trace/film.ts";
import type { FilmLayout } from "../trace/film.ts";
import { lightWeights, scaleProp } from "./weights.ts";

/** Sources of a film by name: `sun`, `sky`, and the ids of the lamps that are lit. */
export const sourcesOf = (shot: LightPart): string[] => ["sun", "sky", ...lampsLit(shot).map(({ id }) => id)];

/**
 * What one source alone gives the picture: its share of the plate, with the props' shadow in it, and its light on the
 * props. Nothing is added by reflection, whose lights are not kept apart. The film must keep the props' lights.
 */
export function partOf(
  film: Float32Array,
  width: number,
  height: number,
  layout: FilmLayout,
  shot: LightPart,
  source: string,
): Passes {
  const alone = lightWeights(shot, source);
  const passes = developFilm(film, width, height, layout, alone, emptyPasses(width, height));
  const all = lightWeights(shot);
  const weight = (of: typeof all, group: number, k: number) =>
    [of.sun, of.sky, of.bounce][group]?.[k] ?? of.lamps?.[group - L.GROUP_LAMPS]?.[k] ?? 1;
  const groups = layout.groups.length;
  for (let i = 0, f = 0; i < width * height; i++, f += layout.stride) {
    for (let k = 0; k < 3; k++) {
      let own = 0;
      let whole = 0;
      for (let g = 0, at = f + layout.lights + k; g < groups; g++, at += L.LIGHT_FLOATS) {
        own += weight(alone, g, k) * film[at];
        whole += weight(all, g, k) * film[at + 3];
      }
      passes.ratio[i * 3 + k] = whole > 0 ? own / whole : 0;
      passes.added[i * 3 + k] = 0;
    }
  }
  scaleProp(passes.prop, shot.light.propLevel);
  return passes;
}
