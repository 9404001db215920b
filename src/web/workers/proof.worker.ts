import { compositeLinear, leavesPlate } from "#core/comp/composite";
import type { DecodedPlate } from "#core/comp/composite";
import { linearToCode } from "#core/colour/srgb";
import { importGlb } from "#core/exchange/gltf";
import { decodeCodes } from "#core/image/profile";
import { shrink, sizeAt } from "#core/image/resize";
import type { ProbeResult } from "#core/light/probeShot";
import { probeShot } from "#core/light/probeShot";
import type { Model } from "#core/props/model";
import { lightWeights, scaleProp, traceSceneOf } from "#core/shot/assemble";
import type { Shot } from "#core/shot/schema";
import { developFilm } from "#core/trace/film";
import type { Kernel } from "#core/trace/kernel";
import { MEMORY_PAGES } from "#core/trace/kernel";
import { GENERATION_ADDRESS, SceneMemory, scratchAddress } from "#core/trace/memory";
import { rewindTiles } from "#core/trace/tiles";
import type { LoadedScene } from "#core/trace/upload";
import { measureFill, uploadScene } from "#core/trace/upload";
import * as L from "../../kernel/layout.ts";
import { decodeImage } from "../decodeImage.ts";
import type { TileStart } from "./tile.worker.ts";

/**
 * The proof: renders the shot over its plate, first small and at once, then at full size with more and more samples,
 * and begins again whenever a newer shot comes in. Tile workers do the tracing; this one prepares and develops.
 */
export type ProofOrder =
  { kind: "render"; shot: Shot; samples: number } | { kind: "stop" } | { kind: "probe"; id: number; shot: Shot };

export type ProofReport =
  | {
      kind: "picture";
      bitmap: ImageBitmap;
      width: number;
      height: number;
      samples: number;
      target: number;
      seconds: number;
      rate: number;
      noise: number;
    }
  | { kind: "done" }
  | { kind: "stopped" }
  | { kind: "failed"; message: string }
  | { kind: "probed"; id: number; result: ProbeResult | string };

const report = (r: ProofReport, transfer: Transferable[] = []) => self.postMessage(r, { transfer });

interface Engine {
  module: WebAssembly.Module;
  kernel: Kernel;
  memory: WebAssembly.Memory;
  scene: SceneMemory;
  tiles: Worker[];
}

let engine: Promise<Engine> | null = null;
let plate: { hash: string; decoded: DecodedPlate } | null = null;
const models = new Map<string, Model>();
let latest: ProofOrder | null = null;
let working = false;

async function startEngine(): Promise<Engine> {
  const response = await fetch("/kernel.wasm");
  if (!response.ok) throw new Error("The tracer is not built. Run “npm run build” and reload the page.");
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
  return { module, kernel, memory, scene: new SceneMemory(memory), tiles };
}

async function bytesOf(hash: string): Promise<Uint8Array<ArrayBuffer>> {
  const response = await fetch(`/api/assets/${hash}`);
  if (!response.ok)
    throw new Error("A file of the shot is missing on the server. Restore the data folder, or import it again.");
  return new Uint8Array(await response.arrayBuffer());
}

async function loadFiles(shot: Shot): Promise<DecodedPlate> {
  if (plate?.hash !== shot.plate.codes) {
    const bytes = await bytesOf(shot.plate.codes);
    const { encoding, width, height } = shot.plate;
    const codes = encoding.bits === 8 ? bytes : new Uint16Array(bytes.buffer);
    plate = {
      hash: shot.plate.codes,
      decoded: { width, height, encoding, codes, linear: decodeCodes(codes, encoding) },
    };
  }
  for (const { source } of Object.values(shot.props)) {
    if (source.kind !== "model" || models.has(source.asset)) continue;
    models.set(source.asset, (await importGlb(await bytesOf(source.asset), decodeImage)).model);
  }
  return plate!.decoded;
}

/** Renders samples on all tile workers; false if a newer order came in meanwhile. */
async function trace(e: Engine, loaded: LoadedScene, firstSample: number, lastSample: number): Promise<boolean> {
  rewindTiles(e.memory.buffer);
  const job = {
    params: loaded.params,
    width: loaded.width,
    height: loaded.height,
    tileSize: 32,
    firstSample,
    lastSample,
  };
  const finished = await Promise.all(
    e.tiles.map(
      (worker) =>
        new Promise<boolean>((resolve) => {
          worker.onmessage = (event: MessageEvent<boolean>) => resolve(event.data);
          worker.postMessage(job);
        }),
    ),
  );
  return finished.every(Boolean);
}

