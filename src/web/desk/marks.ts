import type { Draft } from "immer";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { sunFromSighting } from "#core/light/sighting";
import { add, toDegrees } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { groundPlane, pixelOnLine, pixelOnPlane, projectPoint } from "#core/optics/camera";
import { wallCorners } from "#core/set/surfaces";
import type { Shot } from "#core/shot/schema";
import type { StepName } from "../stores/desk.ts";

/** Something on the plate that can be grabbed: a point, or a whole segment. */
export interface Handle {
  key: string;
  /** The thing it belongs to, for selection. */
  owner: string;
  at: Vec2;
  /** Second end of a segment. */
  to?: Vec2;
  /** Name of the edit that a drag makes. */
  edit: string;
  drag: (draft: Draft<Shot>, pixel: Vec2, delta: Vec2) => void;
}

const moved = (p: Vec2, d: Vec2): Vec2 => [p[0] + d[0], p[1] + d[1]];

/** An edge tried elsewhere, and where pole, person and checker stand: kept by the desk, not by the shot. */
export interface Loose {
  trial: { axis: string; points: Vec2[] } | null;
  setTrial: (points: Vec2[]) => void;
  stand: Vec3 | null;
  setStand: (at: Vec3) => void;
}

function cameraHandles(shot: Shot): Handle[] {
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

/** Handles that move what is not part of the shot: no edit is made. */
function looseHandles(camera: Camera | null, loose: Loose): Handle[] {
  const handles: Handle[] = [];
  const { trial, stand } = loose;
  if (trial) {
    trial.points.forEach((at, i) => {
      handles.push({
        key: `trial.${i}`,
        owner: "trial",
        at,
        edit: "",
        drag: (_draft, pixel) => loose.setTrial(trial.points.map((p, k) => (k === i ? pixel : p))),
      });
    });
    handles.push({
      key: "trial",
      owner: "trial",
      at: trial.points[0],
      to: trial.points[trial.points.length - 1],
      edit: "",
      drag: (_draft, _pixel, d) => loose.setTrial(trial.points.map((p) => moved(p, d))),
    });
  }
  const foot = camera && stand && projectPoint(camera, stand);
  if (foot) {
    handles.push({
      key: "stand",
      owner: "stand",
      at: foot,
      edit: "",
      drag: (_draft, pixel) => {
        const world = pixelOnPlane(camera, pixel, groundPlane());
        if (world) loose.setStand(world);
      },
    });
  }
  return handles;
}

/** The test box: its near corner slides over the ground, its far ends along their axes. */
function boxHandles(shot: Shot, camera: Camera): Handle[] {
  const { position, size } = shot.box;
  const handles: Handle[] = [];
  const corner = projectPoint(camera, position);
  if (corner) {
    handles.push({
      key: "box.foot",
      owner: "box",
      at: corner,
      edit: "Move test box",
      drag: (draft, pixel) => {
        const world = pixelOnPlane(camera, pixel, groundPlane(position[2]));
        if (world) draft.box.position = world;
      },
    });
  }
  for (const k of [0, 1, 2]) {
    const axis: Vec3 = [0, 0, 0];
    axis[k] = 1;
    const end = add(position, [axis[0] * size[0], axis[1] * size[1], axis[2] * size[2]]);
    const at = projectPoint(camera, end);
    if (!at) continue;
    handles.push({
      key: `box.${k}`,
      owner: "box",
      at,
      edit: "Slide test box",
      drag: (draft, pixel) => {
        const s = pixelOnLine(camera, pixel, end, axis);
        if (s !== null) draft.box.position[k] = position[k] + s;
      },
    });
  }
  return handles;
}

function setHandles(shot: Shot, camera: Camera): Handle[] {
  const handles: Handle[] = [];
  for (const surface of Object.values(shot.set)) {
    const id = surface.id;
    if (surface.kind === "ground") {
      surface.vertices.forEach((vertex, i) => {
        const at = projectPoint(camera, vertex.world);
        if (!at) return;
        handles.push({
          key: `${id}.${i}`,
          owner: id,
          at,
          edit: "Move corner",
          drag: (draft, pixel) => {
            const world = pixelOnPlane(camera, pixel, groundPlane(vertex.world[2]));
            const target = draft.set[id];
            if (world && target.kind === "ground") target.vertices[i] = { pixel, world };
          },
        });
      });
      if (surface.height > 0) {
        const foot = surface.vertices[0].world;
        const at = projectPoint(camera, [foot[0], foot[1], foot[2] + surface.height]);
        if (at) handles.push({ key: `${id}.top`, owner: id, at, edit: "Raise block", drag: raise(camera, id, foot) });
      }
    } else if (surface.kind === "wall") {
      const corners = wallCorners(shot.set, surface);
      if (!corners) continue;
      for (const i of [2, 3]) {
        const foot = corners[i === 2 ? 1 : 0];
        const at = projectPoint(camera, corners[i]);
        if (at) handles.push({ key: `${id}.${i}`, owner: id, at, edit: "Raise wall", drag: raise(camera, id, foot) });
      }
    } else {
      const { foot, radius, height } = surface;
      const at = projectPoint(camera, foot.world);
      if (at) {
        handles.push({
          key: `${id}.foot`,
          owner: id,
          at,
          edit: "Move post",
          drag: (draft, pixel) => {
            const world = pixelOnPlane(camera, pixel, groundPlane(foot.world[2]));
            const target = draft.set[id];
            if (world && target.kind === "post") target.foot = { pixel, world };
          },
        });
      }
      const top = projectPoint(camera, add(foot.world, [0, 0, height]));
      if (top)
        handles.push({ key: `${id}.top`, owner: id, at: top, edit: "Raise post", drag: raise(camera, id, foot.world) });
      const side = sideways(camera);
      const rim = projectPoint(camera, add(foot.world, [side[0] * radius, side[1] * radius, 0]));
      if (rim) {
        handles.push({
          key: `${id}.rim`,
          owner: id,
          at: rim,
          edit: "Widen post",
          drag: (draft, pixel) => {
            const s = pixelOnLine(camera, pixel, foot.world, side);
            const target = draft.set[id];
            if (s !== null && Math.abs(s) > 0.005 && target.kind === "post") target.radius = Math.abs(s);
          },
        });
      }
    }
  }
  return handles;
}

/** Horizontal direction across the view. */
export const sideways = (camera: Camera): Vec3 => {
  const [x, y] = camera.rotation[0];
  const l = Math.hypot(x, y) || 1;
  return [x / l, y / l, 0];
};

const raise =
  (camera: Camera, id: string, foot: Vec3) =>
  (draft: Draft<Shot>, pixel: Vec2): void => {
    const height = pixelOnLine(camera, pixel, foot, [0, 0, 1]);
    const target = draft.set[id];
    if (height !== null && height > 0.01) target.height = height;
  };

function propHandles(shot: Shot, camera: Camera, heights: Map<string, number>): Handle[] {
  const handles: Handle[] = [];
  for (const prop of Object.values(shot.props)) {
    const { position, turnDeg } = prop.placement;
    const at = projectPoint(camera, position);
    if (!at) continue;
    handles.push({
      key: `${prop.id}.foot`,
      owner: prop.id,
      at,
      edit: `Move ${prop.name}`,
      drag: (draft, pixel) => {
        const world = pixelOnPlane(camera, pixel, groundPlane(position[2]));
        if (world) draft.props[prop.id].placement.position = world;
      },
    });
    const top = projectPoint(camera, add(position, [0, 0, heights.get(prop.id) ?? 1]));
    if (top) {
      handles.push({
        key: `${prop.id}.lift`,
        owner: prop.id,
        at: top,
        edit: `Lift ${prop.name}`,
        drag: (draft, pixel) => {
          const height = pixelOnLine(camera, pixel, position, [0, 0, 1]);
          if (height !== null)
            draft.props[prop.id].placement.position[2] = position[2] + height - (heights.get(prop.id) ?? 1);
        },
      });
    }
    const angle = (turnDeg * Math.PI) / 180;
    const arm: Vec3 = [Math.cos(angle), Math.sin(angle), 0];
    const hand = projectPoint(camera, add(position, arm));
    if (hand) {
      handles.push({
        key: `${prop.id}.turn`,
        owner: prop.id,
        at: hand,
        edit: `Turn ${prop.name}`,
        drag: (draft, pixel) => {
          const world = pixelOnPlane(camera, pixel, groundPlane(position[2]));
          if (world)
            draft.props[prop.id].placement.turnDeg = toDegrees(
              Math.atan2(world[1] - position[1], world[0] - position[0]),
            );
        },
      });
    }
  }
  return handles;
}

/** Puts the sun where the sighting says, when it can be read. */
export function followSighting(draft: Draft<Shot> | Shot, camera: Camera): void {
  const { sighting } = draft.light;
  if (!sighting) return;
  const sun = sunFromSighting(camera, sighting);
  if (typeof sun === "string") return;
  draft.light.sun.azimuthDeg = toDegrees(sun.azimuth);
  draft.light.sun.elevationDeg = toDegrees(sun.elevation);
}

function lightHandles(shot: Shot, camera: Camera): Handle[] {
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

/** All handles of a step; `box` with the test box, `heights` are the props' own. */
export function handlesOf(
  step: StepName,
  shot: Shot,
  camera: Camera | null,
  box: boolean,
  heights: Map<string, number>,
  loose: Loose,
): Handle[] {
  if (step === "camera") {
    return [...looseHandles(camera, loose), ...cameraHandles(shot), ...(box && camera ? boxHandles(shot, camera) : [])];
  }
  if (!camera) return [];
  if (step === "set") return setHandles(shot, camera);
  if (step === "props") return propHandles(shot, camera, heights);
  if (step === "light") return lightHandles(shot, camera);
  return [];
}

/** The handle under a plate pixel within `reach` plate pixels; points win over segments. */
export function handleAt(handles: Handle[], pixel: Vec2, reach: number): Handle | null {
  let best: Handle | null = null;
  let nearest = reach;
  for (const h of handles) {
    if (h.to) continue;
    const d = Math.hypot(h.at[0] - pixel[0], h.at[1] - pixel[1]);
    if (d < nearest) {
      nearest = d;
      best = h;
    }
  }
  if (best) return best;
  nearest = reach * 0.7;
  for (const h of handles) {
    if (!h.to) continue;
    const [dx, dy] = [h.to[0] - h.at[0], h.to[1] - h.at[1]];
    const t = Math.min(
      1,
      Math.max(0, ((pixel[0] - h.at[0]) * dx + (pixel[1] - h.at[1]) * dy) / (dx * dx + dy * dy || 1)),
    );
    const d = Math.hypot(pixel[0] - h.at[0] - t * dx, pixel[1] - h.at[1] - t * dy);
    if (d < nearest) {
      nearest = d;
      best = h;
    }
  }
  return best;
}

/** Deletes the thing with this id; returns the edit's name, or null if there is none. */
export function deletion(shot: Shot, id: string): { name: string; change: (draft: Draft<Shot>) => void } | null {
  if (shot.edges[id]?.locked) return null;
  if (shot.edges[id]) return { name: "Delete edge", change: (d) => void delete d.edges[id] };
  if (shot.ties[id]) return { name: "Delete tie point", change: (d) => void delete d.ties[id] };
  if (shot.horizon[id]) return { name: "Delete horizon point", change: (d) => void delete d.horizon[id] };
  if (shot.gauges[id]) return { name: "Delete gauge", change: (d) => void delete d.gauges[id] };
  if (shot.lengths[id]) return { name: "Delete length", change: (d) => void delete d.lengths[id] };
  if (id === "origin" && shot.origin) return { name: "Delete origin", change: (d) => (d.origin = null) };
  if (shot.set[id]) {
    return {
      name: `Delete ${shot.set[id].name}`,
      change: (d) => {
        delete d.set[id];
        // Walls go with the ground they stand on.
        for (const s of Object.values(d.set)) if (s.kind === "wall" && s.on === id) delete d.set[s.id];
      },
    };
  }
  if (shot.props[id]) return { name: `Delete ${shot.props[id].name}`, change: (d) => void delete d.props[id] };
  if (id === "sighting") return { name: "Delete sighting", change: (d) => (d.light.sighting = null) };
  if (id === "lit" || id === "shaded") return { name: "Delete probe", change: (d) => (d.light[id] = null) };
  if (shot.light.lamps[id])
    return { name: `Delete ${shot.light.lamps[id].name}`, change: (d) => void delete d.light.lamps[id] };
  if (shot.light.shadows[id]) return { name: "Delete shaded region", change: (d) => void delete d.light.shadows[id] };
  return null;
}

/** A new id like "edge-7" that no thing of the record has. */
export function freshId(kind: string, record: Record<string, unknown>): string {
  for (let i = 1; ; i++) if (!(`${kind}-${i}` in record)) return `${kind}-${i}`;
}
