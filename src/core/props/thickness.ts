import type { Vec3 } from "../math/vec3.ts";
import { cross, dot, length, sub } from "../math/vec3.ts";
import type { Model } from "./model.ts";

/**
 * How thick, on average, what is made of a material is at each of the two faces that a line through it meets: twice its
 * volume over its surface, in the model's own units. Half of the mean chord, four times volume over surface for any body
 * without hollows in its outline (Cauchy); of a hollow one, its wall. 0 without a surface.
 */
export function meanThickness(model: Pick<Model, "meshes">, material: number): number {
  let volume = 0;
  let surface = 0;
  for (const { positions, indices, material: own } of model.meshes) {
    if (own !== material) continue;
    const corner = (i: number): Vec3 => [positions[i * 3], positions[i * 3 + 1], positions[i * 3 + 2]];
    for (let t = 0; t + 2 < indices.length; t += 3) {
      const [a, b, c] = [corner(indices[t]), corner(indices[t + 1]), corner(indices[t + 2])];
      const area = cross(sub(b, a), sub(c, a));
      surface += length(area) / 2;
      volume += dot(a, area) / 6;
    }
  }
  return surface > 0 ? (2 * Math.abs(volume)) / surface : 0;
}
