import type { Vec3 } from "#core/math/vec3";
import { add, toDegrees } from "#core/math/vec3";
import type { Shot } from "#core/shot/schema";
import type { Sight } from "../sight.ts";
import { onLine, onPlane } from "../sight.ts";
import type { Handle } from "./handle.ts";

/** Handles of the props: foot, lift and turn. */
export function propHandles(shot: Shot, sight: Sight, heights: Map<string, number>): Handle[] {
  const handles: Handle[] = [];
  for (const prop of Object.values(shot.props)) {
    const { position, turnDeg } = prop.placement;
    const at = sight.project(position);
    if (!at) continue;
    handles.push({
      key: `${prop.id}.foot`,
      owner: prop.id,
      at,
      edit: `Move ${prop.name}`,
      drag: (draft, pixel) => {
        const world = onPlane(sight.ray(pixel), { normal: [0, 0, 1], offset: position[2] });
        if (world) draft.props[prop.id].placement.position = world;
      },
    });
    const top = sight.project(add(position, [0, 0, heights.get(prop.id) ?? 1]));
    if (top) {
      handles.push({
        key: `${prop.id}.lift`,
        owner: prop.id,
        at: top,
        edit: `Lift ${prop.name}`,
        drag: (draft, pixel) => {
          const height = onLine(sight.ray(pixel), position, [0, 0, 1]);
          if (height !== null)
            draft.props[prop.id].placement.position[2] = position[2] + height - (heights.get(prop.id) ?? 1);
        },
      });
    }
    const angle = (turnDeg * Math.PI) / 180;
    const arm: Vec3 = [Math.cos(angle), Math.sin(angle), 0];
    const hand = sight.project(add(position, arm));
    if (hand) {
      handles.push({
        key: `${prop.id}.turn`,
        owner: prop.id,
        at: hand,
        edit: `Turn ${prop.name}`,
        drag: (draft, pixel) => {
          const world = onPlane(sight.ray(pixel), { normal: [0, 0, 1], offset: position[2] });
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
