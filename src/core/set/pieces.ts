import type { Vec3 } from "../math/vec3.ts";
import type { SetPiece } from "../trace/scene.ts";
import type { Face } from "./face.ts";
import { faceArea, faceNormal, frontTriangles, triangulate } from "./face.ts";
import { allFaces, facesOf } from "./faces.ts";
import type { SetMaterial } from "./materials.ts";
import type { Part, SetRecord } from "./parts/index.ts";
import { kindOf } from "./parts/index.ts";
import type { Flags } from "./roles.ts";
import type { SetPart } from "./schema.ts";
import { flagsAt, materialAt } from "./surface.ts";

/** The set as the tracer takes it. */

export interface SetMesh {
  positions: Float32Array;
  indices: Uint32Array;
}

/** Triangles of faces in the world, for light, which minds no front. Corners are not shared, so that every face is flat. */
export const meshOf = (faces: readonly Face[]): SetMesh => meshBy(faces, triangulate);

/** Triangles of faces in the world, anticlockwise as seen from the front of each face. */
export const frontMesh = (faces: readonly Face[]): SetMesh => meshBy(faces, frontTriangles);

function meshBy(faces: readonly Face[], trianglesOf: (face: Face) => number[]): SetMesh {
  const positions: number[] = [];
  const indices: number[] = [];
  for (const face of faces) {
    const first = positions.length / 3;
    for (const ring of face.rings) for (const p of ring) positions.push(p[0], p[1], p[2]);
    for (const corner of trianglesOf(face)) indices.push(first + corner);
  }
  return { positions: new Float32Array(positions), indices: new Uint32Array(indices) };
}

/** Triangles of a part, as a file of it has them. */
export const partMesh = (set: SetRecord, id: string): SetMesh => frontMesh(facesOf(set, id));

/** Faces of one part that are alike. */
interface Alike {
  material: SetMaterial;
  flags: Flags;
  faces: Face[];
}

/** Faces of a part by what they are made of and what they are for. */
function alikeFaces(shot: Pick<SetPart, "set" | "materials">, part: Part): Alike[] {
  const groups: Alike[] = [];
  const byFlags = new Map<Flags, Map<SetMaterial, Alike>>();
  for (const face of facesOf(shot.set, part.id)) {
    const material = materialAt(shot, part, face.id);
    if (!material) continue;
    const flags = flagsAt(part, face.id);
    let byMaterial = byFlags.get(flags);
    if (!byMaterial) byFlags.set(flags, (byMaterial = new Map<SetMaterial, Alike>()));
    const group = byMaterial.get(material);
    if (group) {
      group.faces.push(face);
      continue;
    }
    const made = { material, flags, faces: [face] };
    byMaterial.set(material, made);
    groups.push(made);
  }
  return groups;
}

export function setPieces(shot: SetPart): SetPiece[] {
  return Object.values(shot.set).flatMap((part) => {
    if (part.muted) return [];
    return alikeFaces(shot, part).map(({ material, flags, faces }): SetPiece => ({
      ...meshOf(faces),
      flags,
      albedo: material.albedo.colour,
      specular: material.gloss,
      roughness: material.roughness,
      ownColour: material.shows === "colour",
      glow: material.glow,
      glowColour: material.glowColour,
    }));
  });
}

/** Level faces that one can stand on, in the order of the set. */
const levelFaces = (set: SetRecord): { part: string; height: number; area: number }[] =>
  [...allFaces(set)].flatMap(({ part, face }) => {
    const level = kindOf(part).floors?.(face.id) && Math.abs(faceNormal(face)[2]) > 0.999;
    return level ? [{ part: part.id, height: meanHeight(face.rings[0]), area: faceArea(face) }] : [];
  });

const meanHeight = (ring: readonly Vec3[]): number => ring.reduce((sum, p) => sum + p[2], 0) / ring.length;

/** Height of the ground: of the widest level face of the first part that has any, 0 without. */
export function groundHeight({ set }: Pick<SetPart, "set">): number {
  const [first, ...others] = levelFaces(set);
  if (!first) return 0;
  return others.reduce((wide, face) => (face.part === first.part && face.area > wide.area ? face : wide), first).height;
}

/** Height of the endless ground beyond the set, below all of it that is level. */
export function floorHeight({ set }: Pick<SetPart, "set">): number {
  const least = levelFaces(set).reduce((low, { height }) => Math.min(low, height), Infinity);
  return least === Infinity ? 0 : least;
}

/** Reflectance of the endless ground. */
export const groundAlbedo = ({ materials, ground }: Pick<SetPart, "materials" | "ground">): Vec3 =>
  materials[ground]?.albedo.colour ?? [0.25, 0.25, 0.25];
