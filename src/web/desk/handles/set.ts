import { add, scale } from "#core/math/vec3";
import type { Part } from "#core/set/parts/index";
import { kindOf } from "#core/set/parts/index";
import type { Shot } from "#core/shot/schema";
import type { Sight } from "../sight.ts";
import { onLine, onPlane } from "../sight.ts";
import type { Handle } from "./handle.ts";

/** Handles of the set's parts, as each kind describes them. Of many parts only the selected one has its own. */
export function setHandles(shot: Shot, sight: Sight, selected: string | null): Handle[] {
  const parts = Object.values(shot.set).filter((part) => !part.muted);
  const shown = parts.length > MANY ? parts.filter((part) => part.id === selected) : parts;
  return shown.flatMap((part) => partHandles(part, shot, sight));
}

/** From so many parts on, handles of all of them would hide the plate. */
const MANY = 12;

function partHandles(part: Part, shot: Shot, sight: Sight): Handle[] {
  return kindOf(part)
    .handles(part, shot.set)
    .flatMap((handle): Handle[] => {
      const at = sight.project(handle.at);
      if (!at) return [];
      const { along } = handle;
      return [
        {
          key: `${part.id}.${handle.key}`,
          owner: part.id,
          at,
          edit: handle.edit,
          drag: (draft, pixel) => {
            const ray = sight.ray(pixel);
            let to = "plane" in along ? onPlane(ray, along.plane) : null;
            if ("direction" in along) {
              const s = onLine(ray, handle.at, along.direction);
              to = s === null ? null : add(handle.at, scale(along.direction, s));
            }
            const target = draft.set[part.id] as Part | undefined;
            if (to && target?.kind === part.kind) handle.put(target, to, sight.plate ? pixel : null);
          },
        },
      ];
    });
}
