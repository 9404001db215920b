import { expose, transfer } from "comlink";
import { compositeLinear, filterOf, renderedSigma, wantsOcclusion } from "#core/comp/composite";
import { finishRows } from "#core/comp/finish";
import { SCREEN_WIDTH, ShrunkLayer, depthOfCover, screenBytes } from "#core/comp/screen";
import type { DecodedPlate } from "#core/comp/composite";
import { linearToCode } from "#core/colour/srgb";
import { readAsset } from "#core/exchange/asset";
import { decodeCodes, shownLight } from "#core/image/profile";
import { resampleRows, sizeAt } from "#core/image/resize";
import type { ProbedLight } from "#core/render/probeLight";
import type { PlateAlbedo } from "#core/render/plateAlbedo";
import { plateAlbedo } from "#core/render/plateAlbedo";
import { probeLight } from "#core/render/probeLight";
import type { Model } from "#core/props/model";
import { partOf, sourcesOf } from "#core/comp/parts";
import { lightWeights, scaleProp } from "#core/comp/weights";
import { provideFiles } from "#core/render/files";
import { traceSceneOf } from "#core/render/scene";
import { modelsOf } from "#core/shot/assets";
import type { Shot } from "#core/shot/schema";
import { staleKey } from "#core/shot/stale";
import { borderNotice, catcherBorder } from "#core/trace/border";
import { denoiseParts, developNoisy, emptyNoisyRows } from "#core/trace/denoise";
import type { FillMap } from "#core/trace/fill";
import { measureFill, reuseFill } from "#core/trace/fill";
import type { Passes } from "#core/trace/film";
import { PROOF_SUMS, developFilm, filmCounts, occlusionOf } from "#core/trace/film";
import { kernelFilter } from "#core/trace/kernelDenoise";
import type { Kernel } from "#core/trace/kernel";
import { MEMORY_PAGES } from "#core/trace/kernel";
import { GENERATION_ADDRESS, SceneMemory, scratchAddress } from "#core/trace/memory";
import { meanNoise } from "#core/trace/noise";
import type { Picture, TraceScene } from "#core/trace/scene";
import type { FillJob, Region, TileJob, TileReport } from "#core/trace/tiles";
import { TILE_SIZE, rewindTiles } from "#core/trace/tiles";
import type { LoadedScene } from "#core/trace/upload";
import { SceneLoader, aimFilm, clearFilm } from "#core/trace/upload";
import { fetchCodes } from "../plateCodes.ts";
import { decodeImage } from "../decodeImage.ts";
import type { TileStart } from "./tile.worker.ts";

/**
 * The proof: renders the shot over its plate, first small and at once, then at full size with more and more samples.
 * When a newer shot comes in, only what changed is done again: another comp is laid over the samples that are there,
 * a moved prop or lamp keeps models, textures and plate in memory. Tile workers trace; this one prepares and develops.
 */
export type ProofOrder =
  | {
      kind: "render";
      shot: Shot;
      samples: number;
      region: Region | null;
      /** The only source whose part of the picture is shown; null for the picture. */
      solo: string | null;
    }
  /** Ends the render; `keep` lets the samples under way be finished, so that what is there can be developed anew. */
  | { kind: "stop"; keep: boolean }
  /** Where questions that have an answer of their own come in: see `ProofAsks`. */
  | { kind: "asks"; port: MessagePort };

/** A picture of the proof so far. */
export interface ProofPicture {
  bitmap: ImageBitmap;
  /** Size of the whole frame at the scale that is rendered, and the part of it that the bitmap shows. */
  width: number;
  height: number;
  part: Region;
  samples: number;
  target: number;
  secondsLeft: number | null;
  /** Rays and samples a second. */
  rays: number;
  rate: number;
  /** Noise in 8-bit code values; null before there are two samples. */
  noise: number | null;
  denoised: boolean;
  notice: string | null;
}

export type ProofReport =
  | ({ kind: "picture" } & ProofPicture)
  /** What is shown still has its noise; so much of it has been taken away. */
  | { kind: "denoising"; share: number }
  | { kind: "done" }
  | { kind: "stopped" }
  | { kind: "failed"; message: string };

