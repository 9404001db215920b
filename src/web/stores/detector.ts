import type { Remote } from "comlink";
import { transfer, wrap } from "comlink";
import { defineStore } from "pinia";
import { shallowRef } from "vue";
import type { Proposals } from "#core/detect/propose";
import type { LensBelief } from "#core/detect/reading";
import type { Vec2 } from "#core/math/vec3";
import type { Detecting } from "../workers/detect.worker.ts";
import { usePlate } from "./plate.ts";

/** Edges found on the open plate, in a worker that keeps the plate's tones. */
export const useDetector = defineStore("detector", () => {
  const plate = usePlate();
  const busy = shallowRef(false);
  const seconds = shallowRef<number | null>(null);
  let worker: Remote<Detecting> | null = null;
  let known = "";

  /** The worker with the open plate, which it is given once; null without a plate. */
  async function ready(): Promise<Remote<Detecting> | null> {
    const { shown } = plate;
    if (!shown) return null;
    worker ??= wrap<Detecting>(new Worker(new URL("../workers/detect.worker.ts", import.meta.url), { type: "module" }));
    if (known !== shown.own) {
      known = shown.own;
      const linear = shown.linear.slice();
      await worker.show(transfer(linear, [linear.buffer]), shown.width, shown.height);
    }
    return worker;
  }

  async function propose(belief: LensBelief | null): Promise<Proposals> {
    const none: Proposals = { edges: [], lens: null };
    if (busy.value) return none;
    busy.value = true;
    try {
      const found = await (await ready())?.propose(belief);
      seconds.value = found?.seconds ?? null;
      return found ?? none;
    } finally {
      busy.value = false;
    }
  }

  /** Ends brought onto the edge under a mark, or null where there is none. */
  async function stick(from: Vec2, to: Vec2): Promise<[Vec2, Vec2] | null> {
    return (await (await ready())?.stick([...from], [...to])) ?? null;
  }

  return { busy, seconds, propose, stick };
});
