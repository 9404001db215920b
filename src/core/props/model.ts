import type { Box } from "../math/box.ts";
import { boxOf } from "../math/box.ts";
import type { Vec3 } from "../math/vec3.ts";

/** Bytes of textures that a shot may have in all, with their smaller copies a third more. */
export const MAX_TEXTURE_BYTES = 1024 ** 3;

/** An RGBA8 picture, rows from the top. */
export interface Texture {
  width: number;
  height: number;
  texels: Uint8Array;
  /** What lies beyond its borders, across and down; repeated if missing. */
  wrap?: [TextureWrap, TextureWrap];
}

export type TextureWrap = "repeat" | "clamp" | "mirror";

/** Turns texture coordinates into those of the picture: rows of a 2 x 3 matrix. */
export type TextureMatrix = [number, number, number, number, number, number];

export const plainMatrix = (): TextureMatrix => [1, 0, 0, 0, 1, 0];

/** glTF 2.0 metallic-roughness. Texture numbers index the model's `textures`; null for none. */
export interface Material {
  name: string;
  baseColor: [number, number, number, number];
  metallic: number;
  roughness: number;
  /** Linear, with the strength in it. */
  emissive: Vec3;
  /** Index of refraction of the dielectric. */
  index: number;
  /** Weight and colour of the dielectric's reflection (KHR_materials_specular). */
  specular: number;
  specularColor: Vec3;
  /** Share of light that goes through instead of being scattered (KHR_materials_transmission). */
  transmission: number;
  /** A wall without an inside; otherwise light is refracted into it. */
  thin: boolean;
  /** Absorption inside, per metre (Beer and Lambert). */
  absorption: Vec3;
  coat: number;
  coatRoughness: number;
  sheenColor: Vec3;
  sheenRoughness: number;
  /** Strength of the grain, and the angle in radians from the texture's u to it. */
  anisotropy: number;
  anisotropyTurn: number;
  /** Opaque, cut out where the base colour's alpha is below the cut-off, or let through by alpha. */
  alpha: "opaque" | "mask" | "blend";
  alphaCutoff: number;
  normalScale: number;
  baseTexture: number | null;
  surfaceTexture: number | null;
  normalTexture: number | null;
  emissiveTexture: number | null;
  /** Matrices of the four textures. */
  baseMatrix: TextureMatrix;
  surfaceMatrix: TextureMatrix;
  normalMatrix: TextureMatrix;
  emissiveMatrix: TextureMatrix;
  /** Wear by procedure, strengths from 0 to 1, with the lowest z, the height and the largest extent of its model. */
  wear?: { dirt: number; rust: number; scratches: number; low: number; height: number; size: number };
  /** Mirror-like parts of a made-up place (water) that show the backdrop of its picture. */
  seesBackdrop?: boolean;
}

/** Triangles of one material. Positions and normals are three floats a vertex, uvs two. */
export interface Mesh {
  /** What the file calls it. */
  name?: string;
  positions: Float32Array;
  normals: Float32Array;
  uvs: Float32Array | null;
  /** Colours of the corners, RGBA bytes as on a screen; the base colour is multiplied by them. Missing for white. */
  colours?: Uint8Array;
  indices: Uint32Array;
  material: number;
  /** Where it stands in the model, several times: twelve floats each, rows of 3 × 4 matrices. Missing for once, as it is. */
  copies?: Float32Array;
}

/** Floats of one copy. */
export const COPY_FLOATS = 12;

/** How often a mesh stands in its model. */
export const copyCount = (mesh: Mesh): number => (mesh.copies ? mesh.copies.length / COPY_FLOATS : 1);

/** Positions of a mesh where one of its copies stands, three numbers a vertex. */
export function placedCopy({ positions, copies }: Mesh, copy: number): ArrayLike<number> {
  if (!copies) return positions;
  const m = copies.subarray(copy * COPY_FLOATS, (copy + 1) * COPY_FLOATS);
  const placed = new Float64Array(positions.length);
  for (let i = 0; i < positions.length; i += 3)
    for (let k = 0; k < 3; k++)
      placed[i + k] =
        m[k * 4] * positions[i] + m[k * 4 + 1] * positions[i + 1] + m[k * 4 + 2] * positions[i + 2] + m[k * 4 + 3];
  return placed;
}