/** A measurement of the light, which takes the render's place until it is done. */
interface ProbeOrder {
  kind: "probe";
  shot: Shot;
  ask: (kernel: Kernel, memory: SceneMemory, plate: Picture) => void;
  fail: (message: string) => void;
}
type Order = Exclude<ProofOrder, { kind: "asks" }> | ProbeOrder;

type RenderOrder = Extract<ProofOrder, { kind: "render" }>;

const MAX_DEPTH = 8;
/** Width of the thumbnails of the sources, pixels. */
const THUMB = 120;
const report = (r: ProofReport, transfer: Transferable[] = []) => self.postMessage(r, { transfer });

interface Engine {
  kernel: Kernel;
  memory: WebAssembly.Memory;
  scene: SceneMemory;
  loader: SceneLoader;
  tiles: Worker[];
}

/** What is in the tracer's memory, and how far it has come. */
interface Live {
  key: string;
  scene: TraceScene;
  loaded: LoadedScene;
  /** Rows and columns that the film holds. */
  part: Region;
  small: boolean;
  done: number;
  rays: number;
  seconds: number;
}

let engine: Promise<Engine> | null = null;
let plate: {
  /** What it was decoded from. */
  own: string;
  decoded: DecodedPlate;
  picture: { width: number; height: number; pixels: Float32Array };
} | null = null;
const models = new Map<string, Model>();
let latest: Order | null = null;
/** Probes that were begun: they tell their result themselves. */
const probing = new WeakSet<ProbeOrder>();
let working = false;
let live: Live | null = null;
let fill: { key: string; samples: number; map: FillMap } | null = null;

/** What the samples depend on: a change of anything else only develops them anew. */
const traceKey = ({ shot, region }: RenderOrder): string => `${staleKey(shot, "film")}${JSON.stringify(region)}`;

async function startEngine(): Promise<Engine> {
  const response = await fetch("/kernel.wasm");
  if (!response.ok) {
    const { message } = (await response.json().catch(() => ({}))) as { message?: string };
    throw new Error(message ?? "The tracer is not built. Run “npm run build” and reload the page.");
  }
  const module = await WebAssembly.compile(await response.arrayBuffer());
  const memory = new WebAssembly.Memory(MEMORY_PAGES);
  const instance = await WebAssembly.instantiate(module, { env: { memory } });
  const kernel = instance.exports as unknown as Kernel;
  kernel.setScratch(scratchAddress(0));
  const count = Math.max(1, Math.min(16, navigator.hardwareConcurrency || 2));
  const tiles = await Promise.all(
    Array.from({ length: count }, (_, i) => {
      const worker = new Worker(new URL("./tile.worker.ts", import.meta.url), { type: "module" });
      return new Promise<Worker>((resolve, reject) => {
        worker.onmessage = () => resolve(worker);
        worker.onerror = () => reject(new Error("A tracing worker could not start. Reload the page."));
        worker.postMessage({ module, memory, thread: i + 1 } satisfies TileStart);
      });
    }),
  );
  const scene = new SceneMemory(memory);
  return { kernel, memory, scene, loader: new SceneLoader(kernel, scene), tiles };
}

async function bytesOf(hash: string): Promise<Uint8Array<ArrayBuffer>> {
  const response = await fetch(`/api/assets/${hash}`);
  if (!response.ok)
    throw new Error("A file of the shot is missing on the server. Restore the data folder, or import it again.");
  return new Uint8Array(await response.arrayBuffer());
}

async function loadFiles(shot: Shot) {
  const own = JSON.stringify([shot.plates.main.codes, shot.plates.main.encoding.response]);
  if (plate?.own !== own) {
    const { encoding, width, height } = shot.plates.main;
    const codes = await fetchCodes(shot.plates.main);
    const linear = decodeCodes(codes, encoding);
    plate = {
      own,
      decoded: { width, height, encoding, codes, linear },
      picture: { width, height, pixels: linear },
    };
  }
  for (const hash of modelsOf(shot))
    if (!models.has(hash)) models.set(hash, await readAsset(await bytesOf(hash), decodeImage));
  provideFiles(shot, models);
  return plate!;
}

