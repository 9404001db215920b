import * as L from "../../kernel/layout.ts";
import type { SceneMemory } from "./memory.ts";
import type { FillJob } from "./tiles.ts";
import type { LoadedScene } from "./upload.ts";

/** Cells of the fill map along the longer side of the frame. */
const FILL_CELLS = 160;

/** Light on the set without props over a coarse grid of the plate, RGB: three pictures, see PARAM_FILL. */
export interface FillMap {
  width: number;
  height: number;
  cells: Float32Array;
}

/**
 * Measures the set's irradiance without sun and props over a coarse grid of the plate and gives it to the kernel, so
 * that surfaces showing the plate know which part of their light a prop takes away. Cells that show no set take the
 * nearest value. The map holds as long as camera, set and light stay. `run` has threads do the job and tells whether
 * they did all of it; null if not.
 */
export async function measureFill(
  memory: SceneMemory,
  loaded: LoadedScene,
  frame: { width: number; height: number },
  samples: number,
  run: (job: FillJob) => Promise<boolean>,
): Promise<FillMap | null> {
  const s = FILL_CELLS / Math.max(frame.width, frame.height);
  const width = Math.max(2, Math.round(frame.width * s));
  const height = Math.max(2, Math.round(frame.height * s));
  const address = memory.reserve(width * height * 36);
  if (!(await run({ params: loaded.params, cells: address, width, height, samples }))) return null;
  const cells = memory.f32(address, width * height * 9);
  for (let at = 0; at < cells.length; at += width * height * 3)
    spreadIntoGaps(cells.subarray(at, at + width * height * 3), width, height);
  setFill(memory, loaded, address, width, height);
  return { width, height, cells: cells.slice() };
}

/** Gives a map that was measured before to a scene. */
export function reuseFill(memory: SceneMemory, loaded: LoadedScene, map: FillMap): void {
  setFill(memory, loaded, memory.putF32(map.cells), map.width, map.height);
}

function setFill(memory: SceneMemory, loaded: LoadedScene, address: number, width: number, height: number): void {
  const u = memory.u32(loaded.params, L.PARAM_BYTES / 4);
  u[L.PARAM_FILL / 4] = address;
  u[L.PARAM_FILL_WIDTH / 4] = width;
  u[L.PARAM_FILL_HEIGHT / 4] = height;
}

/** Gaps, of value -1, take the mean of their filled neighbours, ring by ring from what is there; 0 where nothing is. */
function spreadIntoGaps(cells: Float32Array, width: number, height: number): void {
  const neighbours = (i: number): number[] => {
    const x = i % width;
    const all = [x > 0 ? i - 1 : -1, x < width - 1 ? i + 1 : -1, i - width, i + width];
    return all.filter((j) => j >= 0 && j < width * height);
  };
  const filled = Array.from({ length: width * height }, (_, i) => cells[i * 3] >= 0);
  let ring = filled.flatMap((is, i) => (is || !neighbours(i).some((j) => filled[j]) ? [] : [i]));
  while (ring.length > 0) {
    for (const i of ring) {
      const from = neighbours(i).filter((j) => filled[j]);
      for (let k = 0; k < 3; k++) cells[i * 3 + k] = from.reduce((sum, j) => sum + cells[j * 3 + k], 0) / from.length;
    }
    for (const i of ring) filled[i] = true;
    ring = [...new Set(ring.flatMap((i) => neighbours(i).filter((j) => !filled[j])))];
  }
  for (let i = 0; i < filled.length; i++) if (!filled[i]) cells.fill(0, i * 3, i * 3 + 3);
}
