import type { Draft } from "immer";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { add, scale } from "#core/math/vec3";
import type { PartHandle } from "#core/set/parts/kind";
import type { Part } from "#core/set/parts/index";
import { kindOf } from "#core/set/parts/index";
import type { Shot } from "#core/shot/schema";
import type { Sight } from "../sight.ts";
import { onLine, onPlane } from "../sight.ts";
import type { Handle } from "./handle.ts";
import { goneAlong, metresAlong, waysAlong } from "./ways.ts";

/**
 * Handles of the set's parts, as each kind describes them. Of many parts only the selected one has its own, of a large
 * shell only the selected face. While the key of an axis is held, everything goes along that.
 */
export function setHandles(shot: Shot, sight: Sight, chosen: Chosen): Handle[] {
  const parts = Object.values(shot.set).filter((part) => !part.muted);
  const shown = parts.length > MANY ? parts.filter((part) => part.id === chosen.selected) : parts;
  return shown.flatMap((part) => partHandles(part, shot, sight, chosen));
}

/** What is selected, and the axis whose key is held. */
export interface Chosen {
  selected: string | null;
  face: string | null;
  axis: Vec3 | null;
}

/** From so many parts, or handles of one, on, all of them would hide the plate. */
const MANY = 4;
const CROWD = 60;

/** Handles of a large shell that belong to its selected face. */
function ofFace(part: Part, face: string | null, handles: PartHandle<Part>[]): PartHandle<Part>[] {
  if (part.kind !== "shell" || handles.length <= CROWD) return handles;
  const corners = new Set(face ? part.faces[face]?.rings.flat() : []);
  return handles.filter(({ key }) =>
    key
      .replace("edge ", "")
      .split(" ")
      .every((id) => corners.has(id)),
  );
}

function partHandles(part: Part, shot: Shot, sight: Sight, chosen: Chosen): Handle[] {
  return ofFace(part, chosen.face, kindOf(part).handles(part, shot.set)).flatMap((handle): Handle[] => {
    const at = sight.project(handle.at);
    if (!at) return [];
    const along = chosen.axis ? { direction: chosen.axis } : handle.along;
    const ways = waysAlong(along);
    const target = (pixel: Vec2): Vec3 | null => {
      const ray = sight.ray(pixel);
      if ("plane" in along) return onPlane(ray, along.plane);
      const s = onLine(ray, handle.at, along.direction);
      return s === null ? null : add(handle.at, scale(along.direction, s));
    };
    const put = (draft: Draft<Shot>, to: Vec3 | null, pixel: Vec2 | null) => {
      const own = draft.set[part.id] as Part | undefined;
      if (to && own?.kind === part.kind) handle.put(own, to, pixel);
    };
    return [
      {
        key: `${part.id}.${handle.key}`,
        owner: part.id,
        at,
        edit: handle.edit,
        drag: (draft, pixel) => put(draft, target(pixel), sight.plate ? pixel : null),
        typed: {
          names: ways.names,
          read: (pixel) => {
            const to = target(pixel);
            return to && metresAlong(ways, handle.at, to);
          },
          put: (draft, metres) => put(draft, goneAlong(ways, handle.at, metres), null),
        },
      },
    ];
  });
}
