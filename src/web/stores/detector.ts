import { defineStore } from "pinia";
import { shallowRef } from "vue";
import type { Proposal } from "#core/detect/propose";
import type { Vec2 } from "#core/math/vec3";
import type { DetectReply, DetectRequest } from "../workers/detect.worker.ts";
import { usePlate } from "./plate.ts";

/** Edges found on the open plate, in a worker that keeps the plate's tones. */
export const useDetector = defineStore("detector", () => {
  const plate = usePlate();
  const busy = shallowRef(false);
  const seconds = shallowRef<number | null>(null);
  let worker: Worker | null = null;
  let known = "";
  let next = 1;
  const waiting = new Map<number, (reply: DetectReply) => void>();

  type Ask = DetectRequest extends infer R ? (R extends DetectRequest ? Omit<R, "id"> : never) : never;

  function send(ask: Ask, transfer: Transferable[] = []): Promise<DetectReply> {
    if (!worker) {
      worker = new Worker(new URL("../workers/detect.worker.ts", import.meta.url), { type: "module" });
      worker.onmessage = (event: MessageEvent<DetectReply>) => {
        waiting.get(event.data.id)?.(event.data);
        waiting.delete(event.data.id);
      };
    }
    const id = next++;
    return new Promise((resolve) => {
      waiting.set(id, resolve);
      worker!.postMessage({ ...ask, id }, transfer);
    });
  }

  /** Gives the worker the open plate, once. */
  async function ready(): Promise<boolean> {
    const { shown } = plate;
    if (!shown) return false;
    if (known === shown.hash) return true;
    known = shown.hash;
    const linear = shown.linear.slice();
    await send({ kind: "plate", linear, width: shown.width, height: shown.height }, [linear.buffer]);
    return true;
  }

  async function propose(): Promise<Proposal[]> {
    if (busy.value) return [];
    busy.value = true;
    try {
      if (!(await ready())) return [];
      const reply = await send({ kind: "propose" });
      seconds.value = reply.seconds;
      return reply.proposals ?? [];
    } finally {
      busy.value = false;
    }
  }

  /** Ends brought onto the edge under a mark, or null where there is none. */
  async function stick(from: Vec2, to: Vec2): Promise<[Vec2, Vec2] | null> {
    if (!(await ready())) return null;
    return (await send({ kind: "stick", from, to })).ends ?? null;
  }

  return { busy, seconds, propose, stick };
});
