import { deflateSync } from "node:zlib";
import type { FinishPart } from "#core/comp/finish";
import { finishRows } from "#core/comp/finish";
import type { DecodedPlate } from "#core/comp/composite";
import { codesOver, propCodes } from "#core/comp/composite";
import { lightWeights, scaleProp } from "#core/comp/weights";
import type { BlockMaker, ExrChannel } from "#core/image/exr";
import { colourChannels, packRows } from "#core/image/exr";
import type { ExrBlock } from "#core/image/exrRead";
import { fromHalf, readExrBlocks } from "#core/image/exrRead";
import type { PlateEncoding } from "#core/image/profile";
import { decodeCodes, isFloat, pixelEncoder, shownEncoding } from "#core/image/profile";
import type { LightPart } from "#core/light/schema";
import type { PassGroup } from "#core/render/schema";
import type { CatcherBorder } from "#core/trace/border";
import { catcherBorder } from "#core/trace/border";
import type { FilmCounts, FilmLayout, LightWeights, Passes } from "#core/trace/film";
import { filmCounts, occlusionOf, somePasses } from "#core/trace/film";
import type { NoisyRows, PartFilter } from "#core/trace/denoise";
import { DENOISE_HALO, denoiseRows, developNoisy, emptyNoisyRows, someNoisyRows } from "#core/trace/denoise";
import type { BlockReader } from "#core/trace/kernelBlocks";
import { kernelBlocks, kernelReader } from "#core/trace/kernelBlocks";
import { kernelFilter } from "#core/trace/kernelDenoise";
import { KernelFilm, kernelPasses } from "#core/trace/kernelFilm";
import type { PngFilter } from "#core/trace/kernelPng";
import { kernelPng } from "#core/trace/kernelPng";
import { SceneMemory, scratchAddress } from "#core/trace/memory";
import { noiseSum } from "#core/trace/noise";
import { BandFolder } from "./bandFolder.ts";
import type { Band, Film } from "./bands.ts";
import { inflateBlock } from "./inflateBlock.ts";
import { layerChannels } from "./filmLayers.ts";
import { newKernelMemory, openKernel } from "./kernelFile.ts";
import type { PassName } from "./passFile.ts";
import { PASS_CHANNELS, passHeader } from "./passFile.ts";
import { plateRowsAt } from "./plateRows.ts";
import type { PngStripe } from "./pngFile.ts";
import { packStripe } from "./pngFile.ts";

/** What finishing a picture's rows needs to know once. */
export interface FinishSetup {
  shot: FinishPart & LightPart;
  /** In memory that all threads share. */
  plate: DecodedPlate;
  percent: number;
  size: { width: number; height: number };
  /** Standard deviation of the filter that was rendered with, pixels of the picture. */
  renderedSigma: number;
  bands: Band[];
  /** Rows beyond those that it gives that finishing looks at. */
  halo: number;
  /** Most rows that one job gives and looks at. */
  mostRows: number;
  source: FilmSource | FileSource;
  /** Layers that go into one file, if any do. */
  passes: PassGroup[];
  occlusion: boolean;
  /** The kernel. */
  module: WebAssembly.Module;
}
/** Films of sums in a folder of bands. */
export interface FilmSource {
  kind: "film";
  folder: string;
  name: string;
  layout: FilmLayout;
  /** True to take the noise out first. */
  denoise: boolean;
}
/** Files of passes that were written before: paths by what they are. */
export interface PassPaths {
  prop: string;
  ratio: string;
  added: string;
  depth: string;
  occlusion: string | null;
}
/** Their bytes, in memory that all threads share. */
export interface FileSource {
  kind: "files";
  files: Record<keyof PassPaths, Uint8Array | null>;
}

/** Some bands together. */
export interface FinishJob {
  bands: Band[];
}

/** What comes out of it: packed rows of every file, and what was noticed. */
export interface FinishedRows {
  exr: Record<string, { blocks: Uint8Array[]; channels: { name: string; type?: "half" | "float" }[] }>;
  png: Record<string, PngStripe>;
  noise: { sum: number; count: number };
  border: CatcherBorder;
  limited: number;
  samples: number;
}

const pack = (raw: Uint8Array) => deflateSync(raw, { level: 2, chunkSize: 1 << 18 });
const STRIDES = { prop: 4, ratio: 3, added: 3, depth: 1 } as const;

function sumOf(values: Float32Array): number {
  let sum = 0;
  for (let i = 0; i < values.length; i++) sum += values[i];
  return sum;
}

