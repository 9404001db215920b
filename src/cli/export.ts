import { readFile } from "node:fs/promises";
import path from "node:path";
import type { ExportId, HandOverChoice } from "#core/handover/choice";
import { EXPORTS, EXPORT_IDS, PRESETS, newHandOver } from "#core/handover/choice";
import { renderedSigma } from "#core/comp/composite";
import { aboutRender } from "#node/finalFiles";
import type { HandOver } from "#node/handover/exporter";
import type { FinishedPicture } from "#node/handover/finished";
import { finishedPicture } from "#node/handover/finished";
import { handOver } from "#node/handover/index";
import { UsageError, parseOptions, wholeNumber } from "./options.ts";
import { loadShot } from "./render.ts";

const HELP = `harbor export SHOT.json --assets DIR --out DIR [--passes DIR] [options]

Hands a shot over in open files. --passes is a folder that "harbor render" wrote: pictures and layers are of it.

  --preset NAME    ${Object.keys(PRESETS).join(", ")}
  --only LIST      any of ${EXPORT_IDS.join(",")} (with commas)
  --name PATTERN   {shot}, {what}, {width}, {height}, {date}; "{shot}-{what}" if not given
  --percent N      size of pictures, 10 to 200 % of the render's side
  --bits N         8 or 16, of PNG
  --quality N      40 to 100, of JPEG
  --float          EXR layers of whole floats

${EXPORT_IDS.map((id) => `  ${id.padEnd(9)}${EXPORTS[id].label}: ${EXPORTS[id].note}`).join("\n")}
`;

function choiceFrom(options: Map<string, string>): HandOverChoice {
  const choice = newHandOver();
  const preset = options.get("preset");
  if (preset !== undefined) {
    if (!Object.hasOwn(PRESETS, preset))
      throw new UsageError(`There is no preset "${preset}". There are ${Object.keys(PRESETS).join(", ")}.`);
    choice.exports = [...PRESETS[preset].exports];
  }
  const only = options.get("only");
  if (only !== undefined) {
    const names = only.split(",").filter(Boolean);
    const wrong = names.find((n) => !Object.hasOwn(EXPORTS, n));
    if (wrong) throw new UsageError(`There is no "${wrong}" to hand over. There are ${EXPORT_IDS.join(", ")}.`);
    choice.exports = names as ExportId[];
  }
  choice.pattern = options.get("name") ?? choice.pattern;
  if (!choice.pattern.includes("{what}")) throw new UsageError("--name must contain {what}, or files have one name.");
  choice.percent = wholeNumber(options.get("percent"), "percent", choice.percent);
  if (choice.percent < 10 || choice.percent > 200) throw new UsageError("--percent must be from 10 to 200.");
  const bits = wholeNumber(options.get("bits"), "bits", choice.bits);
  if (bits !== 8 && bits !== 16) throw new UsageError("--bits must be 8 or 16.");
  choice.bits = bits;
  choice.quality = wholeNumber(options.get("quality"), "quality", choice.quality);
  if (choice.quality < 40 || choice.quality > 100) throw new UsageError("--quality must be from 40 to 100.");
  choice.float = options.has("float");
  return choice;
}

export async function runExport(args: string[]): Promise<void> {
  const named = ["assets", "out", "passes", "preset", "only", "name", "percent", "bits", "quality"];
  const { plain, options } = parseOptions(args, named, ["help", "float"]);
  if (options.has("help")) {
    process.stdout.write(HELP);
    return;
  }
  const [assets, out, passes] = [options.get("assets"), options.get("out"), options.get("passes")];
  if (plain.length !== 1 || !assets || !out) throw new UsageError("Name a shot document, --assets DIR and --out DIR.");
  const choice = choiceFrom(options);
  const { shot, plate, models, profile, paths } = await loadShot(plain[0], assets);
  const file = async (name: string) => {
    if (!passes) throw new UsageError('Pictures and layers need --passes, a folder that "harbor render" wrote.');
    const full = path.join(passes, name);
    await readFile(full).catch(() => {
      throw new UsageError(`${full} cannot be read. Run "harbor render" first.`);
    });
    return full;
  };
  const optional = (name: string) => file(name).catch(() => null);
  const files: Record<string, string> = {};
  const layers = passes ? await optional("layers.exr") : null;
  if (layers) files.layers = layers;
  let made: Promise<FinishedPicture> | null = null;
  const picture = async (): Promise<FinishedPicture> => {
    const about = passes && (await readFile(path.join(passes, "render.json"), "utf8").catch(() => null));
    const own = {
      prop: await file("prop.exr"),
      ratio: await file("ratio.exr"),
      added: await file("added.exr"),
      depth: await file("depth.exr"),
      occlusion: await optional("occlusion.exr"),
    };
    return finishedPicture(shot, plate, own, about ? aboutRender(about).renderedSigma : renderedSigma(shot, 1));
  };
  const over: HandOver = {
    shot,
    document: shot,
    plate,
    profile,
    models,
    choice,
    picture: () => (made ??= picture()),
    files,
    assets: paths,
    takes: [],
    now: new Date(),
  };
  const written = await handOver(out, over, (share, what) => {
    if (what) process.stderr.write(`${Math.round(100 * share)} % ${what}\n`);
  });
  for (const { name, bytes } of written) process.stdout.write(`${path.join(out, name)} ${bytes} bytes\n`);
}
