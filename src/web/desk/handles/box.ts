import type { Vec3 } from "#core/math/vec3";
import { add } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { groundPlane, pixelOnLine, pixelOnPlane, projectPoint } from "#core/optics/camera";
import type { Shot } from "#core/shot/schema";
import type { Handle } from "./handle.ts";

/** The test box: its near corner slides over the ground, its far ends along their axes. */
export function boxHandles(shot: Shot, camera: Camera): Handle[] {
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
