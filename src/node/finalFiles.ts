import { availableParallelism } from "node:os";
import { writeFile } from "node:fs/promises";
import path from "node:path";
import { primariesOf } from "#core/colour/primaries";
import { finishHalo } from "#core/comp/finish";
import type { DecodedPlate } from "#core/comp/composite";
import { filterOf, wantsOcclusion } from "#core/comp/composite";
import { shownEncoding } from "#core/image/profile";
import { sizeAt } from "#core/image/resize";
import type { RenderChoice } from "#core/render/schema";
import type { Shot } from "#core/shot/schema";
import { borderNotice } from "#core/trace/border";
import { DENOISE_HALO } from "#core/trace/denoise";
import type { FilmLayout } from "#core/trace/film";
import { filterSigma } from "#core/trace/filter";
import type { BandFolder } from "./bandFolder.ts";
import type { Band } from "./bands.ts";
import { bandsOf } from "./bands.ts";
import { ExrFile } from "./exrFile.ts";
import { FinishPool } from "./finishPool.ts";
import { compileKernel } from "./kernelFile.ts";
import { readShared } from "./readWhole.ts";
import type { FileSource, FilmSource, FinishSetup, FinishedRows, PassPaths } from "./finishRowsJob.ts";
import { worseBorder } from "./finishRowsJob.ts";
import { PngFile } from "./pngFile.ts";

/** What a finished render is handed over as: file names by what they are, and what was noticed. */
export interface FinalReport {
  files: Record<string, string>;
  /** Root mean square noise over all that was rendered, in 8-bit code values, before any denoising. */
  noise: number;
  notices: string[];
}

/** What finishing a render again has to know of it. */
export interface AboutRender {
  /** Standard deviation of the pixel filter, pixels of the picture. */
  renderedSigma: number;
  percent: number;
  samples: number;
  seed: number;
}

/** The same from a render's own file. Throws a sentence when it is none. */
export function aboutRender(text: string): AboutRender {
  const about = JSON.parse(text) as AboutRender;
  if (typeof about.renderedSigma !== "number")
    throw new Error("render.json does not say how soft the render is. Render it again.");
  return about;
}

/** Rows that a thread takes in hand at a time, as pixels: with a halo that is looked at on both sides, more. */
const GROUP_PIXELS = 260_000;
/** Times its halo that a group is high. */
const OVER_HALO = 3;

/** A picture's plate in memory that threads share. */
function shared(plate: DecodedPlate): DecodedPlate {
  if (plate.linear.buffer instanceof SharedArrayBuffer && plate.codes.buffer instanceof SharedArrayBuffer) return plate;
  const linear = new Float32Array(new SharedArrayBuffer(plate.linear.byteLength));
  linear.set(plate.linear);
  const memory = new SharedArrayBuffer(plate.codes.byteLength);
  const codes = plate.codes instanceof Uint16Array ? new Uint16Array(memory) : new Uint8Array(memory);
  codes.set(plate.codes);
  return { ...plate, linear, codes };
}

/** Bands that are finished together: enough pixels, and high over what is looked at beyond them. */
function groupsOf(bands: Band[], width: number, halo: number, denoise: boolean): Band[][] {
  const beyond = halo + (denoise ? DENOISE_HALO : 0);
  const rows = Math.max((beyond > 0 ? 2 : 1) * (GROUP_PIXELS / width), OVER_HALO * beyond);
  const groups: Band[][] = [];
  for (const band of bands) {
    const last = groups.at(-1);
    if (last && band.y1 - last[0].y0 <= rows) last.push(band);
    else groups.push([band]);
  }
  return groups;
}

interface Writing {
  target: string;
  shot: Shot;
  plate: DecodedPlate;
  profile: Uint8Array | null;
  choice: RenderChoice;
  source: FilmSource | FileSource;
  /** Softness of the filter that was rendered with, pixels of the picture. */
  renderedSigma: number;
  onRows: (done: number, of: number) => void;
}

