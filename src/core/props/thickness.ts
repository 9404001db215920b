import type { Vec3 } from "../math/vec3.ts";
import type { Model } from "./model.ts";

/** Six times the volume and twice the surface of what is made of one material. */
interface Body {
  volume6: number;
  surface2: number;
}

const bodies = new WeakMap<Model["meshes"], Map<number, Body>>();

/** Measured once: models may be heavy, and are asked about often. */
function bodyOf({ meshes }: Pick<Model, "meshes">, material: number): Body {
  let known = bodies.get(meshes);
  if (!known) bodies.set(meshes, (known = new Map<number, Body>()));
  let body = known.get(material);
  if (!body) known.set(material, (body = measured(meshes, material)));
  return body;
}

function measured(meshes: Model["meshes"], material: number): Body {
  const body = { volume6: 0, surface2: 0 };
  for (const { positions: p, indices, material: own } of meshes) {
    if (own !== material) continue;
    for (let t = 0; t + 2 < indices.length; t += 3) {
      const [a, b, c] = [indices[t] * 3, indices[t + 1] * 3, indices[t + 2] * 3];
      const [ux, uy, uz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
      const [vx, vy, vz] = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
      const [x, y, z] = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
      body.surface2 += Math.hypot(x, y, z);
      body.volume6 += p[a] * x + p[a + 1] * y + p[a + 2] * z;
    }
  }
  return body;
}

/**
 * How far, on average, a line that meets what is made of a material goes through it: four times its volume over its
 * surface, in the model's own units (Cauchy's mean chord of a body without hollows in its outline). Of a hollow one it is
 * two walls, where a line mostly meets four. 0 without a surface.
 */
export function meanThickness(model: Pick<Model, "meshes">, material: number): number {
  const { volume6, surface2 } = bodyOf(model, material);
  return surface2 > 0 ? (4 * Math.abs(volume6 / 6)) / (surface2 / 2) : 0;
}

/** Share of light that a smooth face of glass reflects, over all directions: for index 1.5 (Walsh 1926). */
const FACE = 0.092;

const LUMINANCE: Vec3 = [0.2126, 0.7152, 0.0722];

/**
 * Share of even light that goes through a model, 0 to 1: of each material what it lets through on the mean way and at two
 * faces, by its share of the surface. `scale` is metres a unit of the model.
 */
export function meanPass(model: Pick<Model, "meshes" | "materials">, scale: number): number {
  if (!model.materials.some(({ transmission }) => transmission > 0)) return 0;
  const areas = model.materials.map((_, i) => bodyOf(model, i).surface2);
  const surface = areas.reduce((sum, area) => sum + area, 0);
  const passes = model.materials.map((m, i) => {
    const chord = m.thin ? 0 : meanThickness(model, i) * scale;
    const faces = m.thin ? (1 - FACE) / (1 + FACE) : (1 - FACE) ** 2;
    const tint = LUMINANCE.reduce(
      (sum, weight, k) => sum + weight * m.baseColor[k] * Math.exp(-m.absorption[k] * chord),
      0,
    );
    return m.transmission * (1 - m.metallic) * faces * tint;
  });
  return surface > 0 ? passes.reduce((sum, pass, i) => sum + pass * areas[i], 0) / surface : 0;
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