/** Finishes rows after rows of one picture. */
export class RowFinisher {
  private readonly folder: BandFolder | null;
  private readonly encode: ReturnType<typeof pixelEncoder>;
  private readonly shown: PlateEncoding;
  private noisy: NoisyRows | null = null;
  private passes: Passes | null = null;

  static async open(setup: FinishSetup): Promise<RowFinisher> {
    return new RowFinisher(setup, await openTools(setup));
  }

  private constructor(
    private readonly setup: FinishSetup,
    private readonly tools: Tools,
  ) {
    const { source, plate } = setup;
    this.folder = source.kind === "film" ? new BandFolder(source.folder, source.name) : null;
    this.encode = pixelEncoder(plate.encoding);
    this.shown = shownEncoding(plate.encoding);
  }

  async finish({ bands }: FinishJob): Promise<FinishedRows> {
    const { setup } = this;
    const { size, shot, plate, percent, source, halo } = setup;
    const { width, height } = size;
    const [y0, y1] = [bands[0].y0, bands[bands.length - 1].y1];
    const [h0, h1] = [Math.max(0, y0 - halo), Math.min(height, y1 + halo)];
    const out: FinishedRows = {
      exr: {},
      png: {},
      noise: { sum: 0, count: 0 },
      border: { border: 0, open: 0, worst: null },
      limited: 0,
      samples: 0,
    };
    const passes = this.emptyPasses(h1 - h0);
    if (source.kind === "files") this.readPasses(source, passes, h0, h1);
    else await this.develop(source, passes, { y0, y1, h0, h1 }, out);
    const rows = y1 - y0;
    const cut = (of: Float32Array, stride: number) =>
      of.subarray((y0 - h0) * width * stride, (y1 - h0) * width * stride);
    if (source.kind === "film") {
      const put = (name: string, channels: ExrChannel[]) => this.putExr(out, name, rows, y0, channels, "float");
      put("ratio", colourChannels(cut(passes.ratio, 3), 3));
      put("added", colourChannels(cut(passes.added, 3), 3));
      put("premultiplied", colourChannels(cut(passes.prop, 4), 4));
      put("depth", [{ name: "Z", values: cut(passes.depth, 1) }]);
      if (passes.occlusion) put("occlusion", [{ name: "Y", values: cut(passes.occlusion, 1) }]);
    }
    const part = plateRowsAt(plate, percent, { y0: h0, y1: h1 });
    const where = { full: size, scale: percent / 100, y0: h0, renderedSigma: setup.renderedSigma };
    const { linear, touched, layers } = finishRows(shot, part, passes, where, { from: y0 - h0, to: y1 - h0 });
    const codes = codesOver(
      { codes: part.codes.subarray((y0 - h0) * width * 3, (y1 - h0) * width * 3), encoding: plate.encoding },
      linear,
      touched,
      this.encode,
    );
    const { png } = this.tools;
    const float = isFloat(plate.encoding);
    if (float) this.putExr(out, "float", rows, y0, colourChannels(halvesOf(codes), 3), "half");
    const own = float ? reencoded(codes, plate.encoding, this.shown) : codes;
    const last = y1 === height;
    out.png.picture = packStripe(png, own, width, 3, last);
    const encode = float ? undefined : this.encode;
    out.png.prop = packStripe(
      png,
      propCodes({ width, height: rows, prop: layers.prop }, this.shown, encode),
      width,
      4,
      last,
    );
    return out;
  }

  /** Room for the passes of so many rows, which the next ones overwrite. */
  private emptyPasses(rows: number): Passes {
    const { size, mostRows } = this.setup;
    // Memory of the kernel's grows and is never given back: room for all jobs is taken at once.
    this.passes ??= kernelPasses(this.tools.memory, size.width, mostRows, this.wantsOcclusion());
    return somePasses(this.passes, rows);
  }

  private wantsOcclusion(): boolean {
    const { source, occlusion } = this.setup;
    return occlusion && (source.kind === "files" ? source.files.occlusion !== null : source.layout.extras > 0);
  }

