import type { Vec2 } from "./vec3.ts";

/** True if a point of the plane lies in a polygon (crossing number); on the border it may tell either. */
export function insidePolygon([x, y]: Vec2, ring: readonly Vec2[]): boolean {
  let inside = false;
  for (let i = 0, j = ring.length - 1; i < ring.length; j = i++) {
    const [ax, ay] = ring[j];
    const [bx, by] = ring[i];
    if (ay > y !== by > y && x < ((bx - ax) * (y - ay)) / (by - ay) + ax) inside = !inside;
  }
  return inside;
}
