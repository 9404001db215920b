import { defineStore } from "pinia";
import { ref, shallowRef } from "vue";
import type { ProbeResult } from "#core/light/probeShot";
import type { Shot } from "#core/shot/schema";
import type { ProofOrder, ProofReport } from "../workers/proof.worker.ts";

export interface ProofPicture {
  bitmap: ImageBitmap;
  width: number;
  height: number;
  samples: number;
  target: number;
  seconds: number;
  rate: number;
  noise: number;
}

/** The proof render: one worker that always renders the newest shot it was given. */
export const useProof = defineStore("proof", () => {
  const on = ref(false);
  const state = ref<"idle" | "working" | "done" | "failed">("idle");
  const message = ref("");
  const picture = shallowRef<ProofPicture | null>(null);
  const firstMs = ref<number | null>(null);
  const target = ref(64);
  let worker: Worker | null = null;
  let asked = 0;
  let sent = "";
  let nextProbe = 1;
  const probes = new Map<number, (result: ProbeResult | string) => void>();

  function start(): Worker {
    const made = new Worker(new URL("../workers/proof.worker.ts", import.meta.url), { type: "module" });
    made.onmessage = (event: MessageEvent<ProofReport>) => receive(event.data);
    made.onerror = () => {
      state.value = "failed";
      message.value = "The proof's worker could not start. Reload the page.";
    };
    return made;
  }

  function receive(r: ProofReport): void {
    if (r.kind === "probed") {
      probes.get(r.id)?.(r.result);
      probes.delete(r.id);
      return;
    }
    if (r.kind === "failed") {
      state.value = "failed";
      message.value = r.message;
      return;
    }
    if (r.kind === "done") state.value = "done";
    if (r.kind !== "picture") return;
    if (!on.value) {
      r.bitmap.close();
      return;
    }
    firstMs.value ??= performance.now() - asked;
    picture.value?.bitmap.close();
    picture.value = r;
  }

  /** What of a shot the picture depends on. */
  const keyOf = (shot: Shot) =>
    JSON.stringify([shot.solved?.camera, shot.set, shot.props, shot.light, shot.render.seed]);

  function render(shot: Shot): void {
    if (!on.value || !shot.solved) return;
    const key = `${keyOf(shot)}${target.value}`;
    if (key === sent) return;
    sent = key;
    state.value = "working";
    message.value = "";
    asked = performance.now();
    firstMs.value = null;
    worker ??= start();
    worker.postMessage({ kind: "render", shot, samples: target.value } satisfies ProofOrder);
  }

  function stop(): void {
    on.value = false;
    sent = "";
    state.value = "idle";
    worker?.postMessage({ kind: "stop" } satisfies ProofOrder);
  }

  /** Ends the render but keeps what it has shown. */
  function hold(): void {
    state.value = "done";
    worker?.postMessage({ kind: "stop" } satisfies ProofOrder);
  }

  function clear(): void {
    stop();
    picture.value?.bitmap.close();
    picture.value = null;
  }

  /** Sun and sky from the shot's probes. Interrupts the render, which begins again. */
  function probe(shot: Shot): Promise<ProbeResult | string> {
    worker ??= start();
    sent = "";
    const id = nextProbe++;
    return new Promise((resolve) => {
      probes.set(id, resolve);
      worker!.postMessage({ kind: "probe", id, shot } satisfies ProofOrder);
    });
  }

  return { on, state, message, picture, firstMs, target, render, stop, hold, clear, probe };
});
