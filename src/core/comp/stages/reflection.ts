import * as v from "valibot";
import { NotNegative, Share, inPixels } from "../../schema/fields.ts";
import { blur, reachOf } from "../blur.ts";
import type { Layers, Where } from "../layers.ts";
import { LOOKS_UP, MOST_SPREAD, mirrored, spreadMirrored } from "../mirrored.ts";
import type { Stage, StageBase } from "../stage.ts";
import { newStage, stageEntries } from "../stage.ts";

/** The props' reflection in the set. */
export const entries = {
  ...stageEntries,
  level: v.pipe(NotNegative, v.maxValue(4, "must be 4 or less")),
  /** Standard deviation of a blur, pixels of the plate. */
  blurPx: inPixels(v.pipe(NotNegative, v.maxValue(40, "must be 40 px or less"))),
  /** Pixels of the plate below the prop over which it fades to a third; 0 for never. */
  fadePx: inPixels(v.pipe(NotNegative, v.maxValue(4000, "must be 4000 px or less"))),
  /** Roughness by which it is spread further: nothing where the prop stands, more the higher what is mirrored. */
  roughness: v.optional(Share, 0),
  /** Metres over the surface at which what is mirrored has faded to a third; 0 for never. */
  fadeMetres: v.optional(v.pipe(NotNegative, v.maxValue(1000, "must be 1000 m or less")), 0),
  /** How fast it fades when looked down on: the exponent of one less the cosine, 5 for bare glass or water. */
  fadeAngle: v.optional(v.pipe(NotNegative, v.maxValue(5, "must be 5 or less")), 0),
};
export const schema = v.object(entries);
export type Settings = v.InferOutput<typeof schema> & StageBase;
export const fresh = (): Settings => ({
  ...newStage(),
  level: 1,
  blurPx: 0,
  fadePx: 0,
  roughness: 0,
  fadeMetres: 0,
  fadeAngle: 0,
});

const byPlace = ({ roughness, fadeMetres, fadeAngle }: Settings) => roughness > 0 || fadeMetres > 0 || fadeAngle > 0;

/**
 * Standard deviation of the slopes of a surface along one direction: alpha / √2 (Beckmann and Spizzichino 1963; Walter et
 * al. 2007, section 5), with alpha the square of the roughness as glTF has it.
 */
const slopeOf = (roughness: number): number => roughness ** 2 / Math.SQRT2;

export const stage: Stage<Settings> = {
  label: "Reflection",
  changes: ["added"],
  halo: (settings, scale) => {
    const { blurPx, fadePx, roughness } = settings;
    const fades = fadePx > 0 ? Math.ceil(Math.min(LOOKS_UP, 5 * fadePx) * scale) : 0;
    const places = byPlace(settings) ? Math.ceil(LOOKS_UP * scale) + 2 : 0;
    return Math.max(reachOf(blurPx * scale), fades) + places + (roughness > 0 ? reachOf(MOST_SPREAD * scale) : 0);
  },
  idle: (settings) => settings.level === 1 && settings.blurPx === 0 && settings.fadePx === 0 && !byPlace(settings),
  apply: (layers: Layers, settings: Settings, where: Where) => {
    const { level, blurPx, fadePx } = settings;
    const { scale } = where;
    const { added, prop, width, height } = layers;
    if (byPlace(settings)) settle(layers, settings, where);
    if (fadePx > 0) {
      const look = Math.ceil(Math.min(LOOKS_UP, 5 * fadePx) * scale);
      for (let x = 0; x < width; x++) {
        let last = -Infinity;
        for (let y = 0; y < height; y++) {
          const pixel = y * width + x;
          if (prop[pixel * 4 + 3] > 0.5) last = y;
          const below = y - last;
          const fade = below > look ? Math.exp(-look / (fadePx * scale)) : Math.exp(-below / (fadePx * scale));
          for (let k = 0; k < 3; k++) if (added[pixel * 3 + k] !== 0) added[pixel * 3 + k] *= fade;
        }
      }
    }
    if (level !== 1) for (let i = 0; i < added.length; i++) if (added[i] !== 0) added[i] *= level;
    blur(added, width, height, 3, blurPx * scale, 0);
  },
};

/** Spreads and fades it by where it lies: by height over the surface and by how steeply that is looked at. */
function settle(layers: Layers, { roughness, fadeMetres, fadeAngle }: Settings, where: Where): void {
  const { added } = layers;
  if (!added.some((a) => a !== 0)) return;
  const mirror = mirrored(layers, where);
  if (!mirror) return;
  if (roughness > 0) spreadMirrored(layers, mirror, slopeOf(roughness), MOST_SPREAD * where.scale);
  for (let pixel = 0, i = 0; i < added.length; pixel++, i += 3) {
    if (added[i] === 0 && added[i + 1] === 0 && added[i + 2] === 0) continue;
    let keep = fadeMetres > 0 ? Math.exp(-mirror.height[pixel] / fadeMetres) : 1;
    if (fadeAngle > 0) keep *= (1 - mirror.cosine[pixel]) ** fadeAngle;
    for (let k = 0; k < 3; k++) added[i + k] *= keep;
  }
}
