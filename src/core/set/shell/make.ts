import type { Vec3 } from "../../math/vec3.ts";
import { distance } from "../../math/vec3.ts";
import type { Face } from "../face.ts";
import type { Shell } from "../parts/shell.ts";
import type { SetVertex } from "../vertex.ts";
import { typedVertex } from "../vertex.ts";

/** What the operations of a shell work on: its corners and faces, and the number of the next new one. */
export type Body = Pick<Shell, "vertices" | "faces" | "next">;

/** An operation's answer: the new body, or a sentence that says why it cannot be done. */
export type Outcome<T = object> = ({ body: Body } & T) | string;

/** Corners nearer to each other than this are one, metres. */
const WELD = 1e-6;

/** A body that can be changed in place: its corners are replaced, never changed. */
export const copyOf = ({ vertices, faces, next }: Body): Body => ({
  vertices: { ...vertices },
  faces: Object.fromEntries(
    Object.entries(faces).map(([id, { rings }]) => [id, { rings: rings.map((ring) => [...ring]) }]),
  ),
  next,
});

/** Adds a corner to a body in place; returns its id. */
export function addVertex(body: Body, world: Vec3, vertex?: SetVertex): string {
  const id = `v${body.next++}`;
  body.vertices[id] = vertex ?? typedVertex(world);
  return id;
}

/** Adds a face to a body in place; returns its id. */
export function addFace(body: Body, rings: string[][]): string {
  const id = `f${body.next++}`;
  body.faces[id] = { rings };
  return id;
}

export const worldOf = (body: Body, id: string): Vec3 => body.vertices[id].world as Vec3;

export const faceOf = (body: Body, id: string): Face => ({
  id,
  rings: body.faces[id].rings.map((ring) => ring.map((at) => worldOf(body, at))),
});

/** Faces as a body of shared corners. Faces keep their ids; corners that were placed on the plate go on following it. */
export function bodyOf(faces: readonly Face[], placed: readonly SetVertex[] = []): Body {
  const body: Body = { vertices: {}, faces: {}, next: 1 };
  const cells = new Map<string, string[]>();
  const cell = (p: Vec3, dx = 0, dy = 0, dz = 0) =>
    [Math.round(p[0] / WELD / 4) + dx, Math.round(p[1] / WELD / 4) + dy, Math.round(p[2] / WELD / 4) + dz].join();
  const weld = (p: Vec3): string => {
    for (const dx of [-1, 0, 1])
      for (const dy of [-1, 0, 1])
        for (const dz of [-1, 0, 1])
          for (const id of cells.get(cell(p, dx, dy, dz)) ?? []) if (distance(worldOf(body, id), p) < WELD) return id;
    const known = placed.find((vertex) => distance(vertex.world as Vec3, p) < WELD);
    const id = addVertex(body, [...p], known && { ...known });
    const key = cell(p);
    cells.set(key, [...(cells.get(key) ?? []), id]);
    return id;
  };
  for (const face of faces) {
    const rings = face.rings.map((ring) => ring.map(weld).filter((id, i, all) => id !== all[(i + 1) % all.length]));
    if (rings[0].length >= 3) body.faces[face.id] = { rings: rings.filter((ring) => ring.length >= 3) };
  }
  return body;
}

/** Removes corners that no face uses. */
export function dropLoose(body: Body): void {
  const used = new Set(Object.values(body.faces).flatMap((face) => face.rings.flat()));
  for (const id of Object.keys(body.vertices)) if (!used.has(id)) delete body.vertices[id];
}
