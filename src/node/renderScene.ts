import { availableParallelism } from "node:os";
import { measureFill } from "#core/trace/fill";
import { packing } from "#core/trace/film";
import { judgedCounts, openTiles, regionNoise } from "#core/trace/noise";
import type { TraceScene } from "#core/trace/scene";
import type { PackedPixels } from "#core/trace/sparse";
import { packRoom, twinMarks } from "#core/trace/sparse";
import type { LoadedScene, RenderSettings } from "#core/trace/upload";
import { aimFilm, uploadScene } from "#core/trace/upload";
import type { Region } from "#core/trace/tiles";
import { TILE_SIZE, tilesOf } from "#core/trace/tiles";
import type { Band, Film } from "./bands.ts";
import { bandsOf } from "./bands.ts";
import { TracePool } from "./tracePool.ts";

export interface RenderProgress {
  /** Samples a pixel on average, a fraction while some have theirs and others not. */
  samples: number;
  total: number;
  secondsLeft: number;
  /** Rays traced so far. */
  rays: number;
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
export async function renderScene(scene: TraceScene, settings: RenderSettings, options: RenderOptions): Promise<Film> {
  options.signal?.throwIfAborted();
  const pool = await TracePool.open(options.threads ?? availableParallelism());
  const abandon = () => pool.abandon();
  options.signal?.addEventListener("abort", abandon);
  try {
    // It may have come while the threads were started.
    options.signal?.throwIfAborted();
    const loaded = uploadScene(pool.kernel, pool.scene, scene, settings);
    await fillOf(pool, loaded, scene, options.fillSamples ?? FILL_SAMPLES, options.signal);
    const started = performance.now();
    const batch = options.batch ?? 16;
    let rays = 0;
    for (let first = 0; first < options.samples; first += batch) {
      const last = Math.min(options.samples, first + batch);
      rays += await pool.run({ ...jobOf(loaded), firstSample: first, lastSample: last, region: options.region });
      options.signal?.throwIfAborted();
      const elapsed = (performance.now() - started) / 1000;
      const secondsLeft = (elapsed / last) * (options.samples - last);
      options.onProgress?.({ samples: last, total: options.samples, secondsLeft, rays }, filmOf(pool, loaded));
    }
    const { width, height, layout } = loaded;
    return { width, height, layout, pixels: filmOf(pool, loaded).slice() };
  } finally {
    options.signal?.removeEventListener("abort", abandon);
    await pool.close();
  }
}

export interface BandOptions {
  /** Most samples of a pixel. */
  samples: number;
  /** Noise at which a tile is done, in 8-bit code values (see core/trace/noise); 0 renders every sample. */
  noise?: number;
  /** Most seconds for the whole render, shared out by rows; 0 for no end. What it cuts off depends on the machine. */
  seconds?: number;
  threads?: number;
  signal?: AbortSignal;
  /** Bands that need no rendering any more. */
  done?: (band: Band) => boolean;
  /** Takes the film of sums of a finished band; it is overwritten afterwards. `pack` has the threads pack it, into memory of its own that the next one takes. */
  onBand: (film: Film, band: Band, pack: () => Promise<PackedPixels[]>) => Promise<void>;
  onProgress?: (progress: RenderProgress) => void;
}

/**
 * Renders a scene band by band on worker threads, each tile until it is calm or has all its samples. The bits are those
 * of `renderScene` where no noise target is set: every pixel has the same samples in the same order. Throws the
 * signal's reason when aborted.
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
    const twins = pool.scene.putU32(twinMarks(packing(loaded.layout)));
    const room = pool.scene.reserve(packRoom(width * bands[0].y1, loaded.layout.stride));
    await fillOf(pool, loaded, scene, FILL_SAMPLES, options.signal);
    const started = performance.now();
    const total = open.reduce((n, b) => n + b.y1 - b.y0, 0);
    let [rendered, rays] = [0, 0];
    const tell = (part: number) => {
      const elapsed = (performance.now() - started) / 1000;
      const now = rendered + part;
      const share = (height - total + now) / height;
      const secondsLeft = now > 0 ? (elapsed / now) * (total - now) : Infinity;
      options.onProgress?.({ samples: share * options.samples, total: options.samples, secondsLeft, rays });
    };
    for (const band of open) {
      aimFilm(pool.scene, loaded, band.y0);
      const rows = band.y1 - band.y0;
      const job = { ...jobOf(loaded), region: { x0: 0, y0: band.y0, x1: width, y1: band.y1 } };
      const until = options.seconds ? performance.now() + (options.seconds * 1000 * rows) / height : Infinity;
      const film = () => pool.scene.f32(loaded.film, width * rows * loaded.layout.stride);
      const tiles = tilesOf(job);
      let going: number[] | undefined;
      let first = 0;
      for (const count of options.noise ? judgedCounts(options.samples) : [options.samples]) {
        // A long run is told of on the way.
        const step = Math.max(1, Math.ceil((count - first) / 8));
        while (first < count && performance.now() < until) {
          const last = Math.min(count, first + step);
          rays += await pool.run({ ...job, open: going, firstSample: first, lastSample: last });
          options.signal?.throwIfAborted();
          first = last;
          tell((rows * first) / options.samples);
        }
        if (!options.noise || count === options.samples || performance.now() >= until) break;
        const noisy = { film: film(), layout: loaded.layout, width, y0: band.y0, height, plate: scene.plate };
        const noise = tiles.map((tile, i) => (going && !going.includes(i) ? 0 : regionNoise(noisy, tile)));
        going = openTiles(noise, Math.ceil(width / TILE_SIZE), options.noise).filter(
          (i) => !going || going.includes(i),
        );
        if (going.length === 0) break;
      }
      rendered += rows;
      tell(0);
      const { layout } = loaded;
      const pack = () => pool.pack(loaded.film, layout.stride, width * rows, twins, room);
      await options.onBand({ width, height: rows, layout, pixels: film() }, band, pack);
    }
  } finally {
    options.signal?.removeEventListener("abort", abandon);
    await pool.close();
  }
}

const FILL_SAMPLES = 64;

/** Measures the fill map where a prop can take light from a set that shows the plate. */
async function fillOf(
  pool: TracePool,
  loaded: LoadedScene,
  scene: TraceScene,
  samples: number,
  signal?: AbortSignal,
): Promise<void> {
  if (samples === 0 || !scene.plate || scene.props.length === 0) return;
  await measureFill(pool.scene, loaded, scene.frame, samples, async (job) => {
    await pool.run(job);
    signal?.throwIfAborted();
    return true;
  });
}

const jobOf = (loaded: LoadedScene) => ({
  params: loaded.params,
  width: loaded.width,
  height: loaded.height,
  tileSize: TILE_SIZE,
});

const filmOf = (pool: TracePool, loaded: LoadedScene): Float32Array =>
  pool.scene.f32(loaded.film, loaded.width * loaded.height * loaded.layout.stride);
