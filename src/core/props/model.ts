import type { Vec3 } from "../math/vec3.ts";

/** An RGBA8 picture, rows from the top. */
export interface Texture {
  width: number;
  height: number;
  texels: Uint8Array;
}

/** glTF 2.0 metallic-roughness. Texture numbers index the model's `textures`; null for none. */
export interface Material {
  name: string;
  baseColor: [number, number, number, number];
  metallic: number;
  roughness: number;
  emissive: Vec3;
  /** Reflectance of the dielectric at normal incidence: 0.04 for index 1.5. */
  f0: number;
  normalScale: number;
  baseTexture: number | null;
  surfaceTexture: number | null;
  normalTexture: number | null;
  emissiveTexture: number | null;
  /** Mirror-like parts of a made-up place (water) that show the backdrop of its picture. */
  seesBackdrop?: boolean;
}

/** Triangles of one material. Positions and normals are three floats a vertex, uvs two. */
export interface Mesh {
  positions: Float32Array;
  normals: Float32Array;
  uvs: Float32Array | null;
  indices: Uint32Array;
  material: number;
}

/** A model in metres, Z up, resting as it came; every mesh in the model's own coordinates. */
export interface Model {
  meshes: Mesh[];
  materials: Material[];
  textures: Texture[];
}

export const plainMaterial = (changes: Partial<Material> = {}): Material => ({
  name: "plain",
  baseColor: [0.5, 0.5, 0.5, 1],
  metallic: 0,
  roughness: 0.6,
  emissive: [0, 0, 0],
  f0: 0.04,
  normalScale: 1,
  baseTexture: null,
  surfaceTexture: null,
  normalTexture: null,
  emissiveTexture: null,
  ...changes,
});

export const triangleCount = (model: Model): number => model.meshes.reduce((sum, m) => sum + m.indices.length / 3, 0);

/** Lowest and highest corner of the model. A model without vertices has the empty box at the origin. */
export function modelBounds(model: Model): { low: Vec3; high: Vec3 } {
  const low: Vec3 = [Infinity, Infinity, Infinity];
  const high: Vec3 = [-Infinity, -Infinity, -Infinity];
  for (const mesh of model.meshes) {
    for (let i = 0; i < mesh.positions.length; i += 3) {
      for (let k = 0; k < 3; k++) {
        const value = mesh.positions[i + k];
        if (value < low[k]) low[k] = value;
        if (value > high[k]) high[k] = value;
      }
    }
  }
  return low[0] > high[0] ? { low: [0, 0, 0], high: [0, 0, 0] } : { low, high };
}
