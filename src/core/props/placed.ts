import type { Vec3 } from "../math/vec3.ts";
import { add, toRadians } from "../math/vec3.ts";
import type { PropArray } from "./array.ts";
import { arrayedModel, copyPlaces } from "./array.ts";
import { lookedModel, picturesOf } from "./looks.ts";
import { derivedOf, Made } from "./derived.ts";
import type { Model } from "./model.ts";
import { plainMaterial } from "./model.ts";
import { readModel } from "./reading.ts";
import type { Prop } from "./schema.ts";
import { shapeMesh } from "./shapes/index.ts";
import type { Placement } from "./transform.ts";
import { invertMatrix, placementMatrix } from "./transform.ts";

/** Where a shot's props stand, and what stands there. */

export function placementOf(prop: Pick<Prop, "placement">): Placement {
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

const shapes = new Made(200);
const STAND_IN = { colour: [0.42, 0.4, 0.38] as Vec3, roughness: 0.8 };

function ownModel({ source }: Prop, models: Map<string, Model>): Model | null {
  if (source.kind === "model") {
    const model = models.get(source.asset);
    return model ? readModel(model, source.reading) : null;
  }
  return shapes.of(JSON.stringify(source), () => {
    const standIn = source.kind === "standIn";
    const mesh = standIn ? shapeMesh({ kind: "box", size: source.size, bevel: 0 }) : shapeMesh(source.shape);
    const { colour, roughness } = standIn ? STAND_IN : source;
    const material = plainMaterial({
      name: standIn ? "stand-in" : source.shape.kind,
      baseColor: [...colour, 1],
      roughness,
      metallic: standIn ? 0 : source.metallic,
    });
    return { meshes: [mesh], materials: [material], textures: [] };
  });
}

/**
 * The prop's model as it stands in the scene: its file's or its shape, as it is read, looks, and is repeated. Null while
 * the file is not loaded. The same prop gives the same object.
 */
export function modelOf(prop: Prop, models: Map<string, Model>): Model | null {
  const single = singleModelOf(prop, models);
  if (!single || !prop.array) return single;
  const array: PropArray = prop.array;
  const forward = placementMatrix({ ...placementOf(prop), position: [0, 0, 0] });
  const key = `array ${JSON.stringify([array, forward])}`;
  return derivedOf(single).of(key, () => arrayedModel(single, copyPlaces(array), forward, invertMatrix(forward)));
}

/** The same without its copies. */
export function singleModelOf(prop: Prop, models: Map<string, Model>): Model | null {
  const model = ownModel(prop, models);
  if (!model || Object.keys(prop.looks).length === 0) return model;
  const pictures = (hash: string) => models.get(hash)?.textures[0];
  // A picture that is still on its way comes in with another key.
  const there = picturesOf(prop.looks).filter(pictures).length;
  const key = `looks ${there} ${JSON.stringify(prop.looks)}`;
  return derivedOf(model).of(key, () => lookedModel(model, prop.looks, pictures));
}