/** Has all tile workers do a job; null if they were told to leave it, else the rays that it took. */
async function runOnAll(e: Engine, job: TileJob | FillJob): Promise<number | null> {
  rewindTiles(e.memory.buffer);
  const reports = await Promise.all(
    e.tiles.map(
      (worker) =>
        new Promise<TileReport>((resolve) => {
          worker.onmessage = (event: MessageEvent<TileReport>) => resolve(event.data);
          worker.postMessage(job);
        }),
    ),
  );
  return reports.every((r) => r.complete) ? reports.reduce((n, r) => n + r.rays, 0) : null;
}

/** Renders samples on all tile workers; false if they were told to leave. */
async function trace(e: Engine, l: Live, lastSample: number): Promise<boolean> {
  const begun = performance.now();
  const rays = await runOnAll(e, {
    params: l.loaded.params,
    width: l.loaded.width,
    height: l.loaded.height,
    tileSize: TILE_SIZE,
    firstSample: l.done,
    lastSample,
    region: l.part,
  });
  if (rays === null) return false;
  l.seconds += (performance.now() - begun) / 1000;
  l.rays += rays;
  l.done = lastSample;
  return true;
}

/** Puts the scene into memory at a size; what stays the same stays there. Null if it was told to leave. */
async function load(e: Engine, order: RenderOrder, key: string, small: boolean): Promise<Live | null> {
  const { shot, region } = order;
  const full = plate!.decoded;
  const scene = traceSceneOf(shot, plate!.picture, models);
  const longest = Math.max(full.width, full.height);
  const percent = small
    ? Math.min(100, (420 / longest) * 100)
    : region
      ? 100
      : Math.min(100, Math.sqrt(2_600_000 / (full.width * full.height)) * 100);
  const size = sizeAt(full, percent);
  const s = size.width / full.width;
  const part =
    region && !small
      ? {
          x0: Math.max(0, Math.floor(region.x0 * s)),
          y0: Math.max(0, Math.floor(region.y0 * s)),
          x1: Math.min(size.width, Math.ceil(region.x1 * s)),
          y1: Math.min(size.height, Math.ceil(region.y1 * s)),
        }
      : { x0: 0, y0: 0, x1: size.width, y1: size.height };
  live = null;
  const loaded = e.loader.load(scene, {
    ...size,
    seed: shot.render.seed,
    maxDepth: MAX_DEPTH,
    filter: filterOf(shot, size.width / full.width),
    sums: wantsOcclusion(shot, []) ? { ...PROOF_SUMS, extras: true } : PROOF_SUMS,
    occlusion: wantsOcclusion(shot, []) ? shot.render.occlusionMetres : 0,
    limit: shot.render.limit,
    filmRows: part.y1 - part.y0,
  });
  // Only the part's pixels are drawn.
  clearFilm(e.scene, loaded);
  aimFilm(e.scene, loaded, part.y0);
  const samples = small ? 4 : 24;
  const wanted = staleKey(shot, "fill");
  if (scene.props.length === 0) fill = null;
  else if (fill && fill.key === wanted && fill.samples >= samples) reuseFill(e.scene, loaded, fill.map);
  else {
    fill = null;
    const map = await measureFill(
      e.scene,
      loaded,
      scene.frame,
      samples,
      async (job) => (await runOnAll(e, job)) !== null,
    );
    if (!map) return null;
    fill = { key: wanted, samples, map };
  }
  live = { key, scene, loaded, part, small, done: 0, rays: 0, seconds: 0 };
  return live;
}

const filmOf = (e: Engine, { loaded, part }: Live) =>
  e.scene.f32(loaded.film, loaded.width * (part.y1 - part.y0) * loaded.layout.stride);

/** Shows the samples that are there, and if they are the last, without their noise as soon as that is taken away. */
async function show(e: Engine, l: Live, order: RenderOrder, last: boolean): Promise<void> {
  const { width, layout } = l.loaded;
  const rows = l.part.y1 - l.part.y0;
  const weights = lightWeights(order.shot);
  if (order.solo !== null) {
    await present(e, l, order, last, partOf(filmOf(e, l), width, rows, layout, order.shot, order.solo), false);
    return;
  }
  const passes = developFilm(filmOf(e, l), width, rows, layout, weights);
  scaleProp(passes.prop, order.shot.light.propLevel);
  const occlusion = wantsOcclusion(order.shot, []) ? occlusionOf(filmCounts(filmOf(e, l), width * rows, layout)) : null;
  await present(e, l, order, last, { ...passes, occlusion }, false);
  if (!last || l.small || !order.shot.render.denoise) return;
  const noisy = developNoisy(filmOf(e, l), layout, weights, emptyNoisyRows(width, rows));
  const parts = denoiseParts(noisy, { y0: 0, y1: rows }, kernelFilter(e.kernel, e.scene));
  let step = parts.next();
  while (!step.done) {
    report({ kind: "denoising", share: step.value });
    await messages();
    if (latest !== order) return;
    step = parts.next();
  }
  scaleProp(step.value.prop, order.shot.light.propLevel);
  await present(e, l, order, last, { ...step.value, occlusion }, true);
}

