import * as v from "valibot";
import { ColourSchema, Finite, MOST, NotNegative, Positive, Share, Text } from "../schema/fields.ts";
import type { Material, Model, TextureMatrix } from "./model.ts";

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
  /** Its textures repeated, moved and turned. */
  tiling: v.optional(v.tuple([Positive, Positive])),
  offset: v.optional(v.tuple([Finite, Finite])),
  turnDeg: v.optional(Finite),
  normalScale: v.optional(NotNegative),
});
export type Look = v.InferOutput<typeof LookSchema>;

/** Looks by the names of materials. */
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
    if (value !== undefined && key !== "preset") Object.assign(changed, { [key]: value });
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

/** A model with its looks; the same object where there are none. */
export function lookedModel(model: Model, looks: Looks): Model {
  if (Object.keys(looks).length === 0) return model;
  const materials = model.materials.map((material, i) => {
    const look = looks[lookName(material, i)];
    return look ? lookedMaterial(material, look) : material;
  });
  return { ...model, materials };
}
