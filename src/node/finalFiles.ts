import path from "node:path";
import { primariesOf } from "#core/colour/primaries";
import { compositeCodes, finishOf, propCodes } from "#core/comp/composite";
import type { DecodedPlate } from "#core/comp/composite";
import type { ExrChannel } from "#core/image/exr";
import { colourChannels } from "#core/image/exr";
import { fromHalf } from "#core/image/exrRead";
import type { PlateEncoding } from "#core/image/profile";
import { decodeCodes, isFloat, pixelEncoder, shownEncoding } from "#core/image/profile";
import { sizeAt } from "#core/image/resize";
import { lightWeights, scaleProp } from "#core/comp/weights";
import type { PassGroup, RenderChoice } from "#core/render/schema";
import type { Shot } from "#core/shot/schema";
import { borderNotice, catcherBorder } from "#core/trace/border";
import type { FilmLayout, Layer, Passes } from "#core/trace/film";
import { developLayers } from "#core/trace/film";
import { noiseSum } from "#core/trace/noise";
import * as L from "#kernel/layout";
import type { BandFolder } from "./bandFolder.ts";
import { denoisedBands } from "./denoisedBands.ts";
import { ExrFile } from "./exrFile.ts";
import { PngFile } from "./pngFile.ts";
import type { Band } from "./renderScene.ts";
import { bandsOf } from "./renderScene.ts";
import { developBand, plateRowsAt } from "./renderShot.ts";

/** What a finished render is handed over as: file names by what they are, and what was noticed. */
export interface FinalReport {
  files: Record<string, string>;
  /** Root mean square noise over all that was rendered, in 8-bit code values, before any denoising. */
  noise: number;
  notices: string[];
}

