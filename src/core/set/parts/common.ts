import type { Vec3 } from "../../math/vec3.ts";
import { add, cross, dot, mix, normalize, scale, sub } from "../../math/vec3.ts";
import { ringPlane } from "../face.ts";
import type { SetVertex } from "../vertex.ts";
import { placedVertex, typedVertex } from "../vertex.ts";
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

/** Handles in the middle of a ring's sides: each takes its side with it, square to it, and typed from then on. */
export function sideHandles<P>(
  vertices: readonly SetVertex[],
  of: (part: P) => SetVertex[],
  edit: string,
): PartHandle<P>[] {
  const { normal } = ringPlane(worlds(vertices));
  return vertices.map((vertex, i) => {
    const j = (i + 1) % vertices.length;
    const [a, b] = [vertex.world as Vec3, vertices[j].world as Vec3];
    const at = mix(a, b, 0.5);
    const direction = normalize(cross(normal, sub(b, a)));
    return {
      key: `side-${i}`,
      at,
      edit,
      along: { direction },
      put: (part, to) => {
        const gone = scale(direction, alongLine(at, direction, to));
        of(part)[i] = typedVertex(add(a, gone));
        of(part)[j] = typedVertex(add(b, gone));
      },
    };
  });
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
