import type { Facet } from "#core/match/gauges";
import type { Vec3 } from "#core/math/vec3";
import { cross, dot, normalize, sub } from "#core/math/vec3";
import { wallCorners } from "#core/set/surfaces";
import type { Shot } from "#core/shot/schema";

function facet(ring: Vec3[]): Facet {
  const normal = normalize(cross(sub(ring[1], ring[0]), sub(ring[2], ring[1])));
  return { plane: { normal, offset: dot(normal, ring[0]) }, ring };
}

/** The upright facets of the set: walls and the sides of blocks. */
export function wallsOf(shot: Shot): Facet[] {
  return Object.values(shot.set).flatMap((s) => {
    if (s.kind === "wall") {
      const corners = wallCorners(shot.set, s);
      return corners ? [facet(corners)] : [];
    }
    if (s.kind !== "ground" || s.height === 0) return [];
    return s.vertices.map(({ world: a }, i) => {
      const b = s.vertices[(i + 1) % s.vertices.length].world;
      return facet([a, b, [b[0], b[1], b[2] + s.height], [a[0], a[1], a[2] + s.height]]);
    });
  });
}

/** All flat facets of the set that can be pointed at. */
export function facetsOf(shot: Shot): Facet[] {
  const lids = Object.values(shot.set).flatMap((s) =>
    s.kind === "ground" ? [facet(s.vertices.map((v): Vec3 => [v.world[0], v.world[1], v.world[2] + s.height]))] : [],
  );
  return [...wallsOf(shot), ...lids];
}
