import { mkdir, writeFile } from "node:fs/promises";
import { linearToCode } from "#core/colour/srgb";
import { writePng } from "#node/png";
import type { Insertion } from "./insert.ts";
import { insert } from "./insert.ts";

/** Prints the figures of one case as JSON: CASE SAMPLES [noisy] [FOLDER for pictures]. */
const [name, samples, mode, folder] = process.argv.slice(2);
const result = await insert(name, Number(samples), mode !== "noisy");
if (folder) {
  await mkdir(folder, { recursive: true });
  for (const key of ["truth", "composite"] as const)
    await writeFile(`${folder}/${name}-${key}.png`, await part(result, result[key]));
}
process.stdout.write(JSON.stringify(result.figures));

function part({ width, region }: Insertion, pixels: Float32Array): Promise<Uint8Array> {
  const [w, h] = [region.x1 - region.x0, region.y1 - region.y0];
  const codes = new Uint8Array(w * h * 3);
  for (let y = 0; y < h; y++) {
    for (let x = 0; x < w * 3; x++) {
      codes[y * w * 3 + x] = linearToCode(pixels[((y + region.y0) * width + region.x0) * 3 + x], 8);
    }
  }
  return writePng(codes, w, h, 3);
}
