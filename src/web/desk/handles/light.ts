import type { Draft } from "immer";
import type { Slope } from "#core/light/level";
import { levelDirection } from "#core/light/level";
import type { Rose } from "#core/light/rose";
import { roseOf } from "#core/light/rose";
import { sunDirection } from "#core/light/rig";
import { sightingKind, sightingPixels } from "#core/light/sightings/index";
import { sunFromSightings } from "#core/light/sightings/solve";
import type { Vec2 } from "#core/math/vec3";
import { toDegrees } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { groundPlane, pixelDirection, pixelOnPlane, projectPoint } from "#core/optics/camera";
import { groundHeight } from "#core/set/pieces";
import type { Shot } from "#core/shot/schema";
import type { Handle } from "./handle.ts";

/** Puts the sun where the sightings say, when they can be read. */
export function followSighting(draft: Draft<Shot> | Shot, camera: Camera): void {
  const sun = sunFromSightings(camera, Object.values(draft.light.sightings), draft.set as Shot["set"]);
  if (!sun || typeof sun === "string") return;
  draft.light.sun.azimuthDeg = toDegrees(sun.azimuth);
  draft.light.sun.elevationDeg = toDegrees(sun.elevation);
}

/** Direction of a pixel against what is level, as an azimuth clockwise from +Y, degrees. */
function azimuthOf(camera: Camera, slope: Slope, pixel: Vec2): number {
  const [x, y] = levelDirection(slope, pixelDirection(camera, pixel));
  return toDegrees(Math.atan2(x, y));
}

/** Turns the surroundings so that what was under a pixel stays under the pointer; null where the sky is no picture. */
export function turnSkyHandle(shot: Shot, camera: Camera, from: Vec2): Handle | null {
  const { sky, slope } = shot.light;
  const { spread } = sky;
  if (spread.kind !== "picture") return null;
  const before = spread.turnDeg;
  const start = azimuthOf(camera, slope, from);
  return {
    key: "turn-sky",
    owner: "",
    at: from,
    edit: "Turn surroundings",
    drag: (draft, to) => {
      const own = draft.light.sky.spread;
      if (own.kind !== "picture") return;
      const turned = before + azimuthOf(camera, slope, to) - start;
      own.turnDeg = Number((((turned % 360) + 360) % 360).toFixed(2));
    },
  };
}

/** The compass rose of a shot that has an almanac; null where there is none. */
export const roseOfShot = ({ light, plates, ...shot }: Shot, camera: Camera): Rose | null =>
  light.almanac && roseOf(camera, plates.main, light.almanac.northDeg, groundHeight(shot));

/** What can be grabbed in the Light step; the rose where it is shown. */
export function lightHandles(shot: Shot, camera: Camera, showsRose: boolean): Handle[] {
  const handles: Handle[] = [];
  const { sightings, probes, shadows } = shot.light;
  for (const sighting of Object.values(sightings)) {
    for (const [key, at] of Object.entries(sightingPixels(sighting))) {
      handles.push({
        key: `${sighting.id}.${key}`,
        owner: sighting.id,
        at,
        edit: "Move sighting",
        drag: (draft, pixel) => {
          Object.assign(draft.light.sightings[sighting.id], { [key]: pixel });
          followSighting(draft, camera);
        },
      });
    }
  }
  for (const sighting of Object.values(sightings)) {
    const { id, kind } = sighting;
    const laid = sightingKind(kind).laid?.(sightingPixels(sighting), camera, shot.set, sunDirection(shot));
    if (!laid) continue;
    handles.push({
      key: `${id}.laid`,
      owner: id,
      at: laid.at,
      edit: "Lay the shadow over the plate's",
      drag: (draft, pixel) => {
        const marks = laid.drawnTo(pixel);
        if (!marks) return;
        Object.assign(draft.light.sightings[id], marks);
        followSighting(draft, camera);
      },
    });
  }
  for (const { id, pixel, radius } of Object.values(probes)) {
    handles.push({
      key: id,
      owner: id,
      at: pixel,
      edit: "Move probe",
      drag: (draft, to) => (draft.light.probes[id].pixel = to),
    });
    handles.push({
      key: `${id}.radius`,
      owner: id,
      at: [pixel[0] + radius, pixel[1]],
      edit: "Widen probe",
      drag: (draft, to) =>
        (draft.light.probes[id].radius = Math.max(2, Math.hypot(to[0] - pixel[0], to[1] - pixel[1]))),
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
  const rose = showsRose && roseOfShot(shot, camera);
  if (rose) {
    handles.push({
      key: "rose.north",
      owner: "",
      at: rose.tips[0],
      edit: "Turn the compass rose",
      drag: (draft, pixel) => {
        const north = rose.northAt(pixel);
        if (north !== null && draft.light.almanac) draft.light.almanac.northDeg = north;
      },
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