async function show(
  e: Engine,
  loaded: LoadedScene,
  shot: Shot,
  full: DecodedPlate,
  samples: number,
  target: number,
  started: number,
): Promise<void> {
  const { width, height } = loaded;
  const film = e.scene.f32(loaded.film, width * height * L.FILM_FLOATS);
  const passes = developFilm(film, width, height, lightWeights(shot));
  scaleProp(passes.prop, shot.light.propLevel);
  const small = width === full.width ? full.linear : shrink({ ...full, pixels: full.linear }, width, height).pixels;
  const linear = compositeLinear({ width, height, linear: small }, passes);
  const image = new ImageData(width, height);
  let touched = 0;
  let spread = 0;
  for (let i = 0; i < width * height; i++) {
    for (let k = 0; k < 3; k++) image.data[i * 4 + k] = linearToCode(linear[i * 3 + k], 8);
    image.data[i * 4 + 3] = 255;
    if (i % width > 0 && !leavesPlate(passes, i) && passes.prop[i * 4 + 3] === 0) {
      touched++;
      spread += Math.abs(passes.ratio[i * 3 + 1] - passes.ratio[(i - 1) * 3 + 1]);
    }
  }
  const bitmap = await createImageBitmap(image);
  const seconds = (performance.now() - started) / 1000;
  report(
    {
      kind: "picture",
      bitmap,
      width,
      height,
      samples,
      target,
      seconds,
      rate: (width * height * samples) / seconds,
      noise: touched > 0 ? spread / touched : 0,
    },
    [bitmap],
  );
}

/** True while no newer order has come in. Gives the message queue a turn first. */
async function current(order: ProofOrder): Promise<boolean> {
  await new Promise((resolve) => setTimeout(resolve, 0));
  return latest === order;
}

async function render(order: Extract<ProofOrder, { kind: "render" }>): Promise<void> {
  const e = await (engine ??= startEngine());
  const { shot } = order;
  const full = await loadFiles(shot);
  const started = performance.now();
  const picture = { width: full.width, height: full.height, pixels: full.linear };
  const scene = traceSceneOf(shot, picture, models);
  const longest = Math.max(full.width, full.height);
  const stages = [
    { percent: Math.min(100, (420 / longest) * 100), batches: [2], fill: 4 },
    { percent: Math.min(100, Math.sqrt(2_600_000 / (full.width * full.height)) * 100), batches: [], fill: 24 },
  ];
  const { batches } = stages[1] as { batches: number[] };
  for (let total = 0, step = 1; total < order.samples; total += step, step = Math.min(8, step * 2))
    batches.push(Math.min(step, order.samples - total));
  for (const stage of stages) {
    if (!(await current(order))) return;
    const size = sizeAt(full, stage.percent);
    const loaded = uploadScene(e.kernel, e.scene, scene, {
      ...size,
      seed: shot.render.seed,
      maxDepth: 6,
      filterWidth: 1,
    });
    measureFill(e.kernel, e.scene, loaded, scene.frame, stage.fill);
    let done = 0;
    let shown = performance.now();
    const begun = performance.now();
    for (const [i, batch] of stage.batches.entries()) {
      if (!(await trace(e, loaded, done, done + batch)) || !(await current(order))) return;
      done += batch;
      const last = i === stage.batches.length - 1;
      if (last || stage === stages[0] || done <= 2 || performance.now() - shown > 1200) {
        await show(e, loaded, shot, full, done, order.samples, stage === stages[0] ? started : begun);
        shown = performance.now();
      }
    }
  }
  if (latest === order) report({ kind: "done" });
}

async function probe(order: Extract<ProofOrder, { kind: "probe" }>): Promise<void> {
  const e = await (engine ??= startEngine());
  const full = await loadFiles(order.shot);
  const picture = { width: full.width, height: full.height, pixels: full.linear };
  report({ kind: "probed", id: order.id, result: probeShot(e.kernel, e.scene, order.shot, picture) });
}

async function drain(): Promise<void> {
  working = true;
  let done: ProofOrder | null = null;
  while (latest && latest !== done) {
    const order: ProofOrder = latest;
    try {
      if (order.kind === "render") await render(order);
      else if (order.kind === "probe") await probe(order);
      else report({ kind: "stopped" });
    } catch (error) {
      if (order.kind === "probe") report({ kind: "probed", id: order.id, result: (error as Error).message });
      else report({ kind: "failed", message: (error as Error).message });
    }
    done = order;
  }
  working = false;
}

self.onmessage = async (event: MessageEvent<ProofOrder>) => {
  latest = event.data;
  if (engine) {
    // Tile workers leave their tiles when the generation moves on.
    const { memory } = await engine;
    Atomics.add(new Int32Array(memory.buffer, GENERATION_ADDRESS, 1), 0, 1);
  }
  if (!working) void drain();
};
