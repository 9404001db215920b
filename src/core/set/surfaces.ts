import earcut from "earcut";
import type { Vec3 } from "../math/vec3.ts";
import { distance, sub } from "../math/vec3.ts";
import type { GroundSurface, SetSurfaces, Surface } from "./schema.ts";

export interface SurfaceMesh {
  positions: Float32Array;
  indices: Uint32Array;
}

/** The two ends on the ground of edge number `edge` of a ground polygon; null if it has no such edge. */
export function groundEdge(set: SetSurfaces, id: string, edge: number): [Vec3, Vec3] | null {
  const ground = set[id];
  if (!ground || ground.kind !== "ground" || edge >= ground.vertices.length) return null;
  const next = ground.vertices[(edge + 1) % ground.vertices.length];
  return [ground.vertices[edge].world, next.world];
}

/** The four corners of a wall, from the foot up; null if the edge it stood on is gone. */
export function wallCorners(
  set: SetSurfaces,
  wall: Extract<Surface, { kind: "wall" }>,
): [Vec3, Vec3, Vec3, Vec3] | null {
  const base = groundEdge(set, wall.on, wall.edge);
  if (!base) return null;
  const [a, b] = base;
  return [a, b, [b[0], b[1], b[2] + wall.height], [a[0], a[1], a[2] + wall.height]];
}

const POST_SIDES = 32;

/** Triangles of a surface in the world; null for a wall whose ground edge is gone. */
export function surfaceMesh(set: SetSurfaces, surface: Surface): SurfaceMesh | null {
  if (surface.kind === "wall") {
    const corners = wallCorners(set, surface);
    return corners && { positions: new Float32Array(corners.flat()), indices: new Uint32Array([0, 1, 2, 0, 2, 3]) };
  }
  if (surface.kind === "post") {
    const { foot, radius, height } = surface;
    const ring = Array.from({ length: POST_SIDES }, (_, i): Vec3 => {
      const angle = (i / POST_SIDES) * 2 * Math.PI;
      return [foot.world[0] + radius * Math.cos(angle), foot.world[1] + radius * Math.sin(angle), foot.world[2]];
    });
    return prism(ring, height);
  }
  const corners = surface.vertices.map((v) => v.world);
  if (surface.height > 0) return prism(corners, surface.height);
  const flat = corners.flatMap((c) => [c[0], c[1]]);
  return { positions: new Float32Array(corners.flat()), indices: new Uint32Array(earcut(flat)) };
}

/** Sides and lid over a polygon. Vertices are not shared, so that every face is flat. */
function prism(ring: Vec3[], height: number): SurfaceMesh {
  const positions: number[] = [];
  const indices: number[] = [];
  const n = ring.length;
  ring.forEach((a, i) => {
    const b = ring[(i + 1) % n];
    const at = positions.length / 3;
    positions.push(...a, ...b, b[0], b[1], b[2] + height, a[0], a[1], a[2] + height);
    indices.push(at, at + 1, at + 2, at, at + 2, at + 3);
  });
  const lid = positions.length / 3;
  for (const c of ring) positions.push(c[0], c[1], c[2] + height);
  for (const i of earcut(ring.flatMap((c) => [c[0], c[1]]))) indices.push(lid + i);
  return { positions: new Float32Array(positions), indices: new Uint32Array(indices) };
}

/** Lengths of a ground polygon's sides and its area, metres (Gauss's area formula). */
export function groundMeasures(ground: GroundSurface): { sides: number[]; area: number } {
  const corners = ground.vertices.map((v) => v.world);
  const sides = corners.map((a, i) => distance(a, corners[(i + 1) % corners.length]));
  let twice = 0;
  corners.forEach((a, i) => {
    const b = corners[(i + 1) % corners.length];
    twice += a[0] * b[1] - b[0] * a[1];
  });
  return { sides, area: Math.abs(twice) / 2 };
}

/** True if the polygon's sides cross each other. */
export function crossesItself(corners: Vec3[]): boolean {
  const n = corners.length;
  const side = (a: Vec3, b: Vec3, c: Vec3) => {
    const [u, w] = [sub(b, a), sub(c, a)];
    return Math.sign(u[0] * w[1] - u[1] * w[0]);
  };
  for (let i = 0; i < n; i++) {
    for (let j = i + 2; j < n; j++) {
      if (i === 0 && j === n - 1) continue;
      const [a, b, c, d] = [corners[i], corners[(i + 1) % n], corners[j], corners[(j + 1) % n]];
      if (side(a, b, c) * side(a, b, d) < 0 && side(c, d, a) * side(c, d, b) < 0) return true;
    }
  }
  return false;
}
