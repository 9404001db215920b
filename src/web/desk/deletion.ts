import type { Draft } from "immer";
import { fallsWith, removeLamp, removePart, removeProp } from "#core/shot/references";
import type { Shot } from "#core/shot/schema";

/** Deletes the thing with this id; returns the edit's name, or null if there is none. */
export function deletion(shot: Shot, id: string): { name: string; change: (draft: Draft<Shot>) => void } | null {
  if (shot.edges[id]?.locked) return null;
  if (shot.edges[id]) return { name: "Delete edge", change: (d) => void delete d.edges[id] };
  if (shot.ties[id]) return { name: "Delete tie point", change: (d) => void delete d.ties[id] };
  if (shot.horizon[id]) return { name: "Delete horizon point", change: (d) => void delete d.horizon[id] };
  if (shot.gauges[id]) return { name: "Delete gauge", change: (d) => void delete d.gauges[id] };
  if (shot.measures[id]) return { name: "Delete measure", change: (d) => void delete d.measures[id] };
  if (shot.lengths[id]) return { name: "Delete length", change: (d) => void delete d.lengths[id] };
  if (id === "origin" && shot.origin) return { name: "Delete origin", change: (d) => (d.origin = null) };
  if (shot.set[id]) {
    const others = fallsWith(shot, id).length - 1;
    return {
      name: `Delete ${shot.set[id].name}${others > 0 ? ` and ${others} on it` : ""}`,
      change: (d) => removePart(d as Shot, id),
    };
  }
  if (shot.props[id]) return { name: `Delete ${shot.props[id].name}`, change: (d) => removeProp(d as Shot, id) };
  if (shot.light.sightings[id]) return { name: "Delete sighting", change: (d) => void delete d.light.sightings[id] };
  if (shot.light.probes[id]) return { name: "Delete probe", change: (d) => void delete d.light.probes[id] };
  if (shot.light.lamps[id])
    return {
      name: `Delete ${shot.light.lamps[id].name}`,
      change: (d) => removeLamp(d, id),
    };
  if (shot.light.shadows[id]) return { name: "Delete shaded region", change: (d) => void delete d.light.shadows[id] };
  return null;
}
