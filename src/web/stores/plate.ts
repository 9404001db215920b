import type { Remote } from "comlink";
import { wrap } from "comlink";
import { defineStore } from "pinia";
import { shallowRef } from "vue";
import type { Shot } from "#core/shot/schema";
import type { Picture } from "#core/trace/scene";
import type { PlateAsk, Reading } from "../workers/plate.worker.ts";

export interface ShownPlate {
  /** What it was decoded from. */
  own: string;
  width: number;
  height: number;
  canvas: HTMLCanvasElement;
  /** Linear Rec. 709, interleaved RGB. */
  linear: Float32Array;
  /** The same, made small. */
  coarse: Picture;
}

/** The open plate's pixels, loaded once, as a picture for the screen and as linear light. A worker decodes them. */
export const usePlate = defineStore("plate", () => {
  const shown = shallowRef<ShownPlate | null>(null);
  let worker: Remote<Reading> | null = null;
  /** Hash of the plate that is wanted last. */
  let wanted = "";

  /** Shows the plate of a shot. Throws if the server does not have it. */
  async function load(shot: Shot): Promise<void> {
    const { codes: hash, width, height, encoding } = shot.plates.main;
    const own = JSON.stringify([hash, encoding.response]);
    wanted = own;
    if (shown.value?.own === own) return;
    shown.value = null;
    worker ??= wrap<Reading>(new Worker(new URL("../workers/plate.worker.ts", import.meta.url), { type: "module" }));
    const reply = await worker.read(JSON.parse(JSON.stringify({ hash, width, height, encoding })) as PlateAsk);
    // Another shot may have been opened meanwhile.
    if (wanted !== own) return;
    const canvas = document.createElement("canvas");
    canvas.width = width;
    canvas.height = height;
    canvas.getContext("2d")!.drawImage(reply.bitmap, 0, 0);
    reply.bitmap.close();
    shown.value = { own, width, height, canvas, linear: reply.linear, coarse: reply.coarse };
  }

  return { shown, load };
});
