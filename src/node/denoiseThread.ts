import { parentPort } from "node:worker_threads";
import { denoiseFilm } from "#core/trace/denoise";
import type { FilmLayout, LightWeights } from "#core/trace/film";

/** A part of a film to take the noise from. */
export interface DenoiseJob {
  film: Float32Array;
  width: number;
  height: number;
  layout: FilmLayout;
  weights: LightWeights;
}

parentPort!.on("message", ({ film, width, height, layout, weights }: DenoiseJob) => {
  const passes = denoiseFilm(film, width, height, layout, weights);
  const { prop, ratio, added, depth } = passes;
  parentPort!.postMessage(
    passes,
    [prop, ratio, added, depth].map((p) => p.buffer as ArrayBuffer),
  );
});
