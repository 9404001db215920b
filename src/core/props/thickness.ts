import type { Vec3 } from "../math/vec3.ts";
import { cross, dot, length, sub } from "../math/vec3.ts";
import type { Model } from "./model.ts";

/**
 * How far, on average, a line that meets what is made of a material goes through it: four times its volume over its
 * surface, in the model's own units (Cauchy's mean chord of a body without hollows in its outline). Of a hollow one it is
 * two walls, where a line mostly meets four. 0 without a surface.
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
  return surface > 0 ? (4 * Math.abs(volume)) / surface : 0;
}

/** Mean way through a body over its largest extent, from which on it is bulky: a ball or a cube has two thirds. */
const BULKY = 0.4;

/** Whether what is made of a material is about as deep as it is wide, as a ball or a block, and not hollow, flat or long. */
export function isBulky(model: Pick<Model, "meshes">, material: number): boolean {
  const low = [Infinity, Infinity, Infinity];
  const high = [-Infinity, -Infinity, -Infinity];
  for (const { positions, material: own } of model.meshes)
    if (own === material)
      for (let i = 0; i < positions.length; i++) {
        low[i % 3] = Math.min(low[i % 3], positions[i]);
        high[i % 3] = Math.max(high[i % 3], positions[i]);
      }
  const extent = Math.max(...high.map((x, k) => x - low[k]));
  return extent > 0 && meanThickness(model, material) > BULKY * extent;
}