/** Lays passes over the plate and hands the picture out. */
async function present(
  e: Engine,
  l: Live,
  order: RenderOrder,
  last: boolean,
  passes: Passes,
  denoised: boolean,
): Promise<void> {
  const { shot } = order;
  const { width, layout } = l.loaded;
  const { x0, y0, x1, y1 } = l.part;
  const rows = y1 - y0;
  const film = filmOf(e, l);
  const full = plate!.decoded;
  const linear =
    width === full.width
      ? full.linear.subarray(y0 * width * 3, y1 * width * 3)
      : resampleRows({ ...full, pixels: full.linear }, width, l.loaded.height, y0, y1);
  const plateRows = { width, height: rows, linear };
  const scale = width / full.width;
  const where = { full: { width, height: l.loaded.height }, scale, y0, renderedSigma: renderedSigma(shot, scale) };
  const out =
    order.solo === null ? finishRows(shot, plateRows, passes, where).linear : compositeLinear(plateRows, passes);
  const image = new ImageData(x1 - x0, rows);
  const shown = shownLight(full.encoding);
  for (let y = 0, at = 0; y < rows; y++) {
    for (let x = x0; x < x1; x++, at += 4) {
      for (let k = 0; k < 3; k++) image.data[at + k] = linearToCode(shown(out[(y * width + x) * 3 + k]), 8);
      image.data[at + 3] = 255;
    }
  }
  const noisy = { film, layout, width, y0, height: l.loaded.height, plate: plate!.picture };
  const bitmap = await createImageBitmap(image);
  const perSample = l.done > 0 ? l.seconds / l.done : 0;
  const border = () => {
    const { ratio } = developFilm(film, width, rows, layout, lightWeights(shot));
    const below = { plate: plate!.picture, height: l.loaded.height };
    return catcherBorder(filmCounts(film, width * rows, layout), ratio, width, rows, y0, below);
  };
  const notice =
    last && !l.small && order.solo === null && Object.keys(shot.props).length > 0
      ? borderNotice(border(), full.width / width)
      : null;
  report(
    {
      kind: "picture",
      bitmap,
      width,
      height: l.loaded.height,
      part: l.part,
      samples: l.done,
      target: order.samples,
      secondsLeft: l.small || last ? null : perSample * (order.samples - l.done),
      rays: l.seconds > 0 ? l.rays / l.seconds : 0,
      rate: l.seconds > 0 ? ((x1 - x0) * rows * l.done) / l.seconds : 0,
      noise: l.done > 1 ? meanNoise(noisy, l.part) : null,
      denoised,
      notice,
    },
    [bitmap],
  );
}

/** Lets messages in that have come meanwhile. */
const messages = () => new Promise((resolve) => setTimeout(resolve, 0));

/** Gives the message queue a turn; the newest order if it wants the same samples, else null. */
async function turn(key: string): Promise<RenderOrder | null> {
  await messages();
  return latest?.kind === "render" && traceKey(latest) === key ? latest : null;
}

