import { fork } from "node:child_process";
import { mkdtemp, mkdir, readFile, readdir, rm, stat, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { PASS_GROUPS } from "#core/render/schema";
import { resampleRows } from "#core/image/resize";
import { BandFolder } from "#node/bandFolder";
import { collect, collectSome } from "#node/garbage";
import { FinishShare, sharesOf } from "#core/comp/finishShare";
import type { ScreenPasses } from "#core/comp/screen";
import { SCREEN_WIDTH, halved, readScreen } from "#core/comp/screen";
import { paintView, plainView } from "#core/comp/view";
import type { RenderChoice } from "#core/render/schema";
import type { Shot } from "#core/shot/schema";
import { writeFinal } from "#node/finalFiles";
import type { PassPaths } from "#node/finishRowsJob";
import { packCodes } from "#node/packedCodes";
import { screenPasses } from "#node/screenPasses";
import { HEAVY_PROCESS } from "#node/typescript";
import { plateOf } from "#node/plateRows";
import { renderIntoFolder } from "#node/renderShot";
import { documentOf } from "../demo/documents.ts";
import type { WorkMessage, WorkOrder } from "../server/workProcess.ts";

/**
 * npm run bench:final [-- MEGAPIXELS]: what a final costs besides its samples: the quay with a plate of 12 megapixels, every
 * layer, one sample, without and with denoising; and what finishing it again does. Each in a process of its own, as the
 * server does it.
 */
async function measure(folder: string, megapixels: number, denoise: boolean): Promise<string> {
  const { shot, plate, models } = await enlarged(megapixels);
  const { width, height } = plate;
  collect();
  const choice = choiceOf(shot, denoise);
  const bands = new BandFolder(path.join(folder, "bands"), "bench");
  const begun = performance.now();
  const layout = await renderIntoFolder(shot, plate, models, choice, bands);
  const rendered = performance.now();
  models.clear();
  collect();
  const target = path.join(folder, "files");
  await mkdir(target);
  await writeFinal(target, shot, plate, null, choice, layout, bands, collectSome);
  const written = performance.now();
  let bytes = 0;
  for (const name of await readdir(target)) bytes += (await stat(path.join(target, name))).size;
  return `${((width * height) / 1e6).toFixed(1)} MP, ${layout.stride} sums a pixel, ${denoise ? "denoised" : "as it is"}: ${seconds(rendered - begun)} s rays, ${seconds(written - rendered)} s files (${Math.round(bytes / 1e6)} MB), ${mostMemory()} MB at most`;
}

const choiceOf = ({ render }: Shot, denoise: boolean): RenderChoice => ({
  ...render,
  percent: 100,
  samples: 1,
  denoise,
  passes: [...PASS_GROUPS],
});

const seconds = (ms: number) => (ms / 1000).toFixed(1);

/** The most memory that the process has held so far, MB. */
const mostMemory = () => Math.round((process.resourceUsage().maxRSS * 1024) / 1e6);

/** The quay with its plate at so many megapixels; what it was made from is forgotten. */
async function enlarged(megapixels: number) {
  const { shot, plate: small, models } = await documentOf("quay");
  const s = Math.sqrt((megapixels * 1e6) / (small.width * small.height));
  const [width, height] = [Math.round(small.width * s), Math.round(small.height * s)];
  const linear = resampleRows({ ...small, pixels: small.linear }, width, height, 0, height);
  const codes = new Uint8Array(linear.length);
  for (let i = 0; i < codes.length; i++)
    codes[i] = Math.max(0, Math.min(255, Math.round(255 * Math.pow(linear[i], 1 / 2.2))));
  const main = { ...shot.plates.main, width, height };
  const { camera } = shot.solved!;
  const [u, v] = camera.principal;
  const larger = { ...camera, focalPx: camera.focalPx * s, principal: [u * s, v * s] as [number, number] };
  const sized: Shot = structuredClone({
    ...shot,
    plates: { ...shot.plates, main },
    solved: { ...shot.solved!, camera: larger },
  });
  return { shot: sized, plate: plateOf(sized, codes), models };
}

const pathsIn = (files: string) => {
  const exr = (name: string) => path.join(files, `${name}.exr`);
  return {
    prop: exr("prop"),
    ratio: exr("ratio"),
    added: exr("added"),
    depth: exr("depth"),
    occlusion: exr("occlusion"),
  };
};

/** The shot with every stage that looks beyond its pixel on. */
function staged(shot: Shot): Shot {
  const { comp } = shot;
  Object.assign(comp.props, { on: true, exposure: 0.2, contrast: 1.1 });
  Object.assign(comp.look, { on: true, saturation: 0.95, contrast: 1.05 });
  Object.assign(comp.glow, { on: true });
  Object.assign(comp.shadow, { on: true });
  return shot;
}

/** Finishing a folder's final again by the server's own process. */
async function finishAgain(folder: string, megapixels: number): Promise<string> {
  const { shot, plate } = await enlarged(megapixels);
  const files = path.join(folder, "files");
  const codes = path.join(folder, "codes");
  await writeFile(codes, await packCodes(plate.codes.slice(), plate.width));
  const { prop: premultiplied, ...passes } = pathsIn(files);
  const target = path.join(folder, "again");
  await mkdir(target);
  const final: WorkOrder["final"] = {
    shot: staged(shot),
    choice: choiceOf(shot, false),
    codes,
    profile: null,
    models: {},
    files: { premultiplied, ...passes, about: path.join(files, "render.json") },
  };
  const begun = performance.now();
  const child = fork(fileURLToPath(new URL("../server/workProcess.ts", import.meta.url)), {
    execArgv: HEAVY_PROCESS,
    serialization: "advanced",
  });
  let memory = 0;
  const watch = setInterval(() => void memoryOf(child.pid!).then((now) => (memory = Math.max(memory, now))), 50);
  child.send({ task: "finish", final, ask: null, target } satisfies WorkOrder);
  const said = await new Promise<WorkMessage>((resolve, reject) => {
    child.on("message", (message: WorkMessage) => message.kind !== "progress" && resolve(message));
    child.on("exit", () => reject(new Error("The process ended before its work was done.")));
  });
  clearInterval(watch);
  if (said.kind === "failed") throw new Error(said.message);
  return `finished again ${seconds(performance.now() - begun)} s, ${memory} MB at most`;
}

/** The most memory that another process has held so far, MB; 0 when it is gone. */
async function memoryOf(process: number): Promise<number> {
  const status = await readFile(`/proc/${process}/status`, "utf8").catch(() => "");
  return Math.round((Number(/VmHWM:\s+(\d+)/.exec(status)?.[1] ?? 0) * 1024) / 1e6);
}

/** A folder's final at the size of a screen, while sliders are moved. */
async function moveSliders(folder: string, megapixels: number): Promise<string> {
  const { shot: plain, plate } = await enlarged(megapixels);
  const shot = staged(plain);
  const { comp } = shot;
  const passes: PassPaths = pathsIn(path.join(folder, "files"));
  const begun = performance.now();
  const screen = readScreen((await screenPasses(passes, plate, SCREEN_WIDTH, 0.5)).buffer as ArrayBuffer);
  const made = performance.now();
  const same = (light: number) => light;
  /** Milliseconds from a moved slider to the picture, median of some moves: of several workers the slowest. */
  const time = (size: ScreenPasses, workers: number) => {
    const shares = sharesOf(size.height, workers).map((share) => new FinishShare(size, share));
    const slide = (move: (to: number) => void) => {
      const runs = Array.from({ length: 7 }, (_, i) => {
        move(0.1 + i / 50);
        const each = shares.map((share) => {
          const start = performance.now();
          const { linear } = share.finish(shot);
          const image = new Uint8ClampedArray((linear.length / 3) * 4);
          paintView(linear, share.plate(), size.width, plainView(), same, image);
          return performance.now() - start;
        });
        return Math.max(...each);
      });
      return runs.sort((a, b) => a - b)[3].toFixed(0);
    };
    const all = {
      shadow: (x: number) => (comp.shadow.density = x + 0.9),
      props: (x: number) => (comp.props.exposure = x),
      look: (x: number) => (comp.look.exposure = x),
    };
    return Object.entries(all)
      .map(([name, move]) => `${name} ${slide(move)}`)
      .join(", ");
  };
  return `passes for the screen ${seconds(made - begun)} s, then in ms ${time(screen, 1)}, while dragged by two workers ${time(halved(screen), 2)}`;
}

const kinds = {
  plain: (folder, megapixels) => measure(folder, megapixels, false),
  again: finishAgain,
  sliders: moveSliders,
  denoise: (folder, megapixels) => measure(folder, megapixels, true),
} satisfies Record<string, (folder: string, megapixels: number) => Promise<string>>;

const [megapixels = "12", kind, given] = process.argv.slice(2);
if (given) process.stdout.write(`${await kinds[kind as keyof typeof kinds](given, Number(megapixels))}\n`);
else {
  const folder = await mkdtemp(path.join(tmpdir(), "harbor-bench-final-"));
  try {
    for (const each of kind ? [kind] : Object.keys(kinds)) {
      // What was rendered before would be gone on from; only what is done with a final goes by it.
      if (each === "plain" || each === "denoise")
        for (const name of await readdir(folder)) await rm(path.join(folder, name), { recursive: true });
      const child = fork(fileURLToPath(import.meta.url), [megapixels, each, folder], { execArgv: HEAVY_PROCESS });
      await new Promise((resolve) => child.on("exit", resolve));
    }
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}