/** Finishes all rows on threads, and writes what they give in order. Names of the files by what they are. */
async function writeRows(w: Writing) {
  const { choice, shot, plate, source } = w;
  const size = sizeAt(plate, choice.percent);
  const { width, height } = size;
  const scale = choice.percent / 100;
  const bands = bandsOf(width, height);
  const halo = finishHalo(shot, scale, size, w.renderedSigma);
  const groups = groupsOf(bands, width, halo, source.kind === "film" && source.denoise);
  const lookedAt = (group: Band[]) => Math.min(height, group.at(-1)!.y1 + halo) - Math.max(0, group[0].y0 - halo);
  const setup: FinishSetup = {
    shot: { comp: shot.comp, set: shot.set, solved: shot.solved, light: shot.light },
    plate: shared(plate),
    percent: choice.percent,
    size,
    renderedSigma: w.renderedSigma,
    bands,
    halo,
    mostRows: Math.max(...groups.map(lookedAt)),
    source,
    passes: source.kind === "film" ? choice.passes : [],
    occlusion: source.kind === "files" ? source.files.occlusion !== null : wantsOcclusion(shot, choice.passes),
    module: await compileKernel(),
  };
  const threads = choice.threads || availableParallelism();
  const pool = await FinishPool.open(setup, threads);
  const bits = shownEncoding(plate.encoding).bits;
  const at = (name: string) => path.join(w.target, name);
  const files: Record<string, string> = {};
  const exr = new Map<string, ExrFile>();
  const png = {
    picture: await PngFile.create(at("picture.png"), width, height, 3, bits, w.profile),
    prop: await PngFile.create(at("prop.png"), width, height, 4, bits, w.profile),
  };
  files.picture = "picture.png";
  files.prop = "prop.png";
  const found = {
    sum: 0,
    count: 0,
    limited: 0,
    samples: 0,
    border: { border: 0, open: 0, worst: null } as FinishedRows["border"],
  };
  const ahead = 2 * threads;
  const running: Promise<FinishedRows>[] = [];
  const begin = (g: number) => {
    running[g] = pool.run({ bands: groups[g] });
    // One that fails is heard of when it is its turn.
    running[g].catch(() => undefined);
  };
  try {
    for (let g = 0; g < groups.length; g++) {
      for (let next = running.length; next < Math.min(groups.length, g + ahead); next++) begin(next);
      const rows = await running[g];
      running[g] = Promise.resolve(null as never);
      for (const [name, { blocks, channels }] of Object.entries(rows.exr)) {
        let file = exr.get(name);
        if (!file) {
          const half = name === "layers" || name === "float";
          files[name] = EXR_NAMES[name] ?? `${name}.exr`;
          const primaries = name === "float" ? primariesOf(plate.encoding.toRec709) : null;
          file = await ExrFile.create(at(files[name]), width, height, half ? "half" : "float", primaries);
          exr.set(name, file);
        }
        await file.appendPacked(blocks, channels);
      }
      await png.picture.append(rows.png.picture);
      await png.prop.append(rows.png.prop);
      found.sum += rows.noise.sum;
      found.count += rows.noise.count;
      found.limited += rows.limited;
      found.samples += rows.samples;
      found.border = worseBorder(found.border, rows.border);
      w.onRows(groups[g][groups[g].length - 1].y1, height);
    }
  } catch (error) {
    for (const file of [png.picture, png.prop, ...exr.values()]) await file.abandon();
    throw error;
  } finally {
    await pool.close();
  }
  for (const file of [png.picture, png.prop, ...exr.values()]) await file.finish();
  return { files, ...found };
}

const EXR_NAMES: Record<string, string> = { premultiplied: "prop.exr", float: "picture.exr" };

/**
 * Writes a render's files from its kept bands on all threads, some rows at a time: picture and prop as PNG, the picture of a
 * plate of floats as EXR as well; ratio, added light, premultiplied prop and depth as they were rendered as float EXR; and,
 * if asked for, all layers in one EXR. Throws if a band is missing.
 */
export async function writeFinal(
  target: string,
  shot: Shot,
  plate: DecodedPlate,
  profile: Uint8Array | null,
  choice: RenderChoice,
  layout: FilmLayout,
  folder: BandFolder,
  onRows: (done: number, of: number) => void = () => undefined,
): Promise<FinalReport> {
  const { width } = sizeAt(plate, choice.percent);
  const { denoise } = choice;
  const source: FilmSource = { kind: "film", folder: folder.folder, name: folder.name, layout, denoise };
  const renderedSigma = filterSigma(filterOf(shot, choice.percent / 100));
  const written = await writeRows({ target, shot, plate, profile, choice, source, renderedSigma, onRows });
  const { limited, samples, files } = written;
  const about: AboutRender = { renderedSigma, percent: choice.percent, samples: choice.samples, seed: choice.seed };
  await writeFile(path.join(target, "render.json"), JSON.stringify(about));
  files.about = "render.json";
  const notices: string[] = [];
  const notice = Object.keys(shot.props).length > 0 ? borderNotice(written.border, plate.width / width) : null;
  if (notice) notices.push(notice);
  // One in a million is nobody's concern.
  if (limited > 1e-6 * samples) {
    const share = (100 * limited) / samples;
    notices.push(
      `${limited} of ${samples} samples (${share < 0.01 ? "less than 0.01" : share.toFixed(2)} %) were held at ${choice.limit} times white in light by way of matt surfaces. Set the limit to 0 to keep them.`,
    );
  }
  return { files, noise: written.count > 0 ? Math.sqrt(written.sum / written.count) : 0, notices };
}

/**
 * Finishes a picture again from its passes as they were written, with the shot's comp of now: nothing is rendered. Writes
 * picture and prop; names of the files by what they are. Throws where a file of the passes cannot be read.
 */
export async function writeFinishedAgain(
  target: string,
  shot: Shot,
  plate: DecodedPlate,
  profile: Uint8Array | null,
  choice: RenderChoice,
  passes: PassPaths,
  renderedSigma: number,
  onRows: (done: number, of: number) => void = () => undefined,
): Promise<Record<string, string>> {
  const source: FileSource = {
    kind: "files",
    files: {
      prop: await readShared(passes.prop),
      ratio: await readShared(passes.ratio),
      added: await readShared(passes.added),
      depth: await readShared(passes.depth),
      occlusion: passes.occlusion ? await readShared(passes.occlusion) : null,
    },
  };
  const written = await writeRows({ target, shot, plate, profile, choice, source, renderedSigma, onRows });
  return written.files;
}
