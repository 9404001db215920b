import { mkdir, readFile } from "node:fs/promises";
import { linearToCode } from "#core/colour/srgb";
import { compositeLinear } from "#core/comp/composite";
import { readAsset } from "#core/exchange/asset";
import { shownLight } from "#core/image/profile";
import { sizeAt } from "#core/image/resize";
import type { Model } from "#core/props/model";
import type { RenderChoice } from "#core/render/schema";
import type { Shot } from "#core/shot/schema";
import { BandFolder } from "#node/bandFolder";
import type { FinalReport } from "#node/finalFiles";
import { writeFinal } from "#node/finalFiles";
import { collect, collectSome } from "#node/garbage";
import { decodeTexture } from "#node/images";
import { unpackCodes } from "#node/packedCodes";
import { developBand } from "#node/bands";
import { plateOf, plateRowsAt } from "#node/plateRows";
import { renderIntoFolder } from "#node/renderShot";

/**
 * Renders one final in a process of its own: the server stays responsive, the memory is given back at the end, and a
 * kill cancels at once. What was finished lies in the folder of bands.
 */
export interface FinalOrder {
  id: string;
  shot: Shot;
  choice: RenderChoice;
  /** Paths of the plate's codes, its profile, and the models by hash. */
  codes: string;
  profile: string | null;
  models: Record<string, string>;
  /** Folder of the bands, and where the files go. */
  bands: string;
  target: string;
}

export type FinalMessage =
  | { kind: "progress"; samples: number; secondsLeft: number | null; rays: number }
  /** Rows of the small picture, sRGB codes. */
  | { kind: "rows"; width: number; height: number; v0: number; pixels: Uint8Array }
  | { kind: "writing"; secondsLeft: number | null }
  | { kind: "done"; report: FinalReport }
  | { kind: "failed"; message: string };

export const PREVIEW_WIDTH = 480;

const say = (message: FinalMessage): Promise<void> => new Promise((resolve) => process.send!(message, () => resolve()));

async function run(order: FinalOrder): Promise<void> {
  const { shot, choice } = order;
  const plate = plateOf(shot, await unpackCodes(new Uint8Array(await readFile(order.codes)), shot.plates.main));
  const profile = order.profile ? new Uint8Array(await readFile(order.profile)) : null;
  const models = new Map<string, Model>();
  for (const [hash, path] of Object.entries(order.models)) {
    models.set(hash, await readAsset(new Uint8Array(await readFile(path)), decodeTexture));
  }
  const folder = new BandFolder(order.bands, order.id);
  const size = sizeAt(plate, choice.percent);
  const [width, height] = smallSize(size);
  const shown = shownLight(plate.encoding);
  // The bare plate, over which the picture grows.
  const bare = new Uint8Array(width * height * 3);
  for (let v = 0; v < height; v++) {
    const y = Math.min(plate.height - 1, Math.floor(((v + 0.5) * plate.height) / height));
    for (let u = 0; u < width; u++) {
      const from = (y * plate.width + Math.floor(((u + 0.5) * plate.width) / width)) * 3;
      for (let k = 0; k < 3; k++) bare[(v * width + u) * 3 + k] = linearToCode(shown(plate.linear[from + k]), 8);
    }
  }
  void say({ kind: "rows", width, height, v0: 0, pixels: bare });
  const layout = await renderIntoFolder(shot, plate, models, choice, folder, {
    threads: choice.threads || undefined,
    onProgress: (p) =>
      void say({
        kind: "progress",
        samples: p.samples,
        secondsLeft: Number.isFinite(p.secondsLeft) ? p.secondsLeft : null,
        rays: p.rays,
      }),
    onBand: (film, band) => {
      const v0 = Math.ceil((band.y0 * height) / size.height - 0.5);
      const v1 = Math.min(height, Math.ceil((band.y1 * height) / size.height - 0.5));
      if (v1 <= v0) return;
      // Only the pixels that are shown are developed.
      const { layout } = film;
      const behind = plateRowsAt(plate, choice.percent, band).linear;
      const few = { ...film, width, height: v1 - v0, pixels: new Float32Array((v1 - v0) * width * layout.stride) };
      const linear = new Float32Array((v1 - v0) * width * 3);
      for (let v = v0, to = 0; v < v1; v++) {
        const y = Math.min(band.y1 - 1, Math.max(band.y0, Math.floor(((v + 0.5) * size.height) / height))) - band.y0;
        for (let u = 0; u < width; u++, to++) {
          const from = y * size.width + Math.floor(((u + 0.5) * size.width) / width);
          few.pixels.set(film.pixels.subarray(from * layout.stride, (from + 1) * layout.stride), to * layout.stride);
          for (let k = 0; k < 3; k++) linear[to * 3 + k] = behind[from * 3 + k];
        }
      }
      const picture = compositeLinear({ width, height: v1 - v0, linear }, developBand(shot, few));
      void say({ kind: "rows", width, height, v0, pixels: Uint8Array.from(picture, (x) => linearToCode(shown(x), 8)) });
    },
  });
  void say({ kind: "writing", secondsLeft: null });
  // What the render held is given back.
  models.clear();
  collect();
  await mkdir(order.target, { recursive: true });
  const started = Date.now();
  const report = await writeFinal(order.target, shot, plate, profile, choice, layout, folder, (done, of) => {
    void say({ kind: "writing", secondsLeft: ((Date.now() - started) / 1000) * (of / done - 1) });
    collectSome();
  });
  await say({ kind: "done", report });
}

/** Size of the small picture of a render. */
function smallSize({ width, height }: { width: number; height: number }): [number, number] {
  const small = Math.min(PREVIEW_WIDTH, width);
  return [small, Math.max(1, Math.round((small * height) / width))];
}

// Without its server a render has no one to work for.
process.on("disconnect", () => process.exit(1));
process.once("message", (order: FinalOrder) => {
  run(order).then(
    () => process.disconnect(),
    async (error: Error) => {
      await say({ kind: "failed", message: error.message });
      process.disconnect();
    },
  );
});
