import type { DecodedPlate } from "#core/comp/composite";
import { filterOf, wantsOcclusion } from "#core/comp/composite";
import { sizeAt } from "#core/image/resize";
import type { Model } from "#core/props/model";
import { weighsProps } from "#core/comp/weights";
import { traceSceneOf } from "#core/render/scene";
import type { RenderChoice } from "#core/render/schema";
import type { Shot } from "#core/shot/schema";
import type { FilmChoice, FilmLayout, Passes } from "#core/trace/film";
import { BARE_SUMS, emptyPasses, packing } from "#core/trace/film";
import type { PixelFilter } from "#core/trace/filter";
import { SOFT } from "#core/trace/filter";
import type { RenderSettings } from "#core/trace/upload";
import { sceneLayout } from "#core/trace/sceneLayout";
import type { BandFolder } from "./bandFolder.ts";
import type { Band, Film } from "./bands.ts";
import { bandsOf, developBand } from "./bands.ts";
import type { RenderProgress } from "./renderScene.ts";
import { renderBands } from "./renderScene.ts";

export const MAX_DEPTH = 8;

/** Which sums a render needs for what is wanted of it. */
export function sumsOf(choice: RenderChoice, shot: Shot): FilmChoice {
  const wants = (...groups: RenderChoice["passes"]) => groups.some((g) => choice.passes.includes(g));
  return {
    half: true,
    features: choice.denoise || wants("surface"),
    extras: wants("surface", "occlusion", "emission") || wantsOcclusion(shot, choice.passes),
    mattes: wants("mattes"),
    propLights: wants("lights") || weighsProps(shot),
  };
}

/** Settings of the tracer for a shot of that size. */
export const settingsOf = (
  size: { width: number; height: number },
  choice: RenderChoice,
  sums: FilmChoice,
  filter: PixelFilter = SOFT,
  occlusion = choice.passes.includes("occlusion"),
): RenderSettings => ({
  ...size,
  seed: choice.seed,
  maxDepth: MAX_DEPTH,
  filter,
  sums,
  occlusion: occlusion ? choice.occlusionMetres : 0,
  limit: choice.limit,
});

export interface ShotRenderOptions {
  threads?: number;
  signal?: AbortSignal;
  onProgress?: (progress: RenderProgress) => void;
  /** Bands that are not asked for. */
  done?: (band: Band) => boolean;
}

/**
 * Renders a shot's bands into a folder; those that it keeps already are not rendered again. `onBand` is told of every
 * band as it is there. Returns the layout of the films.
 */
export async function renderIntoFolder(
  shot: Shot,
  plate: DecodedPlate,
  models: Map<string, Model>,
  choice: RenderChoice,
  folder: BandFolder,
  options: ShotRenderOptions & { onBand?: (film: Film, band: Band) => void } = {},
): Promise<FilmLayout> {
  const scene = traceSceneOf(shot, { width: plate.width, height: plate.height, pixels: plate.linear }, models);
  const size = sizeAt(plate, choice.percent);
  const sums = sumsOf(choice, shot);
  const open = wantsOcclusion(shot, choice.passes);
  const settings = settingsOf(size, choice, sums, filterOf(shot, choice.percent / 100), open);
  const layout = sceneLayout(scene, sums);
  const done = new Set<number>();
  let keeping: Promise<void> = Promise.resolve();
  for (const band of bandsOf(size.width, size.height)) {
    const kept = await folder.read(band, size.width, packing(layout));
    if (!kept) continue;
    done.add(band.y0);
    options.onBand?.({ width: size.width, height: band.y1 - band.y0, pixels: kept.pixels, layout }, band);
  }
  await renderBands(scene, settings, {
    samples: choice.samples,
    noise: choice.noise,
    seconds: choice.minutes * 60,
    threads: options.threads,
    signal: options.signal,
    done: (band) => done.has(band.y0),
    onProgress: options.onProgress,
    onBand: async (film, band, pack) => {
      // A band is written while the next one is rendered, from the memory that is packed to.
      await keeping;
      const packed = await pack();
      options.onBand?.(film, band);
      keeping = folder.keep(band, film.width, film.layout.stride, packed);
      keeping.catch(() => undefined);
    },
  });
  await keeping;
  return layout;
}

/** The composite's passes of a shot, all at once: for pictures of moderate size. */
export async function renderShot(
  shot: Shot,
  plate: DecodedPlate,
  models: Map<string, Model>,
  choice: Partial<RenderChoice>,
  options: ShotRenderOptions = {},
): Promise<Passes> {
  const whole = { ...shot.render, ...choice };
  const scene = traceSceneOf(shot, { width: plate.width, height: plate.height, pixels: plate.linear }, models);
  const size = sizeAt(plate, whole.percent);
  const passes = emptyPasses(size.width, size.height);
  const sums = whole.noise > 0 ? sumsOf(whole, shot) : { ...BARE_SUMS, propLights: weighsProps(shot) };
  await renderBands(scene, settingsOf(size, whole, sums, filterOf(shot, whole.percent / 100)), {
    samples: whole.samples,
    noise: whole.noise,
    seconds: whole.minutes * 60,
    ...options,
    onBand: (film, band) => {
      putBand(passes, developBand(shot, film), band.y0);
      return Promise.resolve();
    },
  });
  return passes;
}

/** Lays a band into the whole at its row. */
function putBand(whole: Passes, band: Passes, y0: number): void {
  const at = y0 * whole.width;
  whole.prop.set(band.prop, at * 4);
  whole.ratio.set(band.ratio, at * 3);
  whole.added.set(band.added, at * 3);
  whole.depth.set(band.depth, at);
}
