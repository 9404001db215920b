import { availableParallelism } from "node:os";
import type { TraceScene } from "#core/trace/scene";
import type { LoadedScene, RenderSettings } from "#core/trace/upload";
import { aimFilm, measureFill, uploadScene } from "#core/trace/upload";
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
    // It may have come while the threads were started.
    options.signal?.throwIfAborted();
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

export interface Band {
  y0: number;
  y1: number;
}

/** Rows of a render in bands of about a hundred thousand pixels, whole tiles high. */
export function bandsOf(width: number, height: number): Band[] {
  const rows = TILE * Math.max(1, Math.floor(100_000 / (width * TILE)));
  return Array.from({ length: Math.ceil(height / rows) }, (_, i) => ({
    y0: i * rows,
    y1: Math.min(height, (i + 1) * rows),
  }));
}

export interface BandOptions {
  samples: number;
  threads?: number;
  signal?: AbortSignal;
  /** Bands that need no rendering any more. */
  done?: (band: Band) => boolean;
  /** Takes the film of sums of a finished band; it is overwritten afterwards. */
  onBand: (film: Float32Array, band: Band) => Promise<void>;
  onProgress?: (progress: RenderProgress) => void;
}

/**
 * Renders a scene band by band, each to its last sample, on worker threads. The bits are those of `renderScene`: every
 * pixel has the same samples in the same order. Throws the signal's reason when aborted.
 */
export async function renderBands(scene: TraceScene, settings: RenderSettings, options: BandOptions): Promise<void> {
  options.signal?.throwIfAborted();
  const { width, height } = settings;
  const bands = bandsOf(width, height);
  const open = bands.filter((band) => !options.done?.(band));
  if (open.length === 0) return;
  const pool = await TracePool.open(options.threads ?? availableParallelism());
  const abandon = () => pool.abandon();
  options.signal?.addEventListener("abort", abandon);
  try {
    // It may have come while the threads were started.
    options.signal?.throwIfAborted();
    const loaded = uploadScene(pool.kernel, pool.scene, scene, { ...settings, filmRows: bands[0].y1 });
    if (scene.plate) measureFill(pool.kernel, pool.scene, loaded, scene.frame, 64);
    const started = performance.now();
    const total = open.reduce((n, b) => n + b.y1 - b.y0, 0);
    let rendered = 0;
    const tell = () => {
      const elapsed = (performance.now() - started) / 1000;
      const share = (height - total + rendered) / height;
      const secondsLeft = rendered > 0 ? (elapsed / rendered) * (total - rendered) : Infinity;
      options.onProgress?.({ samples: Math.floor(share * options.samples), total: options.samples, secondsLeft });
    };
    for (const band of open) {
      aimFilm(pool.scene, loaded, band.y0);
      const rows = band.y1 - band.y0;
      // A long band is told of on the way.
      const step = Math.max(1, Math.ceil(options.samples / 8));
      for (let first = 0; first < options.samples; first += step) {
        const last = Math.min(options.samples, first + step);
        const region = { x0: 0, y0: band.y0, x1: width, y1: band.y1 };
        await pool.run({ ...jobOf(loaded), firstSample: first, lastSample: last, region });
        options.signal?.throwIfAborted();
        rendered += (rows * (last - first)) / options.samples;
        tell();
      }
      await options.onBand(pool.scene.f32(loaded.film, width * rows * L.FILM_FLOATS), band);
    }
  } finally {
    options.signal?.removeEventListener("abort", abandon);
    await pool.close();
  }
}

const TILE = 32;

const jobOf = (loaded: LoadedScene) => ({
  params: loaded.params,
  width: loaded.width,
  height: loaded.height,
  tileSize: TILE,
});

const filmOf = (pool: TracePool, loaded: LoadedScene): Float32Array =>
  pool.scene.f32(loaded.film, loaded.width * loaded.height * L.FILM_FLOATS);
