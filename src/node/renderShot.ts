import { colourChannels, writeExr } from "#core/image/exr";
import { decodeCodes } from "#core/image/profile";
import { shrink, sizeAt } from "#core/image/resize";
import { compositeCodes, propCodes } from "#core/comp/composite";
import type { DecodedPlate } from "#core/comp/composite";
import { pixelEncoder } from "#core/image/profile";
import type { Model } from "#core/props/model";
import { lightWeights, scaleProp, traceSceneOf } from "#core/shot/assemble";
import type { Shot } from "#core/shot/schema";
import { developFilm } from "#core/trace/film";
import type { Passes } from "#core/trace/film";
import { writePng } from "./png.ts";
import type { RenderProgress } from "./renderScene.ts";
import { renderScene } from "./renderScene.ts";

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

export interface ShotRenderOptions {
  percent: number;
  samples: number;
  threads?: number;
  signal?: AbortSignal;
  onProgress?: (progress: RenderProgress) => void;
}

/** Renders a shot's passes. */
export async function renderShot(
  shot: Shot,
  plate: DecodedPlate,
  models: Map<string, Model>,
  options: ShotRenderOptions,
): Promise<Passes> {
  const scene = traceSceneOf(shot, { width: plate.width, height: plate.height, pixels: plate.linear }, models);
  const { width, height } = sizeAt(plate, options.percent);
  const settings = { width, height, seed: shot.render.seed, maxDepth: MAX_DEPTH, filterWidth: 1 };
  const film = await renderScene(scene, settings, { ...options, batch: 8 });
  const passes = developFilm(film, width, height, lightWeights(shot));
  scaleProp(passes.prop, shot.light.propLevel);
  return passes;
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
