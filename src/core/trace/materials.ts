import * as L from "../../kernel/layout.ts";
import { luminance, srgbTable } from "../colour/srgb.ts";
import type { Material, Model, Texture, TextureMatrix } from "../props/model.ts";
import { MAX_TEXTURE_BYTES } from "../props/model.ts";
import type { SceneMemory } from "./memory.ts";
import { halve, levelSizes } from "./smaller.ts";

/** Materials and textures in the tracer's memory. */

export function putTextures(memory: SceneMemory, models: Model[]): number {
  const all = models.flatMap((m) => m.textures.map((texture, i) => ({ texture, srgb: isColour(m, i) })));
  const table = memory.reserve(Math.max(1, all.length) * L.TEXTURE_BYTES);
  const wraps = { repeat: 0, clamp: 1, mirror: 2 };
  all.forEach(({ texture, srgb }, i) => {
    const sizes = levelSizes(texture.width, texture.height);
    const levels = sizes.map(([w, h]) => memory.reserve(w * h * 4));
    memory.u8(levels[0], texture.texels.length).set(texture.texels);
    for (let l = 1; l < sizes.length; l++) {
      const [w, h] = sizes[l - 1];
      const above = memory.u8(levels[l - 1], w * h * 4);
      halve(above, w, h, srgb, memory.u8(levels[l], sizes[l][0] * sizes[l][1] * 4), sizes[l]);
    }
    const row = memory.u32(table + i * L.TEXTURE_BYTES, L.TEXTURE_BYTES / 4);
    row.fill(0);
    const [across, down] = texture.wrap ?? ["repeat", "repeat"];
    row.set([texture.width, texture.height, levels.length, wraps[across] | (wraps[down] << 2), ...levels]);
  });
  return table;
}

const isColour = (model: Model, texture: number): boolean =>
  model.materials.some((m) => m.baseTexture === texture || m.emissiveTexture === texture);

/** Luminance by which a material's triangles are drawn as lamps; 0 for those that hardly shine. */
export function meanEmission(material: Material, texture: Texture | undefined): number {
  const level = luminance(...material.emissive);
  if (level <= 0) return 0;
  if (material.emissiveTexture === null || !texture) return level;
  const decode = srgbTable(8);
  let sum = 0;
  const step = Math.max(1, Math.floor(texture.texels.length / 4 / 4096));
  let n = 0;
  for (let i = 0; i < texture.texels.length; i += 4 * step, n++)
    sum += luminance(decode[texture.texels[i]], decode[texture.texels[i + 1]], decode[texture.texels[i + 2]]);
  return (level * sum) / n;
}

export function putMaterial(
  memory: SceneMemory,
  at: number,
  m: Material,
  textureFirst: number,
  number: number,
  lamp: number,
): void {
  const f = memory.f32(at, L.MATERIAL_BYTES / 4);
  const u = memory.u32(at, L.MATERIAL_BYTES / 4);
  u.fill(0);
  f.set(m.baseColor, L.MATERIAL_BASE / 4);
  f.set(m.emissive, L.MATERIAL_EMISSIVE / 4);
  f[L.MATERIAL_METALLIC / 4] = m.metallic;
  f[L.MATERIAL_ROUGHNESS / 4] = m.roughness;
  f[L.MATERIAL_NORMAL_SCALE / 4] = m.normalScale;
  u[L.MATERIAL_FLAGS / 4] =
    (m.seesBackdrop ? L.MATERIAL_SEES_BACKDROP : 0) |
    (m.alpha === "mask" ? L.MATERIAL_MASK : 0) |
    (m.alpha === "blend" ? L.MATERIAL_BLEND : 0) |
    (m.transmission > 0 ? L.MATERIAL_TRANSMITS : 0) |
    (m.thin ? L.MATERIAL_THIN : 0);
  f[L.MATERIAL_INDEX / 4] = Math.max(1.0001, m.index);
  f[L.MATERIAL_SPECULAR / 4] = m.specular;
  f.set(m.specularColor, L.MATERIAL_SPECULAR_COLOUR / 4);
  f[L.MATERIAL_TRANSMISSION / 4] = m.transmission;
  f.set(m.absorption, L.MATERIAL_ABSORPTION / 4);
  f[L.MATERIAL_COAT / 4] = m.coat;
  f[L.MATERIAL_COAT_ROUGHNESS / 4] = m.coatRoughness;
  f.set(m.sheenColor, L.MATERIAL_SHEEN / 4);
  f[L.MATERIAL_SHEEN_ROUGHNESS / 4] = m.sheenRoughness;
  f[L.MATERIAL_ANISOTROPY / 4] = m.anisotropy;
  f.set([Math.cos(m.anisotropyTurn), Math.sin(m.anisotropyTurn)], L.MATERIAL_ANISOTROPY_TURN / 4);
  f[L.MATERIAL_CUTOFF / 4] = m.alphaCutoff;
  u[L.MATERIAL_NUMBER / 4] = number;
  f[L.MATERIAL_LAMP / 4] = lamp;
  if (m.wear) {
    const { dirt, rust, scratches, low, height, size } = m.wear;
    f.set([dirt, rust, scratches, low, height, size], L.MATERIAL_WEAR / 4);
  }
  const slot = (offset: number, index: number | null, matrix: TextureMatrix) => {
    u[offset / 4] = index === null ? 0 : textureFirst + index + 1;
    f.set(matrix, (offset + L.SLOT_MATRIX) / 4);
  };
  slot(L.MATERIAL_BASE_TEXTURE, m.baseTexture, m.baseMatrix);
  slot(L.MATERIAL_SURFACE_TEXTURE, m.surfaceTexture, m.surfaceMatrix);
  slot(L.MATERIAL_NORMAL_TEXTURE, m.normalTexture, m.normalMatrix);
  slot(L.MATERIAL_EMISSIVE_TEXTURE, m.emissiveTexture, m.emissiveMatrix);
}

export function checkTextures(models: Model[]): void {
  const bytes = models.reduce((n, m) => n + m.textures.reduce((k, t) => k + t.texels.length, 0), 0);
  if (bytes <= MAX_TEXTURE_BYTES) return;
  throw new RangeError(
    `The props' textures take ${(bytes / 1024 ** 3).toFixed(1)} GiB; ${MAX_TEXTURE_BYTES / 1024 ** 3} GiB fit. Make them smaller: half the width and height is a quarter of it.`,
  );
}
