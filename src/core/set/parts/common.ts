import type { Vec3 } from "../../math/vec3.ts";
import { add, dot, normalize, scale, sub } from "../../math/vec3.ts";
import { ringPlane } from "../face.ts";
import type { SetVertex } from "../vertex.ts";
import { placedVertex } from "../vertex.ts";
import type { Drawn, PartHandle, Placed } from "./kind.ts";

/** What several kinds of parts share. */

export const worlds = (vertices: readonly SetVertex[]): Vec3[] => vertices.map((vertex) => vertex.world as Vec3);

/** Vertices of a ring that keep its plane. */
export function placedOnRing(vertices: SetVertex[]): Placed[] {
  const { normal } = ringPlane(worlds(vertices));
  return vertices.map((vertex) => ({ vertex, normal }));
}

/** Handles on the corners of a ring: each goes over its plane. */
export function cornerHandles<P>(
  vertices: readonly SetVertex[],
  of: (part: P) => SetVertex[],
  prefix = "",
): PartHandle<P>[] {
  const plane = ringPlane(worlds(vertices));
  return vertices.map((vertex, i) => ({
    key: `${prefix}${i}`,
    at: vertex.world,
    edit: "Move corner",
    along: { plane: { normal: plane.normal, offset: dot(plane.normal, vertex.world) } },
    put: (part, to, pixel) => {
      of(part)[i] = placedVertex(to, pixel);
    },
  }));
}

/** The point of a line through `from` nearest to a point, as metres along its unit direction. */
export const alongLine = (from: Vec3, direction: Vec3, to: Vec3): number => dot(sub(to, from), normalize(direction));

export const fromDrawn = ({ world, pixel }: Drawn): SetVertex => placedVertex(world, pixel);

/** A ring turned so that it is anticlockwise as seen from where its plane's normal points. */
export function facing(ring: SetVertex[], normal: Vec3): SetVertex[] {
  return dot(ringPlane(worlds(ring)).normal, normal) < 0 ? [...ring].reverse() : ring;
}

export const lifted = (p: Vec3, normal: Vec3, metres: number): Vec3 => add(p, scale(normal, metres));

/** A direction or its opposite, whichever does not point down. */
export const upwards = (direction: Vec3): Vec3 => (direction[2] < 0 ? scale(direction, -1) : direction);
