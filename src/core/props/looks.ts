import * as v from "valibot";
import { ColourSchema, Finite, HashSchema, MOST, NotNegative, Positive, Share, Text } from "../schema/fields.ts";
import type { Material, Mesh, Model, Texture, TextureMatrix } from "./model.ts";
import { modelBounds } from "./model.ts";

/**
 * How a material looks in place of how its file has it: what is given is taken, all else stays. An edit is the
 * document's; the file is never changed.
 */
export const LookSchema = v.object({
  /** Preset that it was begun from, for its name alone. */
  preset: v.nullable(Text),
  baseColor: v.optional(ColourSchema),
  metallic: v.optional(Share),
  roughness: v.optional(Share),
  /** Radiance that it sends out. */
  emissive: v.optional(ColourSchema),
  index: v.optional(v.pipe(Finite, v.minValue(1, "must be 1 or more"), v.maxValue(4, "must be 4 or less"))),
  transmission: v.optional(Share),
  /** A wall without an inside; otherwise light is refracted into it. */
  thin: v.optional(v.boolean()),
  /** Absorption inside, per metre. */
  absorption: v.optional(ColourSchema),
  coat: v.optional(Share),
  coatRoughness: v.optional(Share),
  sheenColor: v.optional(ColourSchema),
  sheenRoughness: v.optional(Share),
  anisotropy: v.optional(Share),
  /** Share of it that covers. */
  opacity: v.optional(Share),
  /** Without the file's picture of its colour. */
  plain: v.optional(v.boolean()),
  /** Wear by procedure: dirt near the ground and in hollows, rust in patches, fine scratches. */
  dirt: v.optional(Share),
  rust: v.optional(Share),
  scratches: v.optional(Share),
  /** Pictures of its own in place of the file's: of its colour, of how it reflects (as glTF has it), and of its bumps. */
  pictures: v.optional(
    v.object({
      base: v.optional(HashSchema),
      surface: v.optional(HashSchema),
      normal: v.optional(HashSchema),
    }),
  ),
  /** Its textures repeated, moved and turned. */
  tiling: v.optional(v.tuple([Positive, Positive])),
  offset: v.optional(v.tuple([Finite, Finite])),
  turnDeg: v.optional(Finite),
  normalScale: v.optional(NotNegative),
});
export type Look = v.InferOutput<typeof LookSchema>;

/** Kinds of pictures that a look may have. */
export const LOOK_PICTURES = ["base", "surface", "normal"] as const;
export type LookPicture = (typeof LOOK_PICTURES)[number];

/** Looks by the names of materials, or of one mesh alone by `meshKey`. */
export const LooksSchema = v.pipe(v.record(Text, LookSchema), v.maxEntries(MOST.things, "has too many entries"));
export type Looks = v.InferOutput<typeof LooksSchema>;

/** Texture coordinates scaled, turned anticlockwise, then moved, after what the file does with them. */
function retiled(matrix: TextureMatrix, { tiling = [1, 1], offset = [0, 0], turnDeg = 0 }: Look): TextureMatrix {
  const angle = (turnDeg * Math.PI) / 180;
  const [c, s] = [Math.cos(angle), Math.sin(angle)];
  const [a, b, x, d, e, y] = matrix;
  const [sx, sy] = tiling;
  const row = (u: number, w: number, o: number): [number, number, number] => [
    u * a + w * d,
    u * b + w * e,
    u * x + w * y + o,
  ];
  return [...row(c * sx, s * sy, offset[0]), ...row(-s * sx, c * sy, offset[1])];
}

