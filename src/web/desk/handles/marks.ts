import type { Shot } from "#core/shot/schema";
import type { Handle } from "./handle.ts";
import { moved } from "./handle.ts";

/** Handles of the marks that the camera is solved from. */
export function markHandles(shot: Shot): Handle[] {
  const handles: Handle[] = [];
  for (const edge of Object.values(shot.edges)) {
    if (edge.locked) continue;
    edge.points.forEach((at, i) => {
      handles.push({
        key: `${edge.id}.${i}`,
        owner: edge.id,
        at,
        edit: "Move edge end",
        drag: (draft, pixel) => (draft.edges[edge.id].points[i] = pixel),
      });
    });
    edge.points.slice(1).forEach((to, i) => {
      handles.push({
        key: i === 0 ? edge.id : `${edge.id}-${i}`,
        owner: edge.id,
        at: edge.points[i],
        to,
        edit: "Move edge",
        drag: (draft, _pixel, d) => (draft.edges[edge.id].points = edge.points.map((p) => moved(p, d))),
      });
    });
  }
  for (const length of Object.values(shot.lengths)) {
    for (const end of ["from", "to"] as const) {
      handles.push({
        key: `${length.id}.${end}`,
        owner: length.id,
        at: length[end],
        edit: "Move length",
        drag: (draft, pixel) => (draft.lengths[length.id][end] = pixel),
      });
    }
  }
  for (const { id, pixel: at } of Object.values(shot.ties)) {
    handles.push({
      key: id,
      owner: id,
      at,
      edit: "Move tie point",
      drag: (draft, pixel) => (draft.ties[id].pixel = pixel),
    });
  }
  for (const { id, pixel: at } of Object.values(shot.horizon)) {
    handles.push({
      key: id,
      owner: id,
      at,
      edit: "Move horizon point",
      drag: (draft, pixel) => (draft.horizon[id].pixel = pixel),
    });
  }
  for (const gauge of Object.values(shot.gauges)) {
    gauge.points.forEach((at, i) => {
      handles.push({
        key: `${gauge.id}.${i}`,
        owner: gauge.id,
        at,
        edit: "Move gauge",
        drag: (draft, pixel) => (draft.gauges[gauge.id].points[i] = pixel),
      });
    });
  }
  if (shot.origin) {
    handles.push({
      key: "origin",
      owner: "origin",
      at: shot.origin,
      edit: "Move origin",
      drag: (draft, pixel) => (draft.origin = pixel),
    });
  }
  return handles;
}