/** A model in metres, Z up, resting as it came; every mesh in the model's own coordinates. */
export interface Model {
  meshes: Mesh[];
  materials: Material[];
  textures: Texture[];
  /** A picture of all around, linear, instead of all that: surroundings are kept and handed about as models are. */
  around?: { width: number; height: number; pixels: Float32Array };
}

export const plainMaterial = (changes: Partial<Material> = {}): Material => ({
  name: "plain",
  baseColor: [0.5, 0.5, 0.5, 1],
  metallic: 0,
  roughness: 0.6,
  emissive: [0, 0, 0],
  index: 1.5,
  specular: 1,
  specularColor: [1, 1, 1],
  transmission: 0,
  thin: true,
  absorption: [0, 0, 0],
  coat: 0,
  coatRoughness: 0,
  sheenColor: [0, 0, 0],
  sheenRoughness: 0,
  anisotropy: 0,
  anisotropyTurn: 0,
  alpha: "opaque",
  alphaCutoff: 0.5,
  normalScale: 1,
  baseTexture: null,
  surfaceTexture: null,
  normalTexture: null,
  emissiveTexture: null,
  baseMatrix: plainMatrix(),
  surfaceMatrix: plainMatrix(),
  normalMatrix: plainMatrix(),
  emissiveMatrix: plainMatrix(),
  ...changes,
});

/** Triangles that are seen: every copy counts. */
export const triangleCount = (model: Model): number =>
  model.meshes.reduce((sum, m) => sum + (m.indices.length / 3) * copyCount(m), 0);

/**
 * The least of a linear measure over a model's vertices, copies included: row · (x, y, z) in the model's coordinates. Copies
 * whose box cannot go below what was found are not looked into. Infinity without vertices.
 */
export function leastAlong(model: Model, row: readonly number[]): number {
  let least = Infinity;
  for (const mesh of model.meshes) {
    const v = mesh.positions;
    const box = mesh.copies && meshBox(mesh);
    for (let c = 0; c < copyCount(mesh); c++) {
      let [a, b, d, base] = [row[0], row[1], row[2], 0];
      if (mesh.copies && box) {
        const m = mesh.copies.subarray(c * COPY_FLOATS, (c + 1) * COPY_FLOATS);
        [a, b, d, base] = [0, 1, 2, 3].map((k) => row[0] * m[k] + row[1] * m[4 + k] + row[2] * m[8 + k]);
        const bound = [a, b, d].reduce((s, w, k) => s + Math.min(w * box.low[k], w * box.high[k]), base);
        if (bound >= least) continue;
      }
      for (let i = 0; i < v.length; i += 3) {
        const value = a * v[i] + b * v[i + 1] + d * v[i + 2] + base;
        if (value < least) least = value;
      }
    }
  }
  return least;
}

const boxes = new WeakMap<Float32Array, Box>();
/** Box of a mesh as it is, without its copies; kept with its positions. */
export function meshBox({ positions }: Pick<Mesh, "positions">): Box {
  let known = boxes.get(positions);
  if (!known) boxes.set(positions, (known = boxOf(positions)));
  return known;
}

/** Lowest and highest corner of the model. A model without vertices has the empty box at the origin. */
export function modelBounds(model: Model): { low: Vec3; high: Vec3 } {
  const single = model.meshes.filter(({ copies }) => !copies).map(meshBox);
  const repeated = { ...model, meshes: model.meshes.filter(({ copies }) => copies) };
  const unit = (k: number, sign: number) => [0, 1, 2].map((j) => (j === k ? sign : 0));
  const low = [0, 1, 2].map((k) => Math.min(leastAlong(repeated, unit(k, 1)), ...single.map((box) => box.low[k])));
  const high = [0, 1, 2].map((k) => Math.max(-leastAlong(repeated, unit(k, -1)), ...single.map((box) => box.high[k])));
  return low[0] > high[0] ? { low: [0, 0, 0], high: [0, 0, 0] } : { low: low as Vec3, high: high as Vec3 };
}
