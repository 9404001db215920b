import { parentPort, workerData } from "node:worker_threads";
import { denoiseFilm } from "#core/trace/denoise";
import type { FilmLayout, LightWeights } from "#core/trace/film";
import { kernelFilter } from "#core/trace/kernelDenoise";
import { SceneMemory, scratchAddress } from "#core/trace/memory";
import { collect } from "./garbage.ts";
import { newKernelMemory, openKernel } from "./kernelFile.ts";

/** A part of a film to take the noise from. */
export interface DenoiseJob {
  film: Float32Array;
  width: number;
  height: number;
  layout: FilmLayout;
  weights: LightWeights;
}

const memory = newKernelMemory();
const kernel = await openKernel(workerData as WebAssembly.Module, memory, scratchAddress(0));
const filter = kernelFilter(kernel, new SceneMemory(memory));
parentPort!.on("message", ({ film, width, height, layout, weights }: DenoiseJob) => {
  const passes = denoiseFilm(film, width, height, layout, weights, filter);
  const { prop, ratio, added, depth } = passes;
  parentPort!.postMessage(
    passes,
    [prop, ratio, added, depth].map((p) => p.buffer as ArrayBuffer),
  );
  collect();
});
