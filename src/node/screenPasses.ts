import { readFile } from "node:fs/promises";
import { checkExr } from "#core/image/exrCheck";
import type { ExrBlock } from "#core/image/exrRead";
import { readExrBlocks } from "#core/image/exrRead";
import type { ScreenHead, ScreenLayer } from "#core/comp/screen";
import { ShrunkLayer, depthOfCover, screenBytes } from "#core/comp/screen";
import type { DecodedPlate } from "#core/comp/composite";
import { resampleRows } from "#core/image/resize";
import { kernelReader } from "#core/trace/kernelBlocks";
import { SceneMemory, scratchAddress } from "#core/trace/memory";
import type { PassPaths } from "./finishRowsJob.ts";
import { inflateBlock } from "./inflateBlock.ts";
import { compileKernel, newKernelMemory, openKernel } from "./kernelFile.ts";
import type { PassName } from "./passFile.ts";
import { PASS_CHANNELS, passHeader } from "./passFile.ts";

/** A render's passes and its plate at the size of a screen, as the page's comp takes them (core/comp/screen). */
export async function screenPasses(
  files: PassPaths,
  plate: DecodedPlate,
  most: number,
  renderedSigma: number,
): Promise<Uint8Array> {
  const heads = checkExr(new Uint8Array(await readFile(files.prop)));
  const full = { width: heads.width, height: heads.height };
  const width = Math.min(most, full.width);
  const height = Math.max(1, Math.round((full.height * width) / full.width));
  const own = newKernelMemory();
  const memory = new SceneMemory(own);
  const read = kernelReader(await openKernel(await compileKernel(), own, scratchAddress(0)), memory);
  const layers: Partial<Record<ScreenLayer, Float32Array>> = {};
  for (const [name, file] of Object.entries(files) as [PassName, string | null][]) {
    if (!file) continue;
    const bytes = new Uint8Array(await readFile(file));
    const names = PASS_CHANNELS[name];
    const small = new ShrunkLayer(full, { width, height }, names.length);
    const header = passHeader(bytes, name, full);
    const room = header.blockRows * full.width;
    const planes = names.map(() => memory.f32(memory.reserve(room * 4), room));
    const targets = new Map(names.map((channel, k) => [channel, { values: planes[k], offset: 0, stride: 1 }]));
    const take = (block: ExrBlock) => {
      const { y0, rows } = block;
      if (!block.again) read(block, header, targets, y0, y0, y0 + rows);
      for (let y = 0; y < rows; y++) {
        const [from, to] = [y * full.width, (y + 1) * full.width];
        small.take(
          y0 + y,
          planes.map((plane) => plane.subarray(from, to)),
        );
      }
    };
    readExrBlocks(bytes, header, take, { inflate: inflateBlock });
    layers[name] = small.pixels;
  }
  depthOfCover(layers.depth!, layers.prop!);
  layers.plate = resampleRows({ ...plate, pixels: plate.linear }, width, height, 0, height);
  const head: ScreenHead = {
    width,
    height,
    scale: width / plate.width,
    renderedSigma: (renderedSigma * width) / full.width,
  };
  return screenBytes(head, layers);
}
