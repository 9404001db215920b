import { createHash } from "node:crypto";
import { mkdir, mkdtemp, readFile, readdir, rm, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";
import { primariesOf } from "#core/colour/primaries";
import { finishedCodes } from "#core/comp/composite";
import type { DecodedPlate } from "#core/comp/composite";
import { readAsset } from "#core/exchange/asset";
import { colourChannels, writeExr } from "#core/image/exr";
import { decodeCodes, isFloat, shownEncoding } from "#core/image/profile";
import { sizeAt } from "#core/image/resize";
import type { Model } from "#core/props/model";
import type { PassGroup, RenderChoice } from "#core/render/schema";
import { assetsOf, modelsOf } from "#core/shot/assets";
import type { Shot } from "#core/shot/schema";
import { PASS_GROUPS } from "#core/render/schema";
import { parseShot } from "#core/shot/schema";
import { emptyPasses } from "#core/trace/film";
import { BandFolder } from "#node/bandFolder";
import { aboutRender, writeFinal } from "#node/finalFiles";
import { halvesOf, reencoded } from "#node/finishRowsJob";
import { decodeTexture } from "#node/images";
import { openPlate } from "#node/plates";
import { writePng } from "#node/png";
import { readExr, readExrChannels } from "#core/image/exrRead";
import { unpackCodes } from "#node/packedCodes";
import { plateAt, plateOf } from "#node/plateRows";
import { renderIntoFolder } from "#node/renderShot";
import { UsageError, parseOptions, readInput, wholeNumber } from "./options.ts";

const HELP = `harbor render SHOT.json --assets DIR --out DIR [options]

SHOT.json is a shot document. DIR of --assets holds its plate and models, under any name or under their SHA-256.
Writes picture.png, prop.png, ratio.exr, added.exr and, with --passes, layers.exr; prop.exr and depth.exr are for "harbor comp".
What is not given is taken from the document.

  --percent N      size, 25 to 200 % of the plate's side
  --samples N      most samples of a pixel
  --noise N        noise in 8-bit code values at which a tile is done; 0 renders every sample
  --passes LIST    ${PASS_GROUPS.join(",")} (any, with commas)
  --denoise        filter prop, ratio and added light; the plate stays as it is
  --threads N      threads; all if not given
  --keep DIR       keeps finished bands there, and goes on from those that it finds
`;

/** Files of a folder by their SHA-256: those named so at once, others by their contents. */
async function findAssets(
  folder: string,
  wanted: Set<string>,
  paths: Record<string, string> = {},
): Promise<Map<string, Uint8Array>> {
  const found = new Map<string, Uint8Array>();
  const entries = await readdir(folder, { recursive: true, withFileTypes: true }).catch(() => {
    throw new UsageError(`The folder ${folder} of --assets cannot be read.`);
  });
  for (const entry of entries) {
    if (!entry.isFile() || found.size === wanted.size) continue;
    const full = path.join(entry.parentPath, entry.name);
    const bytes = new Uint8Array(await readFile(full));
    const hash = createHash("sha256").update(bytes).digest("hex");
    if (!wanted.has(hash)) continue;
    found.set(hash, bytes);
    paths[hash] = full;
  }
  return found;
}

export interface LoadedShot {
  shot: Shot;
  plate: DecodedPlate;
  models: Map<string, Model>;
  profile: Uint8Array | null;
  /** Where its files lie, by hash. */
  paths: Record<string, string>;
}

/** A shot document with its plate and models from a folder. */
export async function loadShot(file: string, folder: string): Promise<LoadedShot> {
  let document: unknown;
  try {
    document = JSON.parse(await readInput(file));
  } catch (error) {
    if (error instanceof UsageError) throw error;
    throw new UsageError(`${file} is not JSON: ${(error as Error).message}`);
  }
  const shot = parseShot(document);
  const modelHashes = modelsOf(shot);
  const paths: Record<string, string> = {};
  const wanted = new Set([...assetsOf(shot), shot.plates.main.asset, shot.plates.main.codes, ...modelHashes]);
  const assets = await findAssets(folder, wanted, paths);
  const kept = assets.get(shot.plates.main.codes);
  let codes = kept && (await unpackCodes(kept, shot.plates.main));
  let profile: Uint8Array | null = null;
  const original = assets.get(shot.plates.main.asset);
  if (original) {
    const opened = await openPlate(original, shot.plates.main.fileName);
    codes ??= new Uint8Array(opened.codes.buffer, opened.codes.byteOffset, opened.codes.byteLength);
    profile = shot.plates.main.profile ? opened.profile : null;
  }
  if (!codes)
    throw new UsageError(
      `The plate (${shot.plates.main.fileName}, SHA-256 ${shot.plates.main.asset}) is not in ${folder}.`,
    );
  const models = new Map<string, Model>();
  for (const hash of modelHashes) {
    const bytes = assets.get(hash);
    if (!bytes) throw new UsageError(`A model (SHA-256 ${hash}) is not in ${folder}.`);
    models.set(hash, await readAsset(bytes, decodeTexture));
  }
  return { shot, plate: plateOf(shot, codes), models, profile, paths };
}

/** The document's settings, changed by the options. */
function choiceFrom(shot: Shot, options: Map<string, string>): RenderChoice {
  const choice = { ...shot.render };
  choice.percent = wholeNumber(options.get("percent"), "percent", choice.percent);
  if (choice.percent < 25 || choice.percent > 200) throw new UsageError("--percent must be from 25 to 200.");
  choice.samples = wholeNumber(options.get("samples"), "samples", choice.samples);
  if (options.has("noise")) {
    choice.noise = Number(options.get("noise"));
    if (!(choice.noise >= 0)) throw new UsageError("--noise must be a number, 0 or more.");
  }
  if (options.has("passes")) {
    const names = options.get("passes")!.split(",").filter(Boolean);
    const wrong = names.find((n) => !(PASS_GROUPS as readonly string[]).includes(n));
    if (wrong) throw new UsageError(`There is no pass "${wrong}". There are ${PASS_GROUPS.join(", ")}.`);
    choice.passes = names as PassGroup[];
  }
  if (options.has("denoise")) choice.denoise = true;
  if (options.has("threads")) choice.threads = wholeNumber(options.get("threads"), "threads", 1);
  return choice;
}

export async function runRender(args: string[]): Promise<void> {
  const named = ["assets", "out", "samples", "percent", "noise", "passes", "threads", "keep"];
  const { plain, options } = parseOptions(args, named, ["help", "denoise"]);
  if (options.has("help")) {
    process.stdout.write(HELP);
    return;
  }
  const [assets, out] = [options.get("assets"), options.get("out")];
  if (plain.length !== 1 || !assets || !out) throw new UsageError("Name a shot document, --assets DIR and --out DIR.");
  const { shot, plate, models, profile } = await loadShot(plain[0], assets);
  const choice = choiceFrom(shot, options);
  const kept = options.get("keep");
  const bands = kept ?? (await mkdtemp(path.join(tmpdir(), "harbor-render-")));
  const { threads, ...rest } = choice;
  const folder = new BandFolder(bands, JSON.stringify([shot, rest]));
  try {
    const layout = await renderIntoFolder(shot, plate, models, choice, folder, {
      threads: threads || undefined,
      onProgress: (p) =>
        process.stderr.write(`\r${Math.floor(p.samples)}/${p.total} samples, ${Math.ceil(p.secondsLeft)} s left   `),
    });
    process.stderr.write("\n");
    await mkdir(out, { recursive: true });
    const report = await writeFinal(out, shot, plate, profile, choice, layout, folder);
    for (const notice of report.notices) process.stderr.write(`${notice}\n`);
    const { width, height } = sizeAt(plate, choice.percent);
    process.stdout.write(
      `${path.join(out, report.files.picture)} ${width} × ${height}, noise ${report.noise.toFixed(2)} code values\n`,
    );
  } finally {
    if (!kept) await rm(bands, { recursive: true, force: true });
  }
}

const COMP_HELP = `harbor comp SHOT.json --assets DIR --passes DIR --out PICTURE.png|.exr

Composites prop.exr, ratio.exr and added.exr of --passes over the shot's plate, in linear light.
`;

export async function runComp(args: string[]): Promise<void> {
  const { plain, options } = parseOptions(args, ["assets", "passes", "out"], ["help"]);
  if (options.has("help")) {
    process.stdout.write(COMP_HELP);
    return;
  }
  const [assets, folder, out] = ["assets", "passes", "out"].map((name) => options.get(name));
  if (plain.length !== 1 || !assets || !folder || !out) {
    throw new UsageError("Name a shot document, --assets DIR, --passes DIR and --out PICTURE.png or .exr.");
  }
  const { shot, plate, profile } = await loadShot(plain[0], assets);
  const read = async (name: string, stride: 3 | 4) => {
    const bytes = await readFile(path.join(folder, name)).catch(() => {
      throw new UsageError(`${path.join(folder, name)} cannot be read. Run "harbor render" first.`);
    });
    return readExr(new Uint8Array(bytes), stride);
  };
  const [prop, ratio, added] = [await read("prop.exr", 4), await read("ratio.exr", 3), await read("added.exr", 3)];
  const one = async (name: string, channel: string) => {
    const bytes = await readFile(path.join(folder, name)).catch(() => null);
    return bytes && (readExrChannels(new Uint8Array(bytes)).channels.get(channel) ?? null);
  };
  const about = await readFile(path.join(folder, "render.json"), "utf8").catch(() => null);
  const percent = Math.round((prop.width / shot.plates.main.width) * 100);
  const passes = {
    ...emptyPasses(prop.width, prop.height),
    prop: prop.pixels,
    ratio: ratio.pixels,
    added: added.pixels,
    depth: (await one("depth.exr", "Z")) ?? new Float32Array(prop.width * prop.height),
    occlusion: await one("occlusion.exr", "Y"),
  };
  const codes = finishedCodes(
    shot,
    plateAt(plate, percent),
    passes,
    percent / 100,
    about ? aboutRender(about).renderedSigma : undefined,
  );
  const { encoding } = plate;
  if (/\.exr$/i.test(out)) {
    // Floats stand in the plate's own primaries; codes of a curve are written as linear Rec. 709.
    const own = isFloat(encoding);
    const channels = colourChannels(own ? halvesOf(codes) : decodeCodes(codes, encoding), 3);
    const primaries = own ? primariesOf(encoding.toRec709) : null;
    await writeFile(out, writeExr(prop.width, prop.height, channels, "half", primaries));
  } else {
    const shown = isFloat(encoding) ? reencoded(codes, encoding, shownEncoding(encoding)) : codes;
    await writeFile(out, await writePng(shown, prop.width, prop.height, 3, profile));
  }
  process.stdout.write(`${out} ${prop.width} × ${prop.height}\n`);
}
