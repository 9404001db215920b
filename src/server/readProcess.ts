import { createHash } from "node:crypto";
import { mkdir, readFile, writeFile } from "node:fs/promises";
import type { Sharp } from "sharp";
import sharp from "sharp";
import { readAsset } from "#core/exchange/asset";
import { ModelError, importGlb } from "#core/exchange/gltf";
import { unpacked } from "#core/exchange/files";
import type { BundleHead } from "#node/handover/bundle";
import { BUNDLE_HEAD } from "#node/handover/bundle";
import { decodeTexture } from "#node/images";
import type { Vec3 } from "#core/math/vec3";
import type { Model } from "#core/props/model";
import { modelBounds, triangleCount } from "#core/props/model";
import { readModel as withReading } from "#core/props/reading";
import type { Reading } from "#core/props/schema";
import { storable } from "#core/text/storable";
import type { Shot } from "#core/shot/schema";
import type { BakeChoice } from "#core/shot/api";
import type { BroughtModel } from "#node/readModel";
import { readModel } from "#node/readModel";
import { modelPortrait } from "#node/modelPortrait";
import { BakeError, bakeFile } from "#node/bakeFile";
import { packCodes, unpackCodes } from "#node/packedCodes";
import { linearToCode } from "#core/colour/srgb";
import { decodeCodes } from "#core/image/profile";
import { isFloatPlate, openFloatPlate } from "#node/floatPlates";
import { PlateError } from "#node/plateError";
import { openPlate } from "#node/plates";
import type { OpenedSurroundings } from "#node/surroundings";
import { openSurroundings } from "#node/surroundings";
import type { OpenedPlate } from "#node/plates";

/**
 * Reads files that came from outside, in a process of its own: whatever a damaged or malicious file makes of a decoder
 * ends here and not in the server, which watches this process's memory and time and kills it beyond its limits.
 */

export interface WrittenFile {
  path: string;
  hash: string;
}

/** What is asked of a file, and what is answered. */
export interface ReadTasks {
  plate: {
    ask: { codes: string; profile: string; thumbnail: string };
    answer: Pick<OpenedPlate, "width" | "height" | "encoding" | "exif" | "notices"> & {
      codes: WrittenFile;
      profile: WrittenFile | null;
      thumbnail: WrittenFile;
    };
  };
  /** Files that came together (or a zip of them) as one GLB; `kept` is null where the file already is that. */
  model: {
    ask: { to: string };
    answer: Omit<BroughtModel, "glb"> & { kept: WrittenFile | null };
  };
  /** A model's picture for the library, and what is told of it; `reading` says how the file is read. */
  portrait: {
    ask: { to: string; reading: Reading };
    answer: { picture: WrittenFile; triangles: number; materials: number; size: Vec3; copyright: string };
  };
  /** A picture, upright; `kept` where its file had to be written anew for that, else its own file is kept. */
  picture: { ask: { to: string }; answer: { width: number; height: number; kept: WrittenFile | null } };
  /** A picture of the surroundings as the EXR that is kept. */
  surroundings: {
    ask: { to: string };
    answer: Omit<OpenedSurroundings, "exr"> & { kept: WrittenFile };
  };
  /** The plate baked into a texture of a part or prop; the file is the plate's codes. */
  bake: {
    ask: { shot: Shot; choice: BakeChoice; models: Record<string, string>; to: string };
    answer: WrittenFile;
  };
  /** A shot that was handed over as one file: its document and takes, and the files that they name. */
  bundle: {
    ask: { to: string };
    answer: Pick<BundleHead, "shot" | "takes"> & { files: WrittenFile[] };
  };
  /** A smaller JPEG of a picture, upright, within a box. */
  small: { ask: { to: string; width: number; height: number }; answer: WrittenFile };
}
export type ReadTask = keyof ReadTasks;

export interface ReadOrder {
  task: ReadTask;
  /** The file to read, and the name that its user knows it by. */
  path: string;
  name: string;
  ask: unknown;
}

/** Where a file is refused, a sentence and a hint; where reading itself failed, the reason. */
export type ReadReply =
  | { kind: "answer"; answer: unknown }
  | { kind: "refused"; message: string; hint: string }
  | { kind: "failed"; message: string };

/** Said before the reply: from now on the time of reading counts. */
export interface ReadBegun {
  kind: "begun";
}

/** Said in between: how much is read. */
export interface ReadProgress {
  kind: "progress";
  share: number;
}

const tell = (share: number): void => void process.send!({ kind: "progress", share } satisfies ReadProgress);

async function written(path: string, bytes: Uint8Array): Promise<WrittenFile> {
  await writeFile(path, bytes, { flush: true });
  return { path, hash: createHash("sha256").update(bytes).digest("hex") };
}

/** A picture as sharp takes it; one of floats as it looks on a screen. */
function pictureOf(bytes: Uint8Array, name: string): Sharp {
  if (!isFloatPlate(bytes)) return sharp(bytes, { failOn: "error" }).rotate();
  const { width, height, codes, encoding } = openFloatPlate(bytes, name);
  const linear = decodeCodes(codes, encoding);
  const raw = Uint8Array.from(linear, (value) => linearToCode(value, 8));
  return sharp(raw, { raw: { width, height, channels: 3 } });
}

const smallJpeg = (bytes: Uint8Array, width: number, height: number, name = "picture"): Promise<Buffer> =>
  pictureOf(bytes, name)
    .resize(width, height, { fit: "inside", withoutEnlargement: true })
    .flatten({ background: "#000000" })
    .jpeg({ quality: 84 })
    .toBuffer();

/** Whether a colour profile names sRGB; newer profiles are named in sixteen bits a letter. */
const isSrgb = (profile: Buffer): boolean => profile.toString("latin1").replaceAll("\0", "").includes("sRGB");

