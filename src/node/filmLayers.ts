import type { ExrChannel } from "#core/image/exr";
import type { PassGroup } from "#core/render/schema";
import type { FilmCounts, FilmLayout } from "#core/trace/film";
import { filmLayers } from "#core/trace/film";

/** To which group a layer belongs. */
function groupOf(name: string): PassGroup {
  if (name.startsWith("light ") || name === "catcher") return "lights";
  if (name.startsWith("matte ")) return "mattes";
  if (name === "emission" || name === "occlusion") return name;
  return "surface";
}

/**
 * Chosen layers of a film as channels, straight from its sums; names keep to what every program reads. `there` says which
 * of a pixel's sums are not 0 in every pixel.
 */
export function layerChannels(
  film: Float32Array,
  counts: FilmCounts,
  there: Uint8Array,
  layout: FilmLayout,
  passes: readonly PassGroup[],
): ExrChannel[] {
  const used = new Set<string>();
  return filmLayers(layout).flatMap(({ name, channels, offset, count, empty }) => {
    if (!passes.includes(groupOf(name))) return [];
    const plain = name.replace(/[^A-Za-z0-9]+/g, "_").slice(0, 200);
    let layer = plain;
    for (let n = 2; used.has(layer); n++) layer = `${plain}_${n}`;
    used.add(layer);
    return channels.map((channel, k) => ({
      name: `${layer}.${channel}`,
      values: film,
      offset: offset + k,
      stride: layout.stride,
      over: { counts: counts[count], empty },
      zero: empty === 0 && !there[offset + k],
      type: name === "position" ? ("float" as const) : ("half" as const),
    }));
  });
}