/** Renders the newest order until it is done or another scene is wanted. Returns the order that was served last. */
async function render(first: RenderOrder): Promise<Order> {
  const e = await (engine ??= startEngine());
  await loadFiles(first.shot);
  const key = traceKey(first);
  let order: RenderOrder = first;
  const follow = async () => {
    const next = await turn(key);
    if (!next) return false;
    order = next;
    return true;
  };
  if (!(await follow())) return first;
  if (live?.key !== key || live.small) {
    const small = await load(e, order, key, true);
    if (!small || !(await trace(e, small, 2)) || !(await follow())) return order;
    await show(e, small, order, false);
    if (!(await follow())) return order;
    if (!(await load(e, order, key, false))) return order;
  }
  let l = live!;
  let shown = order;
  let at = 0;
  if (l.done > 0) await show(e, l, order, l.done >= order.samples);
  while (l.done < order.samples) {
    const step = Math.min(order.samples - l.done, l.done < 2 ? 1 : l.done < 8 ? 2 : 8);
    if (!(await trace(e, l, l.done + step))) {
      // Some tiles have their samples and some do not: the film is of no more use.
      live = null;
      return order;
    }
    if (!(await follow())) return order;
    l = live!;
    const last = l.done >= order.samples;
    if (last || l.done <= 2 || order !== shown || performance.now() - at > 1000) {
      await show(e, l, order, last);
      shown = order;
      at = performance.now();
    }
  }
  if (order !== shown) await show(e, l, order, true);
  if (latest === order) report({ kind: "done" });
  return order;
}

async function probe(order: ProbeOrder): Promise<void> {
  probing.add(order);
  const e = await (engine ??= startEngine());
  const { picture } = await loadFiles(order.shot);
  // It builds a scene of its own in the same memory.
  live = null;
  e.loader.forget();
  order.ask(e.kernel, e.scene, picture);
}

const asks = {
  /** Which prop a pixel of the plate shows, and how far it is along the view axis. */
  async pick([u, v]: [number, number]): Promise<{ prop: number; distance: number | null }> {
    const e = await (engine ??= startEngine());
    const distance = live ? e.kernel.pickPixel(live.loaded.params, u, v) : -1;
    const prop = distance > 0 ? e.kernel.pickedPropNumber() : -1;
    return { prop, distance: distance > 0 ? distance : null };
  },
  /** What each source gives the picture that is in memory, as small PNG pictures by source; null without one. */
  async parts(shot: Shot): Promise<Record<string, Blob> | null> {
    if (!engine || !live || !plate) return null;
    const e = await engine;
    const l = live;
    const { width, layout } = l.loaded;
    const [x0, y0, x1, y1] = [l.part.x0, l.part.y0, l.part.x1, l.part.y1];
    const step = Math.max(1, Math.ceil((x1 - x0) / THUMB));
    const [w, h] = [Math.floor((x1 - x0) / step), Math.floor((y1 - y0) / step)];
    if (l.done === 0 || w < 1 || h < 1) return null;
    // Every so many pixels one: the film of a small picture.
    const film = filmOf(e, l);
    const small = new Float32Array(w * h * layout.stride);
    const linear = new Float32Array(w * h * 3);
    const scale = plate.decoded.width / width;
    for (let y = 0; y < h; y++)
      for (let x = 0; x < w; x++) {
        const [px, py] = [x0 + x * step, y * step];
        const from = (py * width + px) * layout.stride;
        small.set(film.subarray(from, from + layout.stride), (y * w + x) * layout.stride);
        const row = Math.min(plate.decoded.height - 1, Math.floor((y0 + py + 0.5) * scale));
        const at = (row * plate.decoded.width + Math.min(plate.decoded.width - 1, Math.floor((px + 0.5) * scale))) * 3;
        linear.set(plate.decoded.linear.subarray(at, at + 3), (y * w + x) * 3);
      }
    const sources = sourcesOf(shot);
    if (layout.groups.length !== sources.length + 1) return null;
    const made = sources.map(async (id) => {
      const out = compositeLinear({ width: w, height: h, linear }, partOf(small, w, h, layout, shot, id));
      const image = new ImageData(w, h);
      const shown = shownLight(plate!.decoded.encoding);
      for (let i = 0; i < w * h; i++) {
        for (let k = 0; k < 3; k++) image.data[i * 4 + k] = linearToCode(shown(out[i * 3 + k]), 8);
        image.data[i * 4 + 3] = 255;
      }
      const canvas = new OffscreenCanvas(w, h);
      canvas.getContext("2d")!.putImageData(image, 0, 0);
      return [id, await canvas.convertToBlob()] as const;
    });
    return Object.fromEntries(await Promise.all(made));
  },
  /** The passes of the samples that are there, at the size of a screen (core/comp/screen); null without a whole picture. */
  async passes(shot: Shot): Promise<ArrayBuffer | null> {
    if (!engine || !live || !plate || live.done === 0) return null;
    const e = await engine;
    const { loaded, part, small } = live;
    const { width, height, layout } = loaded;
    if (small || part.x0 > 0 || part.y0 > 0 || part.x1 < width || part.y1 < height) return null;
    const film = filmOf(e, live);
    const passes = developFilm(film, width, height, layout, lightWeights(shot));
    scaleProp(passes.prop, shot.light.propLevel);
    const [w, h] = [Math.min(SCREEN_WIDTH, width), Math.round((height * Math.min(SCREEN_WIDTH, width)) / width)];
    const shrunk = (pixels: Float32Array, channels: number) => {
      const layer = new ShrunkLayer({ width, height }, { width: w, height: h }, channels);
      const row = Array.from({ length: channels }, () => new Float32Array(width));
      for (let y = 0; y < height; y++) {
        for (let x = 0, i = y * width * channels; x < width; x++)
          for (let k = 0; k < channels; k++, i++) row[k][x] = pixels[i];
        layer.take(y, row);
      }
      return layer.pixels;
    };
    const occlusion = occlusionOf(filmCounts(film, width * height, layout));
    const { decoded } = plate;
    const layers = {
      prop: shrunk(passes.prop, 4),
      ratio: shrunk(passes.ratio, 3),
      added: shrunk(passes.added, 3),
      depth: shrunk(
        passes.depth.map((z, i) => z * passes.prop[i * 4 + 3]),
        1,
      ),
      ...(occlusion ? { occlusion: shrunk(occlusion, 1) } : {}),
      plate: resampleRows({ ...decoded, pixels: decoded.linear }, w, h, 0, h),
    };
    depthOfCover(layers.depth, layers.prop);
    const scale = w / decoded.width;
    const sigma = renderedSigma(shot, width / decoded.width) * (w / width);
    const bytes = screenBytes({ width: w, height: h, scale, renderedSigma: sigma }, layers);
    return transfer(bytes.buffer as ArrayBuffer, [bytes.buffer as ArrayBuffer]);
  },
  /** The sources' colours from the shot's probes, or a sentence why not. Interrupts the render. */
  probe: (shot: Shot): Promise<ProbedLight | string> =>
    measured(shot, (kernel, memory, picture) => probeLight(kernel, memory, shot, picture)),
  /** Reflectance of what a patch of the plate shows, or a sentence why not. Interrupts the render. */
  albedo: (shot: Shot, pixel: [number, number], radius: number): Promise<PlateAlbedo | string> =>
    measured(shot, (kernel, memory, picture) => plateAlbedo(kernel, memory, shot, picture, pixel, radius)),
};