/**
 * Writes a render's files from its kept bands, some rows at a time: picture and prop as PNG, the picture of a plate of
 * floats as EXR as well; ratio, added light,
 * premultiplied prop and depth as float EXR; and, if asked for, all layers in one EXR. Throws if a band is missing.
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
  const { width, height } = sizeAt(plate, choice.percent);
  const shown = shownEncoding(plate.encoding);
  const { bits } = shown;
  const at = (name: string) => path.join(target, name);
  const files: Record<string, string> = {
    picture: "picture.png",
    prop: "prop.png",
    ratio: "ratio.exr",
    added: "added.exr",
    premultiplied: "prop.exr",
    depth: "depth.exr",
  };
  const picture = await PngFile.create(at(files.picture), width, height, 3, bits, profile);
  if (isFloat(plate.encoding)) files.float = "picture.exr";
  const float = files.float
    ? await ExrFile.create(at(files.float), width, height, "half", primariesOf(plate.encoding.toRec709))
    : null;
  const prop = await PngFile.create(at(files.prop), width, height, 4, bits, profile);
  const ratio = await ExrFile.create(at(files.ratio), width, height, "float");
  const added = await ExrFile.create(at(files.added), width, height, "float");
  const premultiplied = await ExrFile.create(at(files.premultiplied), width, height, "float");
  const depth = await ExrFile.create(at(files.depth), width, height, "float");
  if (choice.passes.length > 0) files.layers = "layers.exr";
  const layers = files.layers ? await ExrFile.create(at(files.layers), width, height, "half") : null;
  const full = { width: plate.width, height: plate.height, pixels: plate.linear };
  const noise = { sum: 0, count: 0 };
  const border = { border: 0, open: 0, worst: null as { x: number; y: number; ratio: number } | null };
  let [limited, samples] = [0, 0];
  const bands = bandsOf(width, height);
  const read = async (band: Band) => {
    const pixels = await folder.read(band, width, layout.stride);
    if (!pixels) throw new Error("A band of the render is missing from the server's folder. Render it again.");
    return pixels;
  };
  const noiseless = choice.denoise ? await denoisedBands(width, bands, layout, choice, lightWeights(shot), read) : null;
  try {
    for (const [i, band] of bands.entries()) {
      const rows = band.y1 - band.y0;
      const pixels = await read(band);
      const film = { width, height: rows, layout, pixels };
      const passes = noiseless ? await noiseless.of(i) : developBand(shot, film);
      if (noiseless) scaleProp(passes.prop, shot.light.propLevel);
      const part = plateRowsAt(plate, choice.percent, band);
      const codes = compositeCodes(part, passes, finishOf(shot, choice.percent / 100, band.y0));
      await picture.append(float ? reencoded(codes, plate.encoding, shown) : codes);
      await float?.append(rows, colourChannels(halvesOf(codes), 3));
      await prop.append(propCodes(passes, shown));
      await ratio.append(rows, colourChannels(passes.ratio, 3));
      await added.append(rows, colourChannels(passes.added, 3));
      await premultiplied.append(rows, colourChannels(passes.prop, 4));
      await depth.append(rows, [{ name: "Z", values: passes.depth }]);
      if (layers) {
        const own = developLayers(pixels, width, rows, layout);
        await layers.append(rows, [...compositeChannels(passes), ...layerChannels(own, choice.passes)]);
      }
      const noisy = { film: pixels, layout, width, y0: band.y0, height, plate: full };
      const { sum, count } = noiseSum(noisy, { x0: 0, y0: band.y0, x1: width, y1: band.y1 });
      noise.sum += sum;
      noise.count += count;
      const edge = catcherBorder(pixels, width, rows, layout, band.y0, lightWeights(shot));
      border.open += edge.open;
      if (edge.worst && Math.abs(edge.worst.ratio - 1) > Math.abs((border.worst?.ratio ?? 1) - 1))
        border.worst = edge.worst;
      for (let f = 0; f < pixels.length; f += layout.stride) {
        limited += pixels[f + L.FILM_LIMITED];
        samples += pixels[f + L.FILM_SAMPLES];
      }
      onRows(band.y1, height);
    }
  } finally {
    await noiseless?.close();
  }
  for (const file of [picture, float, prop, ratio, added, premultiplied, depth, layers]) await file?.finish();
  const notices: string[] = [];
  const notice = Object.keys(shot.props).length > 0 ? borderNotice(border, plate.width / width) : null;
  if (notice) notices.push(notice);
  // One in a million is nobody's concern.
  if (limited > 1e-6 * samples) {
    const share = (100 * limited) / samples;
    notices.push(
      `${limited} of ${samples} samples (${share < 0.01 ? "less than 0.01" : share.toFixed(2)} %) were held at ${choice.limit} times white in light by way of matt surfaces. Set the limit to 0 to keep them.`,
    );
  }
  return { files, noise: noise.count > 0 ? Math.sqrt(noise.sum / noise.count) : 0, notices };
}

/** Codes of one encoding as those of another. */
export function reencoded(
  codes: Uint8Array | Uint16Array,
  from: PlateEncoding,
  to: PlateEncoding,
): Uint8Array | Uint16Array {
  const linear = decodeCodes(codes, from);
  const out = to.bits === 8 ? new Uint8Array(codes.length) : new Uint16Array(codes.length);
  const encode = pixelEncoder(to);
  for (let i = 0; i < codes.length; i += 3) encode(linear[i], linear[i + 1], linear[i + 2], out, i);
  return out;
}

/** Values of halves, as they stand in the plate's own primaries. */
export const halvesOf = (codes: Uint8Array | Uint16Array): Float32Array => Float32Array.from(codes, fromHalf);

/** Some rows of passes. */
const compositeChannels = (p: Passes): ExrChannel[] => [
  ...colourChannels(p.prop, 4),
  ...colourChannels(p.ratio, 3, "ratio."),
  ...colourChannels(p.added, 3, "added."),
  { name: "Z", values: p.depth, type: "float" },
];

/** To which group a layer belongs. */
function groupOf(name: string): PassGroup {
  if (name.startsWith("light ") || name === "catcher") return "lights";
  if (name.startsWith("matte ")) return "mattes";
  if (name === "emission" || name === "occlusion") return name;
  return "surface";
}

/** Chosen layers as channels; names keep to what every program reads. */
function layerChannels(layers: Map<string, Layer>, passes: PassGroup[]): ExrChannel[] {
  const used = new Set<string>();
  return [...layers].flatMap(([name, { channels, pixels }]) => {
    if (!passes.includes(groupOf(name))) return [];
    const plain = name.replace(/[^A-Za-z0-9]+/g, "_").slice(0, 200);
    let layer = plain;
    for (let n = 2; used.has(layer); n++) layer = `${plain}_${n}`;
    used.add(layer);
    return channels.map((channel, offset) => ({
      name: `${layer}.${channel}`,
      values: pixels,
      offset,
      stride: channels.length,
      type: name === "position" ? ("float" as const) : ("half" as const),
    }));
  });
}
