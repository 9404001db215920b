import { readFile } from "node:fs/promises";
import type { DecodedPlate } from "#core/comp/composite";
import { codesOver } from "#core/comp/composite";
import type { Finished, FinishPart } from "#core/comp/finish";
import { finishRows } from "#core/comp/finish";
import type { Passes } from "#core/trace/film";
import { readExrChannels } from "#core/image/exrRead";
import { plateAt } from "../plateRows.ts";
import type { PassPaths } from "../finishRowsJob.ts";

/** A finished picture with its layers, all of it at once. */
export interface FinishedPicture extends Finished {
  width: number;
  height: number;
  /** The plate at that size. */
  plate: DecodedPlate;
  /** The picture in the plate's own codes: those of the delivered picture. */
  codes: Uint8Array | Uint16Array;
  /** Passes as they were rendered. */
  rendered: Passes;
  renderedSigma: number;
}

/** Finishes a render's passes with the shot's comp. Throws where a file of them cannot be read. */
export async function finishedPicture(
  shot: FinishPart,
  plate: DecodedPlate,
  files: PassPaths,
  sigma: number,
): Promise<FinishedPicture> {
  const read = async (file: string) => readExrChannels(new Uint8Array(await readFile(file)));
  const interleaved = (channels: ReadonlyMap<string, Float32Array>, names: string[], n: number) => {
    const out = new Float32Array(n * names.length);
    names.forEach((name, k) => {
      const values = channels.get(name);
      if (!values) throw new Error(`The passes have no channel ${name}. Render them again.`);
      for (let i = 0; i < n; i++) out[i * names.length + k] = values[i];
    });
    return out;
  };
  const prop = await read(files.prop);
  const { width, height } = prop;
  const n = width * height;
  const passes = {
    width,
    height,
    prop: interleaved(prop.channels, ["R", "G", "B", "A"], n),
    ratio: interleaved((await read(files.ratio)).channels, ["R", "G", "B"], n),
    added: interleaved((await read(files.added)).channels, ["R", "G", "B"], n),
    depth: interleaved((await read(files.depth)).channels, ["Z"], n),
    occlusion: files.occlusion ? interleaved((await read(files.occlusion)).channels, ["Y"], n) : null,
  };
  return finishPasses(shot, plate, passes, sigma);
}

/** Finishes passes of a shot, which stay as they are. */
export function finishPasses(shot: FinishPart, plate: DecodedPlate, passes: Passes, sigma: number): FinishedPicture {
  const { width, height } = passes;
  const sized = plateAt(plate, Math.round((100 * width) / plate.width));
  const scale = width / plate.width;
  const where = { full: { width, height }, scale, y0: 0, renderedSigma: sigma };
  const own = {
    ...passes,
    prop: passes.prop.slice(),
    ratio: passes.ratio.slice(),
    added: passes.added.slice(),
    depth: passes.depth.slice(),
  };
  const finished = finishRows(shot, { width, height, linear: sized.linear }, own, where);
  const codes = codesOver(sized, finished.linear, finished.touched);
  return { ...finished, width, height, plate: sized, codes, rendered: passes, renderedSigma: sigma };
}
