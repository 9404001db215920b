import type { Vec3 } from "../math/vec3.ts";
import type { SetPiece } from "../trace/scene.ts";
import type { Face } from "./face.ts";
import { faceNormal, triangulate } from "./face.ts";
import { allFaces, facesOf } from "./faces.ts";
import type { SetMaterial } from "./materials.ts";
import type { Part, SetRecord } from "./parts/index.ts";
import type { SetPart } from "./schema.ts";

/** The set as the tracer takes it. */

export interface SetMesh {
  positions: Float32Array;
  indices: Uint32Array;
}

/** Triangles of faces in the world. Corners are not shared, so that every face is flat. */
export function meshOf(faces: readonly Face[]): SetMesh {
  const positions: number[] = [];
  const indices: number[] = [];
  for (const face of faces) {
    const first = positions.length / 3;
    for (const ring of face.rings) for (const p of ring) positions.push(p[0], p[1], p[2]);
    for (const corner of triangulate(face)) indices.push(first + corner);
  }
  return { positions: new Float32Array(positions), indices: new Uint32Array(indices) };
}

/** Triangles of a part. */
export const partMesh = (set: SetRecord, id: string): SetMesh => meshOf(facesOf(set, id));

/** Faces of a part by what they are made of; a copy in a row is made of what its member's face is. */
export function facesByMaterial(
  { set, materials }: Pick<SetPart, "set" | "materials">,
  part: Part,
): Map<SetMaterial, Face[]> {
  const groups = new Map<SetMaterial, Face[]>();
  for (const face of facesOf(set, part.id)) {
    const material = materials[part.faceMaterials[face.id] ?? part.material];
    if (!material) continue;
    const group = groups.get(material);
    if (group) group.push(face);
    else groups.set(material, [face]);
  }
  return groups;
}

export function setPieces(shot: SetPart): SetPiece[] {
  return Object.values(shot.set).flatMap((part) => {
    if (part.muted) return [];
    return [...facesByMaterial(shot, part)].map(([material, faces]): SetPiece => ({
      ...meshOf(faces),
      flags: part.flags,
      albedo: material.albedo.colour,
      specular: material.gloss,
      roughness: material.roughness,
      ownColour: material.shows === "colour",
      glow: material.glow,
      glowColour: material.glowColour,
    }));
  });
}

/** Heights of the level faces that look up, by part, in the order of the set. */
const levelFaces = (set: SetRecord): number[] =>
  [...allFaces(set)].flatMap(({ part, face }) => {
    const level = (part.kind === "polygon" || part.kind === "room") && Math.abs(faceNormal(face)[2]) > 0.999;
    return level && face.id !== "ceiling" ? [meanHeight(face.rings[0])] : [];
  });

const meanHeight = (ring: readonly Vec3[]): number => ring.reduce((sum, p) => sum + p[2], 0) / ring.length;

/** Height of the ground: of the first level polygon or floor, 0 without any. */
export const groundHeight = ({ set }: Pick<SetPart, "set">): number => levelFaces(set)[0] ?? 0;

/** Height of the endless ground beyond the set, below all of it that is level. */
export const floorHeight = ({ set }: Pick<SetPart, "set">): number =>
  Math.min(...levelFaces(set), Infinity) === Infinity ? 0 : Math.min(...levelFaces(set));

/** Reflectance of the endless ground. */
export const groundAlbedo = ({ materials, ground }: Pick<SetPart, "materials" | "ground">): Vec3 =>
  materials[ground]?.albedo.colour ?? [0.25, 0.25, 0.25];
