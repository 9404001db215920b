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
  /** Numbers of the region's tiles to render, all of them if missing. */
  open?: number[];
}

/** Cells of the fill map to measure, see core/trace/fill; handed out in rows. All threads get the same job. */
export interface FillJob {
  params: number;
  /** Address of the map's cells, and its size. */
  cells: number;
  width: number;
  height: number;
  /** Samples a cell. */
  samples: number;
}

/** Pixels from (x0, y0) up to but without (x1, y1). */
export interface Region {
  x0: number;
  y0: number;
  x1: number;
  y1: number;
}

/** What a thread has done of a job. */
export interface TileReport {
  /** False when the host's generation counter moved on. */
  complete: boolean;
  /** Rays traced. */
  rays: number;
}

export const TILE_SIZE = 32;

/** The pixels of a job's tiles, by rows of tiles. */
export function tilesOf(job: Pick<TileJob, "width" | "height" | "tileSize" | "region">): Region[] {
  const { x0: left, y0: top, x1: right, y1: bottom } = job.region ?? { x0: 0, y0: 0, x1: job.width, y1: job.height };
  const tiles: Region[] = [];
  for (let y0 = top; y0 < bottom; y0 += job.tileSize) {
    for (let x0 = left; x0 < right; x0 += job.tileSize) {
      tiles.push({ x0, y0, x1: Math.min(right, x0 + job.tileSize), y1: Math.min(bottom, y0 + job.tileSize) });
    }
  }
  return tiles;
}

/**
 * Takes tiles, or rows of the fill map, from the shared counter and renders them until none is left. Every tile, and so
 * every pixel, is drawn by one thread in sample order: the picture is the same for any number of threads.
 */
export function runJob(kernel: Kernel, buffer: ArrayBufferLike, job: TileJob | FillJob): TileReport {
  const run = "cells" in job ? rowsOf(kernel, job) : partsOf(kernel, job);
  const counter = new Int32Array(buffer, TILE_COUNTER_ADDRESS, 1);
  let complete = true;
  for (;;) {
    const number = Atomics.add(counter, 0, 1);
    if (number >= run.count) break;
    if (run.render(number) !== 0) {
      complete = false;
      break;
    }
  }
  return { complete, rays: kernel.takeRayCount() };
}

interface Run {
  count: number;
  render: (number: number) => number;
}

function partsOf(kernel: Kernel, job: TileJob): Run {
  const all = tilesOf(job);
  const tiles = job.open ? job.open.map((i) => all[i]) : all;
  return {
    count: tiles.length,
    render: (number) => {
      const { x0, y0, x1, y1 } = tiles[number];
      return kernel.renderTile(job.params, x0, y0, x1, y1, job.firstSample, job.lastSample);
    },
  };
}

function rowsOf(kernel: Kernel, { params, cells, width, height, samples }: FillJob): Run {
  return { count: height, render: (y) => kernel.renderFill(params, y, y + 1, width, height, samples, cells) };
}

/** Resets the shared tile counter before a job. */
export function rewindTiles(buffer: ArrayBufferLike): void {
  Atomics.store(new Int32Array(buffer, TILE_COUNTER_ADDRESS, 1), 0, 0);
}
