import * as L from "../../kernel/layout.ts";
import type { Kernel } from "./kernel.ts";
import type { SceneMemory } from "./memory.ts";
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
 * nearest value. The map holds as long as camera, set and light stay.
 */
export function measureFill(
  kernel: Kernel,
  memory: SceneMemory,
  loaded: LoadedScene,
  frame: { width: number; height: number },
  samples: number,
): FillMap {
  const s = FILL_CELLS / Math.max(frame.width, frame.height);
  const width = Math.max(2, Math.round(frame.width * s));
  const height = Math.max(2, Math.round(frame.height * s));
  const address = memory.reserve(width * height * 36);
  kernel.renderFill(loaded.params, 0, height, width, height, samples, address);
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

function spreadIntoGaps(cells: Float32Array, width: number, height: number): void {
  let gaps = true;
  for (let round = 0; gaps && round < width + height; round++) {
    gaps = false;
    const before = cells.slice();
    for (let y = 0; y < height; y++) {
      for (let x = 0; x < width; x++) {
        const i = (y * width + x) * 3;
        if (before[i] >= 0) continue;
        let n = 0;
        const sum = [0, 0, 0];
        for (const [dx, dy] of [
          [-1, 0],
          [1, 0],
          [0, -1],
          [0, 1],
        ]) {
          const [nx, ny] = [x + dx, y + dy];
          if (nx < 0 || ny < 0 || nx >= width || ny >= height) continue;
          const j = (ny * width + nx) * 3;
          if (before[j] < 0) continue;
          n++;
          for (let k = 0; k < 3; k++) sum[k] += before[j + k];
        }
        if (n === 0) gaps = true;
        else for (let k = 0; k < 3; k++) cells[i + k] = sum[k] / n;
      }
    }
  }
  for (let i = 0; i < cells.length; i++) if (cells[i] < 0) cells[i] = 0;
}