/** Kinds of pictures that are read: none that is a program of its own, as SVG is. */
const PICTURES = new Set(["jpeg", "png", "webp", "tiff"]);

const tasks: { [T in ReadTask]: (order: ReadOrder, ask: ReadTasks[T]["ask"]) => Promise<ReadTasks[T]["answer"]> } = {
  async bundle({ path, name }, { to }) {
    const refuse = (why: string) =>
      new ModelError(`“${name}” ${why}. Hand the shot over again as one file, and bring that.`);
    const all = unpacked([{ path: name, bytes: new Uint8Array(await readFile(path)) }]);
    const head = all.find((file) => file.path === BUNDLE_HEAD);
    if (!head) throw refuse("is no shot handed over as one file");
    const { shot, takes, bundle } = JSON.parse(Buffer.from(head.bytes).toString("utf8")) as BundleHead;
    if (bundle !== 1) throw refuse("is of a kind that is not known here");
    await mkdir(to, { recursive: true });
    const files: WrittenFile[] = [];
    for (const file of all) {
      const [, hash] = /^assets\/([0-9a-f]{64})$/.exec(file.path) ?? [];
      if (!hash) continue;
      const own = await written(`${to}/${hash}`, file.bytes);
      if (own.hash !== hash) throw refuse("was changed on its way: a file in it is not what its name says");
      files.push(own);
    }
    return { shot, takes: Array.isArray(takes) ? takes : [], files };
  },

  async plate({ path, name }, ask) {
    const bytes = await readFile(path);
    const { width, height, encoding, exif, notices, profile, codes } = await openPlate(bytes, name);
    return {
      width,
      height,
      encoding,
      exif,
      notices,
      codes: await written(ask.codes, await packCodes(codes, width)),
      profile: profile && (await written(ask.profile, profile)),
      thumbnail: await written(ask.thumbnail, await smallJpeg(bytes, 640, 420, name)),
    };
  },
  async model({ path, name }, { to }) {
    const bytes = new Uint8Array(await readFile(path));
    const { glb, ...read } = await readModel([{ path: name, bytes }], tell);
    return { ...read, kept: glb === bytes ? null : await written(to, glb) };
  },
  async portrait({ path }, { to, reading }) {
    const bytes = new Uint8Array(await readFile(path));
    const imported = await importGlb(bytes, decodeTexture);
    const model = withReading(imported.model, reading);
    const { low, high } = modelBounds(model);
    return {
      picture: await written(to, await modelPortrait(model)),
      triangles: triangleCount(model),
      materials: model.materials.length,
      size: low.map((x, k) => high[k] - x) as Vec3,
      copyright: storable(imported.copyright),
    };
  },
  async picture({ path, name }, { to }) {
    const refused = () =>
      new PlateError(
        `“${name}” is not a picture that can be read.`,
        "Save it as JPEG, PNG, WebP or TIFF and drop it again.",
      );
    const bytes = await readFile(path);
    const meta = await sharp(bytes, { limitInputPixels: 120_000_000 })
      .metadata()
      .catch(() => null);
    if (!meta || !PICTURES.has(meta.format)) throw refused();
    await smallJpeg(bytes, 64, 64).catch(() => {
      throw refused();
    });
    const { width, height } = meta.autoOrient;
    const turned = (meta.orientation ?? 1) > 1;
    // Tracer and page take a picture's codes as sRGB, and the page reads no TIFF.
    const inOwnColours = (meta.icc !== undefined && !isSrgb(meta.icc)) || meta.space === "cmyk";
    if (!turned && !inOwnColours && meta.format !== "tiff") return { width, height, kept: null };
    const upright = sharp(bytes).rotate().toColourspace("srgb");
    const anew = meta.format === "jpeg" ? upright.jpeg({ quality: 96, chromaSubsampling: "4:4:4" }) : upright.png();
    return { width, height, kept: await written(to, await anew.toBuffer()) };
  },
  async surroundings({ path, name }, { to }) {
    const { exr, ...told } = await openSurroundings(new Uint8Array(await readFile(path)), name, tell);
    return { ...told, kept: await written(to, exr) };
  },
  async bake({ path }, { shot, choice, models, to }) {
    const codes = await unpackCodes(new Uint8Array(await readFile(path)), shot.plates.main);
    const loaded = new Map<string, Model>();
    for (const [hash, file] of Object.entries(models))
      loaded.set(hash, await readAsset(new Uint8Array(await readFile(file)), decodeTexture));
    return written(to, await bakeFile(shot, codes, loaded, choice));
  },
  async small({ path }, { to, width, height }) {
    return written(to, await smallJpeg(await readFile(path), width, height));
  },
};

async function reply(order: ReadOrder): Promise<ReadReply> {
  try {
    const run = tasks[order.task] as (o: ReadOrder, ask: unknown) => Promise<unknown>;
    return { kind: "answer", answer: await run(order, order.ask) };
  } catch (error) {
    if (error instanceof PlateError) return { kind: "refused", message: error.message, hint: error.hint };
    if (error instanceof BakeError) return { kind: "refused", message: error.message, hint: "" };
    if (error instanceof ModelError) {
      const hint = "Nothing was changed; drop the mended file again.";
      const named = error.message.includes(`“${order.name}”`) ? error.message : `“${order.name}”: ${error.message}`;
      return { kind: "refused", message: named, hint };
    }
    return { kind: "failed", message: (error as Error).message };
  }
}

sharp.cache(false);
process.on("disconnect", () => process.exit(0));
process.on("message", (order: ReadOrder) => {
  process.send!({ kind: "begun" } satisfies ReadBegun);
  void reply(order).then((answer) => process.send!(answer));
});
