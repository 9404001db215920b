import type { DecodedPlate } from "#core/comp/composite";
import { filterOf } from "#core/comp/composite";
import { decodeCodes, pixelEncoder } from "#core/image/profile";
import { resampleRows, sizeAt } from "#core/image/resize";
import type { Model } from "#core/props/model";
import { lightWeights, scaleProp, weighsProps } from "#core/comp/weights";
import { traceSceneOf } from "#core/render/scene";
import type { RenderChoice } from "#core/render/schema";
import type { Shot } from "#core/shot/schema";
import type { FilmChoice, FilmLayout, Passes } from "#core/trace/film";
import { BARE_SUMS, developFilm, emptyPasses } from "#core/trace/film";
import type { PixelFilter } from "#core/trace/filter";
import { SOFT } from "#core/trace/filter";
import type { RenderSettings } from "#core/trace/upload";
import { sceneLayout } from "#core/trace/sceneLayout";
import type { BandFolder } from "./bandFolder.ts";
import type { Band, Film, RenderProgress } from "./renderScene.ts";
import { bandsOf, renderBands } from "./renderScene.ts";

export const MAX_DEPTH = 8;

/** The shot's plate from its stored codes. Throws if they are not those of the document. */
export function plateOf(shot: Shot, bytes: Uint8Array): DecodedPlate {
  const { width, height, encoding } = shot.plates.main;
  const codes =
    encoding.bits === 8
      ? bytes
      : new Uint16Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength) as ArrayBuffer);
  if (codes.length !== width * height * 3) {
    throw new Error(`The plate's pixels do not match its size of ${width} × ${height}.`);
  }
  return { width, height, encoding, codes, linear: decodeCodes(codes, encoding) };
}

/** Some rows of the plate at a percentage of its sides; at 100 without copying. */
export function plateRowsAt(plate: DecodedPlate, percent: number, band: Band): DecodedPlate {
  const rows = band.y1 - band.y0;
  if (percent === 100) {
    const [from, to] = [band.y0 * plate.width * 3, band.y1 * plate.width * 3];
    return { ...plate, height: rows, codes: plate.codes.subarray(from, to), linear: plate.linear.subarray(from, to) };
  }
  const { width, height } = sizeAt(plate, percent);
  const linear = resampleRows({ ...plate, pixels: plate.linear }, width, height, band.y0, band.y1);
  const codes = plate.encoding.bits === 8 ? new Uint8Array(linear.length) : new Uint16Array(linear.length);
  const encode = pixelEncoder(plate.encoding);
  for (let i = 0; i < linear.length; i += 3) encode(linear[i], linear[i + 1], linear[i + 2], codes, i);
  return { width, height: rows, encoding: plate.encoding, codes, linear };
}

/** The plate at another size: box-averaged or interpolated in linear light. */
export const plateAt = (plate: DecodedPlate, percent: number): DecodedPlate =>
  plateRowsAt(plate, percent, { y0: 0, y1: sizeAt(plate, percent).height });

/** Which sums a render needs for what is wanted of it. */
export function sumsOf(choice: RenderChoice, shot: Shot): FilmChoice {
  const wants = (...groups: RenderChoice["passes"]) => groups.some((g) => choice.passes.includes(g));
  return {
    half: true,
    features: choice.denoise || wants("surface"),
    extras: wants("surface", "occlusion", "emission"),
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
): RenderSettings => ({
  ...size,
  seed: choice.seed,
  maxDepth: MAX_DEPTH,
  filter,
  sums,
  occlusion: choice.passes.includes("occlusion") ? choice.occlusionMetres : 0,
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
  const settings = settingsOf(size, choice, sums, filterOf(shot, choice.percent / 100));
  const layout = sceneLayout(scene, sums);
  const done = new Set<number>();
  for (const band of bandsOf(size.width, size.height)) {
    const pixels = await folder.read(band, size.width, layout.stride);
    if (!pixels) continue;
    done.add(band.y0);
    options.onBand?.({ width: size.width, height: band.y1 - band.y0, pixels, layout }, band);
  }
  await renderBands(scene, settings, {
    samples: choice.samples,
    noise: choice.noise,
    seconds: choice.minutes * 60,
    threads: options.threads,
    signal: options.signal,
    done: (band) => done.has(band.y0),
    onProgress: options.onProgress,
    onBand: async (film, band) => {
      await folder.keep(band, film.width, film.layout.stride, film.pixels);
      options.onBand?.(film, band);
    },
  });
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

/** Passes of a band's film with the shot's own weights and level. */
export function developBand(shot: Shot, film: Film): Passes {
  const passes = developFilm(film.pixels, film.width, film.height, film.layout, lightWeights(shot));
  scaleProp(passes.prop, shot.light.propLevel);
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
