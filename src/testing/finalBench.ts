import { fork } from "node:child_process";
import { mkdtemp, mkdir, readdir, rm, stat } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { PASS_GROUPS } from "#core/render/schema";
import { resampleRows } from "#core/image/resize";
import { BandFolder } from "#node/bandFolder";
import { collect } from "#node/garbage";
import { writeFinal } from "#node/finalFiles";
import { plateOf, plateRowsAt } from "#node/plateRows";
import { renderIntoFolder } from "#node/renderShot";
import { documentOf } from "../demo/documents.ts";

/**
 * npm run bench:final [-- MEGAPIXELS]: what a final costs besides its samples: the quay with a plate of 12 megapixels, every
 * layer, one sample, without and with denoising, in a process of its own as the server runs it.
 */
async function measure(megapixels: number, denoise: boolean): Promise<string> {
  const { shot, plate, models } = await documentOf("quay");
  const scale = Math.sqrt((megapixels * 1e6) / (plate.width * plate.height));
  const [width, height] = [Math.round(plate.width * scale), Math.round(plate.height * scale)];
  const big = plateRowsAt({ ...plate, width: plate.width, height: plate.height }, 100, { y0: 0, y1: plate.height });
  const linear = resampleRows({ ...big, pixels: big.linear }, width, height, 0, height);
  const codes = new Uint8Array(linear.length);
  for (let i = 0; i < codes.length; i++)
    codes[i] = Math.max(0, Math.min(255, Math.round(255 * Math.pow(linear[i], 1 / 2.2))));
  const main = { ...shot.plates.main, width, height };
  const larger = plateOf({ ...shot, plates: { ...shot.plates, main } }, codes);
  const { camera } = shot.solved!;
  const s = width / plate.width;
  const sized = {
    ...shot,
    plates: { ...shot.plates, main: { ...shot.plates.main, width, height } },
    solved: {
      ...shot.solved!,
      camera: {
        ...camera,
        focalPx: camera.focalPx * s,
        principal: [camera.principal[0] * s, camera.principal[1] * s] as [number, number],
      },
    },
  };
  const folder = await mkdtemp(path.join(tmpdir(), "harbor-bench-final-"));
  try {
    const choice = { ...shot.render, percent: 100, samples: 1, denoise, passes: [...PASS_GROUPS] };
    const bands = new BandFolder(path.join(folder, "bands"), "bench");
    const begun = performance.now();
    const layout = await renderIntoFolder(sized, larger, models, choice, bands);
    const rendered = performance.now();
    models.clear();
    collect();
    const target = path.join(folder, "files");
    await mkdir(target);
    await writeFinal(target, sized, larger, null, choice, layout, bands, collect);
    const written = performance.now();
    let bytes = 0;
    for (const name of await readdir(target)) bytes += (await stat(path.join(target, name))).size;
    const seconds = (ms: number) => (ms / 1000).toFixed(1);
    return `${((width * height) / 1e6).toFixed(1)} MP, ${layout.stride} sums a pixel, ${denoise ? "denoised" : "as it is"}: ${seconds(rendered - begun)} s rays, ${seconds(written - rendered)} s files (${Math.round(bytes / 1e6)} MB), ${Math.round(process.resourceUsage().maxRSS / 1024)} MB at most`;
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

const [megapixels = "12", own] = process.argv.slice(2);
if (own) process.stdout.write(`${await measure(Number(megapixels), own === "denoise")}\n`);
else
  for (const kind of ["plain", "denoise"]) {
    const child = fork(fileURLToPath(import.meta.url), [megapixels, kind], {
      execArgv: [...process.execArgv, "--expose-gc", "--max-semi-space-size=4"],
    });
    await new Promise((resolve) => child.on("exit", resolve));
  }