  /** Passes of rows h0 to h1 from the kept bands, and of rows y0 to y1 what their films alone know. */
  private async develop(
    source: FilmSource,
    passes: Passes,
    at: { y0: number; y1: number; h0: number; h1: number },
    out: FinishedRows,
  ): Promise<void> {
    const { height } = this.setup.size;
    const { layout, denoise } = source;
    const { shot, bands } = this.setup;
    const beyond = denoise ? DENOISE_HALO : 0;
    const [d0, d1] = [Math.max(0, at.h0 - beyond), Math.min(height, at.h1 + beyond)];
    const noisy = denoise ? this.noisyRows(d1 - d0) : null;
    const rendered = noisy ? { ratio: noisy.passes.ratio, y0: d0 } : { ratio: passes.ratio, y0: at.h0 };
    const own = (band: Band) => band.y0 >= at.y0 && band.y1 <= at.y1;
    for (const band of bands) {
      if (band.y1 <= d0 || band.y0 >= d1) continue;
      const { film, there } = await this.readBand(band, layout);
      if (noisy) putNoisy(noisy, film, band, lightWeights(shot), d0, d1);
      else this.developInto(passes, band, at);
      const counts = this.countsOf(film);
      if (passes.occlusion) putOcclusion(passes.occlusion, occlusionOf(counts)!, film, band, at);
      if (!own(band)) continue;
      this.look(film, counts, band, out, rendered);
      if (!noisy) this.packLayers(film, counts, there, band, passes, at.h0, out);
    }
    if (!noisy) return;
    const clean = denoiseRows(noisy, { y0: at.h0 - d0, y1: at.h1 - d0 }, this.tools.filter);
    scaleProp(clean.prop, shot.light.propLevel);
    putRows(passes, clean, d0, at.h0);
    if (this.setup.passes.length === 0) return;
    // Read once more: to hold whole films while the noise is taken out would take more memory than all else.
    for (const band of bands.filter(own)) {
      const { film, there } = await this.readBand(band, layout);
      this.packLayers(film, this.countsOf(film), there, band, passes, at.h0, out);
    }
  }

  /** Rows to develop for denoising, in memory that the next ones overwrite. */
  private noisyRows(rows: number): NoisyRows {
    if (!this.noisy || this.noisy.passes.height < rows) this.noisy = emptyNoisyRows(this.setup.size.width, rows);
    return someNoisyRows(this.noisy, 0, rows);
  }

  /** The film of a band, in memory that the next one overwrites. */
  private async readBand(band: Band, layout: FilmLayout): Promise<{ film: Film; there: Uint8Array }> {
    const { width } = this.setup.size;
    const film = this.tools.film!;
    const packed = await this.folder!.readPacked(band, width, layout.stride, (words) => film.words(words));
    const unpacked = packed && film.unpack(packed.length, width * (band.y1 - band.y0));
    if (!unpacked) throw new Error("A band of the render is missing from the server's folder. Render it again.");
    const { pixels, there } = unpacked;
    return { film: { width, height: band.y1 - band.y0, layout, pixels }, there };
  }

  /** Develops rows h0 to h1 of the band that was read last. */
  private developInto(passes: Passes, band: Band, { h0, h1 }: { h0: number; h1: number }): void {
    const film = this.tools.film!;
    const { shot, size } = this.setup;
    const { width } = size;
    const [from, to] = [Math.max(h0, band.y0), Math.min(h1, band.y1)];
    if (from >= to) return;
    const [first, count, into] = [(from - band.y0) * width, (to - from) * width, (from - h0) * width];
    film.develop(lightWeights(shot), first, count, passes, into);
    scaleProp(passes.prop.subarray(into * 4, (into + count) * 4), shot.light.propLevel);
  }

  private countsOf({ pixels, width, height, layout }: Film): FilmCounts {
    const film = this.tools.film!;
    return filmCounts(pixels, width * height, layout, film.planesOf);
  }

  /** Noise, borders and counts of a band; `rendered` holds its ratio among other rows. */
  private look(
    film: Film,
    counts: FilmCounts,
    band: Band,
    out: FinishedRows,
    rendered: { ratio: Float32Array; y0: number },
  ): void {
    const { size, plate } = this.setup;
    const { pixels, layout, width, height: rows } = film;
    const full = { width: plate.width, height: plate.height, pixels: plate.linear };
    const { sum, count } = noiseSum(
      { film: pixels, layout, width, y0: band.y0, height: size.height, plate: full },
      { x0: 0, y0: band.y0, x1: width, y1: band.y1 },
      counts.samples,
    );
    out.noise.sum += sum;
    out.noise.count += count;
    const from = band.y0 - rendered.y0;
    const ratio = rendered.ratio.subarray(from * width * 3, (from + rows) * width * 3);
    const below = { plate: full, height: size.height };
    out.border = worseBorder(out.border, catcherBorder(counts, ratio, width, rows, band.y0, below));
    out.limited += sumOf(counts.limited);
    out.samples += sumOf(counts.samples);
  }

