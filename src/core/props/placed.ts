import { add, toRadians } from "../math/vec3.ts";
import type { Model } from "./model.ts";
import { primitiveModel } from "./primitives.ts";
import type { Prop } from "./schema.ts";
import type { Placement } from "./transform.ts";

/** Where a shot's props stand, and what stands there. */

export function placementOf(prop: Prop): Placement {
  const { position, turnDeg, leanDeg, scale: size } = prop.placement;
  return { position, turn: toRadians(turnDeg), lean: [toRadians(leanDeg[0]), toRadians(leanDeg[1])], scale: size };
}

/** Where the prop is when the shutter closes; undefined if it stands still. */
export function endOf(prop: Prop): Placement | undefined {
  if (!prop.motion) return undefined;
  const start = placementOf(prop);
  const { offset, turnDeg } = prop.motion;
  return { ...start, position: add(start.position, offset), turn: start.turn + toRadians(turnDeg) };
}

const primitives = new Map<string, Model>();

/** The prop's model: its file's, or its primitive. Null while the file is not loaded. The same prop gives the same object. */
export function modelOf(prop: Prop, models: Map<string, Model>): Model | null {
  const { source } = prop;
  if (source.kind === "model") return models.get(source.asset) ?? null;
  const key = JSON.stringify(source);
  let model = primitives.get(key);
  if (!model) {
    model = primitiveModel(source.kind, source.colour, source.roughness, source.metallic);
    if (primitives.size > 200) primitives.clear();
    primitives.set(key, model);
  }
  return model;
}