/** A measurement in the tracer's memory, as soon as what is under way lets go of it. */
const measured = <T>(
  shot: Shot,
  read: (kernel: Kernel, memory: SceneMemory, plate: Picture) => T,
): Promise<T | string> =>
  new Promise((tell) => {
    const ask: ProbeOrder["ask"] = (kernel, memory, picture) => tell(read(kernel, memory, picture));
    void take({ kind: "probe", shot, ask, fail: tell });
  });
export type ProofAsks = typeof asks;

async function drain(): Promise<void> {
  working = true;
  let done: Order | null = null;
  while (latest && latest !== done) {
    let order: Order = latest;
    try {
      if (order.kind === "render") order = await render(order);
      else if (order.kind === "probe") await probe(order);
      else report({ kind: "stopped" });
    } catch (error) {
      live = null;
      if (order.kind === "probe") order.fail((error as Error).message);
      else report({ kind: "failed", message: (error as Error).message });
    }
    done = order;
  }
  working = false;
}

async function take(order: Order): Promise<void> {
  // What is overtaken is told, so that nobody waits for it.
  if (latest?.kind === "probe" && latest !== order && !probing.has(latest))
    latest.fail("Something newer was asked for.");
  const same =
    live !== null && (order.kind === "render" ? traceKey(order) === live.key : order.kind === "stop" && order.keep);
  latest = order;
  if (engine && !same) {
    // Tile workers leave their tiles when the generation moves on.
    const { memory } = await engine;
    Atomics.add(new Int32Array(memory.buffer, GENERATION_ADDRESS, 1), 0, 1);
  }
  if (!working) void drain();
}

self.onmessage = ({ data }: MessageEvent<ProofOrder>) => {
  if (data.kind === "asks") expose(asks, data.port);
  else void take(data);
};
