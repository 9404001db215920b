import { colourChannels, writeExr } from "#core/image/exr";
import { decodeCodes } from "#core/image/profile";
import { shrink, sizeAt } from "#core/image/resize";
import { compositeCodes, propCodes } from "#core/comp/composite";
import type { DecodedPlate } from "#core/comp/composite";
import { pixelEncoder } from "#core/image/profile";
import type { Model } from "#core/props/model";
import { lightWeights, scaleProp, traceSceneOf } from "#core/shot/assemble";
import type { Shot } from "#core/shot/schema";
import { developFilm, emptyPasses } from "#core/trace/film";
import type { Passes } from "#core/trace/film";
import { writePng } from "./png.ts";
import type { Band, RenderProgress } from "./renderScene.ts";
import { bandsOf, renderBands } from "./renderScene.ts";

export const MAX_DEPTH = 6;

/** The shot's plate from its stored codes. Throws if they are not those of the document. */
export function plateOf(shot: Shot, bytes: Uint8Array): DecodedPlate {
  const { width, height, encoding } = shot.plate;
  const codes =
    encoding.bits === 8
      ? bytes
      : new Uint16Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength) as ArrayBuffer);
  if (codes.length !== width * height * 3) {
    throw new Error(`The plate's pixels do not match its size of ${width} × ${height}.`);
  }
  return { width, height, encoding, codes, linear: decodeCodes(codes, encoding) };
}

/** The plate at a smaller size, box-averaged in linear light. */
export function plateAt(plate: DecodedPlate, percent: number): DecodedPlate {
  if (percent === 100) return plate;
  const { width, height } = sizeAt(plate, percent);
  const { pixels } = shrink({ ...plate, pixels: plate.linear }, width, height);
  const codes = plate.encoding.bits === 8 ? new Uint8Array(pixels.length) : new Uint16Array(pixels.length);
  const encode = pixelEncoder(plate.encoding);
  for (let i = 0; i < pixels.length; i += 3) encode(pixels[i], pixels[i + 1], pixels[i + 2], codes, i);
  return { width, height, encoding: plate.encoding, codes, linear: pixels };
}

/** Keeps finished bands of a render, so that it can be taken up again. */
export interface BandKeeper {
  read(band: Band): Promise<Passes | null>;
  keep(band: Band, passes: Passes): Promise<void>;
}

export interface ShotRenderOptions {
  percent: number;
  samples: number;
  threads?: number;
  signal?: AbortSignal;
  keeper?: BandKeeper;
  onProgress?: (progress: RenderProgress) => void;
  /** Takes every band as it is there, also those that were kept from before. */
  onBand?: (passes: Passes, band: Band) => void;
}

/** Renders a shot's passes, band by band; kept bands are not rendered again. */
export async function renderShot(
  shot: Shot,
  plate: DecodedPlate,
  models: Map<string, Model>,
  options: ShotRenderOptions,
): Promise<Passes> {
  const scene = traceSceneOf(shot, { width: plate.width, height: plate.height, pixels: plate.linear }, models);
  const { width, height } = sizeAt(plate, options.percent);
  const settings = { width, height, seed: shot.render.seed, maxDepth: MAX_DEPTH, filterWidth: 1 };
  const whole = emptyPasses(width, height);
  const done = new Set<number>();
  for (const band of options.keeper ? bandsOf(width, height) : []) {
    const kept = await options.keeper!.read(band);
    if (!kept || kept.width !== width || kept.height !== band.y1 - band.y0) continue;
    putBand(whole, kept, band.y0);
    done.add(band.y0);
    options.onBand?.(kept, band);
  }
  const weights = lightWeights(shot);
  await renderBands(scene, settings, {
    samples: options.samples,
    threads: options.threads,
    signal: options.signal,
    done: (band) => done.has(band.y0),
    onProgress: options.onProgress,
    onBand: async (film, band) => {
      const passes = developFilm(film, width, band.y1 - band.y0, weights);
      scaleProp(passes.prop, shot.light.propLevel);
      putBand(whole, passes, band.y0);
      await options.keeper?.keep(band, passes);
      options.onBand?.(passes, band);
    },
  });
  return whole;
}

/** Lays a band into the whole at its row. */
function putBand(whole: Passes, band: Passes, y0: number): void {
  const at = y0 * whole.width;
  whole.prop.set(band.prop, at * 4);
  whole.ratio.set(band.ratio, at * 3);
  whole.added.set(band.added, at * 3);
  whole.depth.set(band.depth, at);
}

/** The rows of a plate that a band covers, without copying. */
export function plateRows(plate: DecodedPlate, band: Band): DecodedPlate {
  const [from, to] = [band.y0 * plate.width * 3, band.y1 * plate.width * 3];
  return {
    ...plate,
    height: band.y1 - band.y0,
    codes: plate.codes.subarray(from, to),
    linear: plate.linear.subarray(from, to),
  };
}

export interface OutputFiles {
  picture: Uint8Array;
  prop: Uint8Array;
  ratio: Uint8Array;
  added: Uint8Array;
}

/** The files that are handed over: the finished picture and the prop as PNG, ratio and added light as float EXR. */
export async function outputFiles(
  plate: DecodedPlate,
  passes: Passes,
  profile: Uint8Array | null,
): Promise<OutputFiles> {
  const { width, height } = passes;
  return {
    picture: await writePng(compositeCodes(plate, passes), width, height, 3, profile),
    prop: await writePng(propCodes(passes, plate.encoding), width, height, 4, profile),
    ratio: writeExr(width, height, colourChannels(passes.ratio, 3), "float"),
    added: writeExr(width, height, colourChannels(passes.added, 3), "float"),
  };
}
