import type { Draft } from "immer";
import { sunFromSighting } from "#core/light/sighting";
import { toDegrees } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { groundPlane, pixelOnPlane, projectPoint } from "#core/optics/camera";
import type { Shot } from "#core/shot/schema";
import type { Handle } from "./handle.ts";

/** Puts the sun where the sighting says, when it can be read. */
export function followSighting(draft: Draft<Shot> | Shot, camera: Camera): void {
  const { sighting } = draft.light;
  if (!sighting) return;
  const sun = sunFromSighting(camera, sighting);
  if (typeof sun === "string") return;
  draft.light.sun.azimuthDeg = toDegrees(sun.azimuth);
  draft.light.sun.elevationDeg = toDegrees(sun.elevation);
}

export function lightHandles(shot: Shot, camera: Camera): Handle[] {
  const handles: Handle[] = [];
  const { sighting, lit, shaded, shadows } = shot.light;
  if (sighting) {
    for (const key of ["foot", "top", "tip"] as const) {
      handles.push({
        key: `sighting.${key}`,
        owner: "sighting",
        at: sighting[key],
        edit: "Move sighting",
        drag: (draft, pixel) => {
          draft.light.sighting![key] = pixel;
          followSighting(draft, camera);
        },
      });
    }
  }
  for (const [key, probe] of [
    ["lit", lit],
    ["shaded", shaded],
  ] as const) {
    if (!probe) continue;
    handles.push({
      key,
      owner: key,
      at: probe.pixel,
      edit: "Move probe",
      drag: (draft, pixel) => (draft.light[key]!.pixel = pixel),
    });
    handles.push({
      key: `${key}.radius`,
      owner: key,
      at: [probe.pixel[0] + probe.radius, probe.pixel[1]],
      edit: "Widen probe",
      drag: (draft, pixel) =>
        (draft.light[key]!.radius = Math.max(2, Math.hypot(pixel[0] - probe.pixel[0], pixel[1] - probe.pixel[1]))),
    });
  }
  for (const region of Object.values(shadows)) {
    region.points.forEach((at, i) => {
      handles.push({
        key: `${region.id}.${i}`,
        owner: region.id,
        at,
        edit: "Move shaded region",
        drag: (draft, pixel) => (draft.light.shadows[region.id].points[i] = pixel),
      });
    });
  }
  for (const lamp of Object.values(shot.light.lamps)) {
    const at = projectPoint(camera, lamp.position);
    if (!at) continue;
    handles.push({
      key: `${lamp.id}.place`,
      owner: lamp.id,
      at,
      edit: `Move ${lamp.name}`,
      // It goes level, at its own height; above the eye's height that plane is seen from below.
      drag: (draft, pixel) => {
        const world = pixelOnPlane(camera, pixel, groundPlane(lamp.position[2]));
        if (world) draft.light.lamps[lamp.id].position = [world[0], world[1], lamp.position[2]];
      },
    });
  }
  return handles;
}
