import type { Kernel } from "./kernel.ts";
import { TILE_COUNTER_ADDRESS } from "./memory.ts";

/** A run of samples over the whole film, handed out in tiles. All threads get the same job. */
export interface TileJob {
  params: number;
  width: number;
  height: number;
  tileSize: number;
  firstSample: number;
  lastSample: number;
  /** Pixels to render, all of the film if missing. */
  region?: Region;
}

/** Pixels from (x0, y0) up to but without (x1, y1). */
export interface Region {
  x0: number;
  y0: number;
  x1: number;
  y1: number;
}

/**
 * Takes tiles from the shared counter and renders them until none is left. Every tile, and so every pixel, is drawn by
 * one thread in sample order: the picture is the same for any number of threads. Returns false when the host's
 * generation counter moved on.
 */
export function runTiles(kernel: Kernel, buffer: ArrayBufferLike, job: TileJob): boolean {
  const counter = new Int32Array(buffer, TILE_COUNTER_ADDRESS, 1);
  const { x0: left, y0: top, x1: right, y1: bottom } = job.region ?? { x0: 0, y0: 0, x1: job.width, y1: job.height };
  const across = Math.ceil((right - left) / job.tileSize);
  const total = across * Math.ceil((bottom - top) / job.tileSize);
  for (;;) {
    const tile = Atomics.add(counter, 0, 1);
    if (tile >= total) return true;
    const x0 = left + (tile % across) * job.tileSize;
    const y0 = top + Math.floor(tile / across) * job.tileSize;
    const abandoned = kernel.renderTile(
      job.params,
      x0,
      y0,
      Math.min(right, x0 + job.tileSize),
      Math.min(bottom, y0 + job.tileSize),
      job.firstSample,
      job.lastSample,
    );
    if (abandoned !== 0) return false;
  }
}

/** Resets the shared tile counter before a job. */
export function rewindTiles(buffer: ArrayBufferLike): void {
  Atomics.store(new Int32Array(buffer, TILE_COUNTER_ADDRESS, 1), 0, 0);
}