  private packLayers(
    film: Film,
    counts: FilmCounts,
    there: Uint8Array,
    band: Band,
    passes: Passes,
    h0: number,
    out: FinishedRows,
  ): void {
    if (this.setup.passes.length === 0) return;
    const { pixels, layout, width, height: rows } = film;
    const skip = (band.y0 - h0) * width;
    const part = (of: Float32Array, stride: number) => of.subarray(skip * stride, (skip + rows * width) * stride);
    const channels: ExrChannel[] = [
      ...colourChannels(part(passes.prop, 4), 4),
      ...colourChannels(part(passes.ratio, 3), 3, "ratio."),
      ...colourChannels(part(passes.added, 3), 3, "added."),
      { name: "Z", values: part(passes.depth, 1), type: "float" },
      ...layerChannels(pixels, counts, there, layout, this.setup.passes),
    ];
    this.putExr(out, "layers", rows, band.y0, channels, "half");
  }

  private putExr(
    out: FinishedRows,
    name: string,
    rows: number,
    y0: number,
    channels: ExrChannel[],
    type: "half" | "float",
  ): void {
    const blocks = packRows(this.setup.size.width, rows, y0, channels, type, pack, this.tools.blocks);
    const before = out.exr[name];
    if (before) before.blocks.push(...blocks);
    else out.exr[name] = { blocks, channels: channels.map((c) => ({ name: c.name, type: c.type })) };
  }

  /** Passes of rows from the files that hold them. */
  private readPasses({ files }: FileSource, passes: Passes, h0: number, h1: number): void {
    const { reader } = this.tools;
    for (const name of Object.keys(PASS_CHANNELS) as PassName[]) {
      const values = passes[name];
      if (!values) continue;
      const bytes = files[name]!;
      const header = passHeader(bytes, name, this.setup.size);
      const stride = PASS_CHANNELS[name].length;
      const targets = new Map(PASS_CHANNELS[name].map((channel, offset) => [channel, { values, offset, stride }]));
      const put = (block: ExrBlock) => reader(block, header, targets, h0, h0, h1);
      readExrBlocks(bytes, header, put, { from: h0, to: h1, inflate: inflateBlock });
    }
  }
}

/** What works in the kernel, in memory of this finisher's own. */
interface Tools {
  memory: SceneMemory;
  png: PngFilter;
  blocks: BlockMaker;
  reader: BlockReader;
  filter: PartFilter;
  film: KernelFilm | null;
}

async function openTools({ module, bands, size, source }: FinishSetup): Promise<Tools> {
  const own = newKernelMemory();
  const kernel = await openKernel(module, own, scratchAddress(0));
  const memory = new SceneMemory(own);
  const rows = Math.max(...bands.map(({ y0, y1 }) => y1 - y0));
  return {
    memory,
    png: kernelPng(kernel, memory),
    blocks: kernelBlocks(kernel, memory),
    reader: kernelReader(kernel, memory),
    filter: kernelFilter(kernel, memory),
    film: source.kind === "film" ? new KernelFilm(kernel, memory, rows * size.width, source.layout) : null,
  };
}

/** Puts rows of passes that begin at `y0` into those that begin at `h0`, as far as both have them. */
function putRows(into: Passes, rows: Passes, y0: number, h0: number): void {
  const { width } = into;
  const [from, to] = [Math.max(h0, y0), Math.min(h0 + into.height, y0 + rows.height)];
  for (const [key, stride] of Object.entries(STRIDES) as [keyof typeof STRIDES, number][])
    into[key].set(
      rows[key].subarray((from - y0) * width * stride, (to - y0) * width * stride),
      (from - h0) * width * stride,
    );
}

function putOcclusion(
  into: Float32Array,
  open: Float32Array,
  { width }: Film,
  band: Band,
  { h0, h1 }: { h0: number; h1: number },
): void {
  const [from, to] = [Math.max(h0, band.y0), Math.min(h1, band.y1)];
  if (from >= to) return;
  into.set(open.subarray((from - band.y0) * width, (to - band.y0) * width), (from - h0) * width);
}

/** Develops a band's rows among d0 to d1 for denoising. */
function putNoisy(
  into: NoisyRows,
  { pixels, layout, width }: Film,
  band: Band,
  weights: LightWeights,
  d0: number,
  d1: number,
): void {
  const [from, to] = [Math.max(d0, band.y0), Math.min(d1, band.y1)];
  const rows = pixels.subarray((from - band.y0) * width * layout.stride, (to - band.y0) * width * layout.stride);
  developNoisy(rows, layout, weights, someNoisyRows(into, from - d0, to - d0));
}

/** Two lookings at a catcher's border together. */
export function worseBorder(a: CatcherBorder, b: CatcherBorder): CatcherBorder {
  const off = ({ worst }: CatcherBorder) => Math.abs((worst?.ratio ?? 1) - 1);
  return { border: a.border + b.border, open: a.open + b.open, worst: off(b) > off(a) ? b.worst : a.worst };
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
