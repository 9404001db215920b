import type { LightPart } from "../../light/schema.ts";
import { lampsOf, sunOf } from "../../light/rig.ts";
import type { Vec3 } from "../../math/vec3.ts";
import { cross, normalize, scale } from "../../math/vec3.ts";
import type { MatchPart } from "../../match/schema.ts";
import type { Camera, Frame } from "../../optics/camera.ts";
import type { PlatePart } from "../../plate/schema.ts";
import { shotFrame } from "../../plate/schema.ts";
import type { Model } from "../../props/model.ts";
import { COPY_FLOATS, copyCount } from "../../props/model.ts";
import { modelOf, placementOf } from "../../props/placed.ts";
import type { PropsPart } from "../../props/schema.ts";
import { placementMatrix } from "../../props/transform.ts";
import { partMesh } from "../../set/pieces.ts";
import type { SetPart } from "../../set/schema.ts";
import type { Lamp, Sun } from "../../trace/scene.ts";

/** A shot's camera, set, props and lights as the writers of 3D files take them: metres, Z up. */
export interface SceneFile {
  name: string;
  camera: Camera;
  frame: Frame;
  set: SetThing[];
  props: PropThing[];
  sun: Sun | null;
  lamps: Lamp[];
}

/** A part of the set in the world. */
export interface SetThing {
  name: string;
  positions: Float32Array;
  indices: Uint32Array;
  albedo: Vec3;
}

/** A prop: its model, and where that stands, once or several times, as 3 × 4 matrices row by row. */
export interface PropThing {
  name: string;
  model: Model;
  place: number[];
}

export type SceneShot = PlatePart & Pick<MatchPart, "solved"> & SetPart & PropsPart & LightPart & { name: string };

/** Throws where the shot has no camera. Hidden props are left out. */
export function sceneFileOf(shot: SceneShot, models: Map<string, Model>): SceneFile {
  const camera = shot.solved?.camera;
  if (!camera) throw new Error("The shot has no camera yet. Mark edges until it is solved.");
  const set = Object.values(shot.set).map((part): SetThing => {
    const { positions, indices } = partMesh(shot.set, part.id);
    const albedo = (shot.materials[part.material]?.albedo.colour ?? [0.3, 0.3, 0.3]) as Vec3;
    return { name: part.name || part.id, positions, indices, albedo };
  });
  const props = Object.values(shot.props).flatMap((prop): PropThing[] => {
    const model = prop.hidden ? null : modelOf(prop, models);
    return model ? [{ name: prop.name || prop.id, model, place: placementMatrix(placementOf(prop)) }] : [];
  });
  return {
    name: shot.name,
    camera,
    frame: shotFrame(shot),
    set: set.filter(({ indices }) => indices.length > 0),
    props,
    sun: sunOf(shot),
    lamps: lampsOf(shot),
  };
}

/** Camera to world: columns right, up and backwards, as most 3D programs take a camera; 4 × 4, column by column. */
export function cameraMatrix({ rotation: [right, down, forward], position }: Camera): number[] {
  return [...right, 0, ...down.map((v) => -v), 0, ...forward.map((v) => -v), 0, ...position, 1];
}

/** 3 × 4 row by row as 4 × 4 column by column. */
export const columnsOf = (m: readonly number[]): number[] =>
  [0, 1, 2, 3].flatMap((c) => [m[c], m[4 + c], m[8 + c], c === 3 ? 1 : 0]);

/** Matrices of a mesh's copies, 3 × 4 row by row; null for a mesh that stands once as it is. */
export const copiesOf = (mesh: Model["meshes"][number]): number[][] | null =>
  mesh.copies
    ? Array.from({ length: copyCount(mesh) }, (_, i) => [
        ...mesh.copies!.subarray(i * COPY_FLOATS, (i + 1) * COPY_FLOATS),
      ])
    : null;

/** A name that most programs take, and that no other has. */
export function uniqueNames(): (name: string) => string {
  const used = new Set<string>();
  return (name) => {
    const plain = name
      .normalize("NFKD")
      .replace(/[^A-Za-z0-9]+/g, "_")
      .replace(/^(\d)/, "_$1")
      .replace(/^_+$|^$/, "thing");
    let own = plain;
    for (let n = 2; used.has(own); n++) own = `${plain}_${n}`;
    used.add(own);
    return own;
  };
}

/**
 * The frame around the principal point that holds the plate's: pinhole cameras of files without a shift of the lens look
 * through its middle, and the plate is a crop of it.
 */
export function centredFrame({ principal: [x, y] }: Camera, { width, height }: Frame) {
  const [halfWidth, halfHeight] = [Math.max(x, width - x), Math.max(y, height - y)];
  return {
    width: 2 * halfWidth,
    height: 2 * halfHeight,
    /** Where the plate's top left corner lies in it. */
    crop: { x: halfWidth - x, y: halfHeight - y, width, height },
  };
}

/** Columns of a node whose -Z looks along a direction, 4 × 4. */
export function lookingAlong(direction: Vec3, position: Vec3): number[] {
  const back = scale(direction, -1);
  const right = normalize(cross(Math.abs(back[2]) < 0.99 ? [0, 0, 1] : [0, 1, 0], back));
  return [...right, 0, ...cross(back, right), 0, ...back, 0, ...position, 1];
}
