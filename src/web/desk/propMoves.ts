import type { Draft } from "immer";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { add, scale, sub } from "#core/math/vec3";
import { onGrid } from "#core/props/align";
import { leastAlong } from "#core/props/model";
import { placementOf, singleModelOf } from "#core/props/placed";
import type { Prop, StandsOn } from "#core/props/schema";
import { placementRotation } from "#core/props/transform";
import { faceNormal } from "#core/set/face";
import { groundHeight } from "#core/set/pieces";
import { pickAlong } from "#core/set/pick";
import { isSeen } from "#core/set/surface";
import { movesWith } from "#core/shot/references";
import type { Shot } from "#core/shot/schema";
import { formatLength } from "#core/units/length";
import { useDesk } from "../stores/desk.ts";
import { useModels } from "../stores/models.ts";
import type { Sight } from "./sight.ts";
import { onPlane } from "./sight.ts";
import type { View3d } from "./view3d.ts";

/** A place on what the pointer is over. */
export interface Surface {
  world: Vec3;
  normal: Vec3;
  on: StandsOn;
}

/** Farther than this the ground is not stood on, metres. */
const FAR = 500;

/** Moving props over whatever is under the pointer: faces of the set, other props, the ground. */
export function usePropMoves(view: { readonly value: View3d | null }) {
  const models = useModels();
  const desk = useDesk();

  /** What a pixel shows; props that are moved themselves are looked through. */
  function surfaceAt(shot: Shot, sight: Sight, pixel: Vec2, without: readonly string[] = []): Surface | null {
    const { from, direction } = sight.ray(pixel);
    const met = pickAlong(shot.set, from, direction, sight.plate ? isSeen : undefined);
    const prop = view.value?.meetsProp(from, direction, without) ?? null;
    const facing = (n: Vec3): Vec3 =>
      n[0] * direction[0] + n[1] * direction[1] + n[2] * direction[2] > 0 ? scale(n, -1) : n;
    if (prop && (!met || prop.distance < met.distance))
      return { world: prop.world, normal: facing(prop.normal), on: { on: "prop", prop: prop.id } };
    if (met)
      return {
        world: met.world,
        normal: facing(faceNormal(met.face)),
        on: { on: "face", part: met.part.id, face: met.face.id },
      };
    const ground = onPlane({ from, direction }, { normal: [0, 0, 1], offset: groundHeight(shot) });
    if (!ground || Math.hypot(...sub(ground, from)) > FAR) return null;
    return { world: ground, normal: [0, 0, 1], on: null };
  }

  /** Where a prop's foot is for it to touch a surface there without going through it. */
  function touching(prop: Prop, { world, normal }: Surface): Vec3 {
    const model = singleModelOf(prop, models.models);
    if (!model) return world;
    const { scale: size } = prop.placement;
    const m = placementRotation(placementOf(prop));
    const row = [0, 1, 2].map((k) => (normal[0] * m[0][k] + normal[1] * m[1][k] + normal[2] * m[2][k]) * size[k]);
    return add(world, scale(normal, -leastAlong(model, row)));
  }

  /** Moves a prop, with what moves with it, to a place and what it stands on there. */
  function moveTo(draft: Draft<Shot>, id: string, position: Vec3, on: StandsOn): void {
    const moved = sub(position, draft.props[id].placement.position as Vec3);
    for (const other of movesWith(draft as Shot, id, desk.beside(id))) {
      const { placement } = draft.props[other];
      placement.position = add(placement.position as Vec3, moved);
    }
    draft.props[id].stands = on;
  }

  /** The change that brings a prop to what is under a pixel; level at its own height with `level`. Null where nothing is. */
  function moveOver(
    shot: Shot,
    sight: Sight,
    id: string,
    pixel: Vec2,
    level: boolean,
  ): ((draft: Draft<Shot>) => void) | null {
    const prop = shot.props[id];
    if (level) {
      const at = onPlane(sight.ray(pixel), { normal: [0, 0, 1], offset: prop.placement.position[2] });
      return at && ((draft) => moveTo(draft, id, onGrid(at, desk.gridStep), null));
    }
    const surface = surfaceAt(shot, sight, pixel, movesWith(shot, id, desk.beside(id)));
    return surface && ((draft) => moveTo(draft, id, onGrid(touching(prop, surface), desk.gridStep), surface.on));
  }

  /** A place in words: its coordinates, and what it is on. */
  function words(shot: Shot, { world, on }: Surface): string {
    const name = on ? (on.on === "prop" ? shot.props[on.prop]?.name : shot.set[on.part]?.name) : "the ground";
    return `${world.map((x) => formatLength(x, shot.unit)).join(", ")} on ${name ?? "what is gone"}`;
  }

  return { surfaceAt, moveOver, words };
}
