import type { Draft } from "immer";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { add, toDegrees } from "#core/math/vec3";
import type { Shot } from "#core/shot/schema";
import type { Sight } from "../sight.ts";
import { onLine, onPlane } from "../sight.ts";
import type { Handle } from "./handle.ts";

/** How a prop goes over what is under a pixel. */
export type MoveOver = (id: string, pixel: Vec2) => ((draft: Draft<Shot>) => void) | null;

/** What dragging the handles of props does. */
export interface PropHands {
  over: MoveOver;
  /** Turns a prop, with what moves with it, by degrees about its pivot or foot. */
  turn: (draft: Draft<Shot>, id: string, deg: number) => void;
  pivot: { prop: string; at: Vec3 } | null;
}

/** Handles of the props that are not locked: foot, lift and turn. */
export function propHandles(
  shot: Shot,
  sight: Sight,
  heights: Map<string, number>,
  { over, turn, pivot }: PropHands,
): Handle[] {
  const handles: Handle[] = [];
  for (const prop of Object.values(shot.props)) {
    if (prop.locked || prop.hidden) continue;
    const { position, turnDeg } = prop.placement;
    const at = sight.project(position);
    if (!at) continue;
    handles.push({
      key: `${prop.id}.foot`,
      owner: prop.id,
      at,
      edit: `Move ${prop.name}`,
      drag: (draft, pixel) => over(prop.id, pixel)?.(draft),
      settles: prop.id,
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
          if (height === null) return;
          draft.props[prop.id].placement.position[2] = position[2] + height - (heights.get(prop.id) ?? 1);
          draft.props[prop.id].stands = null;
        },
      });
    }
    const angle = (turnDeg * Math.PI) / 180;
    const arm: Vec3 = [Math.cos(angle), Math.sin(angle), 0];
    const about: Vec3 = pivot?.prop === prop.id ? [pivot.at[0], pivot.at[1], position[2]] : position;
    const hand = sight.project(add(about, arm));
    if (hand) {
      handles.push({
        key: `${prop.id}.turn`,
        owner: prop.id,
        at: hand,
        edit: `Turn ${prop.name}`,
        drag: (draft, pixel) => {
          const world = onPlane(sight.ray(pixel), { normal: [0, 0, 1], offset: position[2] });
          if (world) turn(draft, prop.id, toDegrees(Math.atan2(world[1] - about[1], world[0] - about[0])) - turnDeg);
        },
      });
    }
  }
  return handles;
}
