import type { Vec3 } from "../math/vec3.ts";
import { add, toRadians } from "../math/vec3.ts";
import type { PropArray } from "./array.ts";
import { arrayedModel, copyPlaces } from "./array.ts";
import { lookedModel, picturesOf } from "./looks.ts";
import type { Mesh, Model } from "./model.ts";
import { COPY_FLOATS, plainMaterial } from "./model.ts";
import type { Prop, Reading } from "./schema.ts";
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

/** Models that were made of others, so that the same prop gives the same object; oldest forgotten first. */
class Made {
  private readonly known = new Map<string, Model>();
  constructor(private readonly most: number) {}
  of(key: string, make: () => Model): Model {
    let model = this.known.get(key);
    if (!model) {
      model = make();
      if (this.known.size >= this.most) this.known.delete(this.known.keys().next().value!);
    } else this.known.delete(key);
    this.known.set(key, model);
    return model;
  }
}

const shapes = new Made(200);
const derived = new WeakMap<Model, Made>();

const derivedOf = (model: Model): Made => {
  let made = derived.get(model);
  if (!made) derived.set(model, (made = new Made(24)));
  return made;
};

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

/** Rows of the turn that brings an axis of a file up. */
const UPRIGHT: Record<Reading["up"], number[]> = {
  z: [1, 0, 0, 0, 1, 0, 0, 0, 1],
  y: [1, 0, 0, 0, 0, -1, 0, 1, 0],
  x: [0, 0, -1, 0, 1, 0, 1, 0, 0],
};

/** The extent of a model that has this extent in its file, as it is read; metres. */
export const readSize = (size: readonly number[], { unit, up }: Reading): Vec3 =>
  [0, 3, 6].map((r) => Math.abs([0, 1, 2].reduce((sum, k) => sum + UPRIGHT[up][r + k] * size[k], 0)) * unit) as Vec3;

/** A model as its file is read: so many metres a unit, and that axis up. */
export function readModel(model: Model, { unit, up }: Reading): Model {
  if (unit === 1 && up === "z") return model;
  const m = UPRIGHT[up];
  const turned = (list: Float32Array, by: number) => {
    const out = new Float32Array(list.length);
    for (let i = 0; i < list.length; i += 3)
      for (let k = 0; k < 3; k++)
        out[i + k] = by * (m[k * 3] * list[i] + m[k * 3 + 1] * list[i + 1] + m[k * 3 + 2] * list[i + 2]);
    return out;
  };
  return derivedOf(model).of(`read ${unit} ${up}`, () => ({
    ...model,
    meshes: model.meshes.map((mesh): Mesh => {
      if (!mesh.copies) return { ...mesh, positions: turned(mesh.positions, unit), normals: turned(mesh.normals, 1) };
      // Copies keep their own coordinates: only where they stand is turned and scaled.
      const copies = new Float32Array(mesh.copies.length);
      for (let at = 0; at < copies.length; at += COPY_FLOATS)
        for (let row = 0; row < 3; row++)
          for (let k = 0; k < 4; k++)
            copies[at + row * 4 + k] =
              unit * [0, 1, 2].reduce((sum, j) => sum + m[row * 3 + j] * mesh.copies![at + j * 4 + k], 0);
      return { ...mesh, copies };
    }),
  }));
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
