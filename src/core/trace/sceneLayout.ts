import type { Model } from "../props/model.ts";
import type { FilmChoice, FilmLayout } from "./film.ts";
import { filmLayout } from "./film.ts";
import type { TraceScene } from "./scene.ts";

/** Where a scene's film keeps its sums. */

/** Where the film of a scene keeps its sums. */
export function sceneLayout(scene: TraceScene, sums: FilmChoice): FilmLayout {
  const names = unique(scene.props.map((p, i) => p.name || `prop ${i + 1}`));
  const lamps = unique((scene.lamps ?? []).map((l) => l.name || "lamp"));
  return filmLayout(sums, lamps, names, namesOfMaterials([...new Set(scene.props.map((p) => p.model))]));
}

/** Names with a number behind those that are there already. */
function unique(names: string[]): string[] {
  const used = new Set<string>();
  return names.map((name) => {
    let own = name;
    for (let n = 2; used.has(own); n++) own = `${name} ${n}`;
    used.add(own);
    return own;
  });
}

/** Names of all materials; those of one name share a matte. */
export const namesOfMaterials = (models: Model[]): string[] => [
  ...new Set(models.flatMap((m) => m.materials).map((material, i) => material.name || `material ${i + 1}`)),
];