/** A material as it looks. */
export function lookedMaterial(material: Material, look: Look): Material {
  const { baseColor, opacity, plain, tiling, offset, turnDeg, ...given } = look;
  const changed: Material = { ...material };
  for (const [key, value] of Object.entries(given))
    if (value !== undefined && key in material) Object.assign(changed, { [key]: value });
  const [r, g, b] = baseColor ?? material.baseColor;
  changed.baseColor = [r, g, b, opacity ?? material.baseColor[3]];
  if (opacity !== undefined) changed.alpha = opacity < 1 ? "blend" : "opaque";
  if (plain) changed.baseTexture = null;
  if (look.roughness !== undefined || look.metallic !== undefined) changed.surfaceTexture = null;
  if (look.emissive !== undefined) changed.emissiveTexture = null;
  if (tiling || offset || turnDeg !== undefined)
    for (const key of ["baseMatrix", "surfaceMatrix", "normalMatrix", "emissiveMatrix"] as const)
      changed[key] = retiled(material[key], look);
  return changed;
}

/** The name by which looks find a material. */
export const lookName = (material: Material, number: number): string => material.name || `material ${number + 1}`;

/** The key of a look that one mesh has by itself; meshes are counted from 0. */
export const meshKey = (mesh: number): string => `#${mesh + 1}`;

/** A picture that was brought in for a look, as it is handed about: a model without anything else. */
export const pictureModel = (texture: Texture): Model => ({ meshes: [], materials: [], textures: [texture] });

/** Hashes of the pictures that looks have. */
export const picturesOf = (looks: Looks): string[] =>
  Object.values(looks).flatMap(({ pictures }) => Object.values(pictures ?? {}));

/** Where a mesh without texture coordinates has its pictures: seen along the axis that each corner faces, a metre once. */
function boxUvs({ positions: p, normals: n }: Mesh): Float32Array {
  const uvs = new Float32Array((p.length / 3) * 2);
  for (let i = 0, at = 0; i < p.length; i += 3, at += 2) {
    const [x, y, z] = [Math.abs(n[i]), Math.abs(n[i + 1]), Math.abs(n[i + 2])];
    const up = z >= x && z >= y;
    uvs[at] = up || y > x ? p[i] : p[i + 1];
    uvs[at + 1] = -(up ? p[i + 1] : p[i + 2]);
  }
  return uvs;
}

/** A model with its looks; the same object where there are none. `pictures` gives those of its own by their hashes. */
export function lookedModel(model: Model, looks: Looks, pictures: (hash: string) => Texture | undefined): Model {
  if (Object.keys(looks).length === 0) return model;
  const textures = [...model.textures];
  const numbers = new Map<string, number>();
  const numberOf = (hash: string | undefined): number | null => {
    const texture = hash === undefined ? undefined : pictures(hash);
    if (!hash || !texture) return null;
    if (!numbers.has(hash)) numbers.set(hash, textures.push(texture) - 1);
    return numbers.get(hash)!;
  };
  const dressed = (material: Material, look: Look): Material => {
    const changed = lookedMaterial(material, look);
    const { dirt = 0, rust = 0, scratches = 0 } = look;
    if (dirt + rust + scratches > 0) {
      const { low, high } = modelBounds(model);
      const size = Math.max(1e-6, ...low.map((x, k) => high[k] - x));
      changed.wear = { dirt, rust, scratches, low: low[2], height: Math.max(1e-6, high[2] - low[2]), size };
    }
    for (const kind of LOOK_PICTURES) {
      const number = numberOf(look.pictures?.[kind]);
      if (number !== null) changed[`${kind}Texture`] = number;
    }
    return changed;
  };
  const materials = model.materials.map((material, i) => {
    const look = looks[lookName(material, i)];
    return look ? dressed(material, look) : material;
  });
  const meshes = model.meshes.map((mesh, i) => {
    const own = looks[meshKey(i)];
    const material = own ? materials.push(dressed(model.materials[mesh.material], own)) - 1 : mesh.material;
    const { baseTexture, surfaceTexture, normalTexture } = materials[material];
    const wants = [baseTexture, surfaceTexture, normalTexture].some((t) => t !== null && t >= model.textures.length);
    const uvs = wants && !mesh.uvs ? boxUvs(mesh) : mesh.uvs;
    return material === mesh.material && uvs === mesh.uvs ? mesh : { ...mesh, material, uvs };
  });
  return { meshes, materials, textures };
}
