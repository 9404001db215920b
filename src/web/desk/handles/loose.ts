import type { Vec2, Vec3 } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { groundPlane, pixelOnPlane, projectPoint } from "#core/optics/camera";
import type { Handle } from "./handle.ts";
import { moved } from "./handle.ts";

/** An edge tried elsewhere, and where pole, person and checker stand: kept by the desk, not by the shot. */
export interface Loose {
  trial: { axis: string; points: Vec2[] } | null;
  setTrial: (points: Vec2[]) => void;
  stand: Vec3 | null;
  setStand: (at: Vec3) => void;
}

/** Handles that move what is not part of the shot: no edit is made. */
export function looseHandles(camera: Camera | null, loose: Loose): Handle[] {
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
