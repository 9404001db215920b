import { mkdir, rename, rm, writeFile } from "node:fs/promises";
import path from "node:path";
import type { ExportId } from "#core/handover/choice";
import { EXPORTS, fileName } from "#core/handover/choice";
import { sizeAt } from "#core/image/resize";
import { bundle } from "./bundle.ts";
import type { Exporter, HandOver, Sink } from "./exporter.ts";
import { exr, st } from "./layers.ts";
import { compare, match, takes } from "./pages.ts";
import { jpeg, object, ora, png, tiff } from "./pictures.ts";
import { sit } from "./sit.ts";
import { cutOf } from "./sized.ts";
import { camera, glb, obj, usda } from "./scenes.ts";

/** Every way out, by its id: a forgotten one is a type error. */
export const EXPORTERS: Record<ExportId, Exporter> = {
  png,
  jpeg,
  tiff,
  object,
  ora,
  exr,
  st,
  camera,
  glb,
  usda,
  obj,
  compare,
  takes,
  match,
  sit,
  bundle,
};

/**
 * Writes what was chosen into a folder. All of it is written under other names first: nothing half-written ever has its final
 * one. Names of the files with their bytes. Throws what the first exporter that cannot do it says, with its name.
 */
export async function handOver(
  target: string,
  over: HandOver,
  tell: (share: number, what: string) => void = () => undefined,
): Promise<{ name: string; bytes: number }[]> {
  const { choice, shot, now } = over;
  const part = path.join(target, `.part-${process.pid}`);
  await mkdir(part, { recursive: true });
  const written: { name: string; bytes: number }[] = [];
  const { width, height } = cutOf(choice, sizeAt(shot.plates.main, shot.render.percent)).to;
  const date = now.toISOString().slice(0, 10);
  const sink: Sink = {
    put: async (what, ending, bytes) => {
      let name = fileName(choice.pattern, { shot: shot.name, what, width, height, date }, ending);
      for (let n = 2; written.some((f) => f.name === name); n++) name = name.replace(/(-\d+)?(\.[^.]*)$/, `-${n}$2`);
      await writeFile(path.join(part, name), bytes, { flush: true });
      written.push({ name, bytes: bytes.length });
      return name;
    },
  };
  try {
    for (const [i, id] of choice.exports.entries()) {
      tell(i / choice.exports.length, EXPORTS[id].label);
      await EXPORTERS[id].write(over, sink).catch((error: Error) => {
        throw new Error(`${EXPORTS[id].label}: ${error.message}`, { cause: error });
      });
    }
    for (const { name } of written) await rename(path.join(part, name), path.join(target, name));
  } finally {
    await rm(part, { recursive: true, force: true });
  }
  tell(1, "");
  return written;
}
