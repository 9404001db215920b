import { availableParallelism } from "node:os";
import type { TraceScene } from "#core/trace/scene";
import type { LoadedScene, RenderSettings } from "#core/trace/upload";
import { measureFill, uploadScene } from "#core/trace/upload";
import type { Region } from "#core/trace/tiles";
import { TracePool } from "./tracePool.ts";
import * as L from "#kernel/layout";

export interface RenderProgress {
  samples: number;
  total: number;
  secondsLeft: number;
}

export interface RenderOptions {
  samples: number;
  /** Samples between two looks at the film. */
  batch?: number;
  threads?: number;
  /** Samples per cell of the fill map; 0 leaves it out. */
  fillSamples?: number;
  /** Pixels to render; the rest of the film stays empty. */
  region?: Region;
  signal?: AbortSignal;
  onProgress?: (progress: RenderProgress, film: Float32Array) => void;
}

/** Renders a scene to a film of sums on worker threads. Throws the signal's reason when aborted. */
export async function renderScene(
  scene: TraceScene,
  settings: RenderSettings,
  options: RenderOptions,
): Promise<Float32Array> {
  options.signal?.throwIfAborted();
  const pool = await TracePool.open(options.threads ?? availableParallelism());
  const abandon = () => pool.abandon();
  options.signal?.addEventListener("abort", abandon);
  try {
    const loaded = uploadScene(pool.kernel, pool.scene, scene, settings);
    if (options.fillSamples !== 0 && scene.plate) {
      measureFill(pool.kernel, pool.scene, loaded, scene.frame, options.fillSamples ?? 64);
    }
    const started = performance.now();
    const batch = options.batch ?? 16;
    for (let first = 0; first < options.samples; first += batch) {
      const last = Math.min(options.samples, first + batch);
      await pool.run({ ...jobOf(loaded), firstSample: first, lastSample: last, region: options.region });
      options.signal?.throwIfAborted();
      const elapsed = (performance.now() - started) / 1000;
      const secondsLeft = (elapsed / last) * (options.samples - last);
      options.onProgress?.({ samples: last, total: options.samples, secondsLeft }, filmOf(pool, loaded));
    }
    return filmOf(pool, loaded).slice();
  } finally {
    options.signal?.removeEventListener("abort", abandon);
    await pool.close();
  }
}

const jobOf = (loaded: LoadedScene) => ({
  params: loaded.params,
  width: loaded.width,
  height: loaded.height,
  tileSize: 32,
});

const filmOf = (pool: TracePool, loaded: LoadedScene): Float32Array =>
  pool.scene.f32(loaded.film, loaded.width * loaded.height * L.FILM_FLOATS);
