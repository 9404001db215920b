import { readAsset } from "#core/exchange/asset";
import type { Vec3 } from "#core/math/vec3";
import type { Model } from "#core/props/model";
import { LookAround, irradianceAround, unlitAround, weighedShot } from "#core/render/around";
import { traceSceneOf } from "#core/render/scene";
import { modelsOf } from "#core/shot/assets";
import type { Shot } from "#core/shot/schema";
import type { Kernel } from "#core/trace/kernel";
import { MEMORY_PAGES } from "#core/trace/kernel";
import { SceneMemory, scratchAddress } from "#core/trace/memory";
import type { Picture, PropPiece } from "#core/trace/scene";
import { decodeImage } from "../decodeImage.ts";

/** A place to look around from, by a name of the asker's, and the lights that are left out there. */
export interface AskedPlace {
  name: string;
  at: Vec3;
  unlit: PropPiece["unlit"];
}

/** What is around some places of a shot, whose plate is `plate` as linear light. What was asked before is left. */
export interface AroundAsk {
  /** Comes back with what is found. */
  turn: number;
  shot: Shot;
  plate: Picture;
  places: AskedPlace[];
}

/** A picture that was found; others of the same place, with less noise, may follow. */
export interface AroundFound {
  turn: number;
  name: string;
  picture: Picture;
  /** Of faces by where they look, as `irradianceAround` has it. */
  irradiance: Picture;
}

/** What it sends: what is around a place, or that it cannot look around. */
export type AroundReport = AroundFound | { turn: number; failed: true };

/** Samples of a pixel at which a picture is told, of one place alone and of each of many. */
const TOLD = [4, 32];
/** Samples of a pixel of all places together, once each has its first picture. */
const MOST_SAMPLES = 96;

/** The finer pictures are begun when nothing was asked for so long: shots are mostly changed several times in a row. */
const CALM_MS = 1500;

const models = new Map<string, Model>();
let engine: Promise<{ kernel: Kernel; look: LookAround }> | null = null;
let asked = 0;

async function start(): Promise<{ kernel: Kernel; look: LookAround }> {
  const response = await fetch("/kernel.wasm");
  const memory = new WebAssembly.Memory(MEMORY_PAGES);
  const { instance } = await WebAssembly.instantiate(await response.arrayBuffer(), { env: { memory } });
  const kernel = instance.exports as unknown as Kernel;
  kernel.setScratch(scratchAddress(0));
  return { kernel, look: new LookAround(kernel, new SceneMemory(memory)) };
}

/** What set and sky have from files. */
async function loadFiles(shot: Shot): Promise<void> {
  for (const hash of modelsOf(shot))
    if (!models.has(hash)) {
      const response = await fetch(`/api/assets/${hash}`);
      if (response.ok) models.set(hash, await readAsset(new Uint8Array(await response.arrayBuffer()), decodeImage));
    }
}

/** Lets what has been asked meanwhile come in. */
const pause = (ms = 0) => new Promise<void>((resolve) => setTimeout(resolve, ms));

self.onmessage = ({ data }: MessageEvent<AroundAsk>) => {
  answer(data).catch(() => {
    engine = null;
    self.postMessage({ turn: data.turn, failed: true } satisfies AroundReport);
  });
};

async function answer(data: AroundAsk): Promise<void> {
  const number = ++asked;
  const { look } = await (engine ??= start());
  // Its props are what the view has; here is what is around them.
  const shot = weighedShot({ ...data.shot, props: {} });
  await loadFiles(shot);
  if (number !== asked) return;
  const goOn = async () => {
    await pause();
    return number === asked;
  };
  if (!(await look.load(traceSceneOf(shot, data.plate, models), goOn))) return;
  const most = Math.max(TOLD[0], Math.min(TOLD[1], Math.round(MOST_SAMPLES / data.places.length)));
  for (const samples of [TOLD[0], most]) {
    if (samples > TOLD[0]) {
      await pause(CALM_MS);
      if (!(await look.refine(goOn))) return;
    }
    for (const { name, at, unlit } of data.places) {
      look.begin(at, unlitAround(shot, unlit));
      for (let taken = 0; taken < samples; taken++) {
        look.look();
        if (!(await goOn())) return;
      }
      const picture = look.picture();
      const irradiance = irradianceAround(picture);
      self.postMessage({ turn: data.turn, name, picture, irradiance } satisfies AroundFound, {
        transfer: [picture.pixels.buffer as ArrayBuffer, irradiance.pixels.buffer as ArrayBuffer],
      });
    }
  }
}
