import type { Remote } from "comlink";
import { wrap } from "comlink";
import { defineStore } from "pinia";
import { ref, shallowRef } from "vue";
import type { PlateAlbedo } from "#core/render/plateAlbedo";
import { withMirrorBall } from "#core/render/mirrorBall";
import type { ProbedLight } from "#core/render/probeLight";
import type { Shot } from "#core/shot/schema";
import { staleKey } from "#core/shot/stale";
import { plain } from "../plain.ts";
import type { Region } from "#core/trace/tiles";
import type { ProofAsks, ProofOrder, ProofPicture, ProofReport } from "../workers/proof.worker.ts";

/** How the mirror ball is shown: the place as it is filled, or what the plate does not show in one loud colour. */
export type Ball = "off" | "filled" | "hidden";

/** The proof render: one worker that always renders the newest shot it was given. */
export const useProof = defineStore("proof", () => {
  const on = ref(false);
  const state = ref<"idle" | "working" | "done" | "failed">("idle");
  const message = ref("");
  const picture = shallowRef<ProofPicture | null>(null);
  /** What is shown is no proof but a final, or how two of them differ. */
  const laid = ref(false);
  const firstMs = ref<number | null>(null);
  /** Share of the shown samples that is denoised already; null while they are not being denoised. */
  const denoising = ref<number | null>(null);
  const target = ref(64);
  /** Part of the plate that is rendered, at the plate's own size; null for all of it. */
  const region = shallowRef<Region | null>(null);
  /** A mirror ball that shows what of the place is there for reflections. */
  const ball = ref<Ball>("off");
  /** Whether a proof was shown before the ball. */
  let before = false;
  /** The only source whose part of the picture is shown. */
  const solo = ref<string | null>(null);
  /** What each source gives the picture, as addresses of small pictures. */
  const parts = shallowRef<Record<string, string>>({});
  /** True while the comp works on what is laid: changes of the shot render nothing. */
  const held = ref(false);
  let worker: Worker | null = null;
  let asked = 0;
  let sent = "";
  let shown: Shot | null = null;
  let reading = false;
  let asks: Remote<ProofAsks> | null = null;

  function start(): Worker {
    const made = new Worker(new URL("../workers/proof.worker.ts", import.meta.url), { type: "module" });
    made.onmessage = (event: MessageEvent<ProofReport>) => receive(event.data);
    made.onerror = () => {
      state.value = "failed";
      message.value = "The proof's worker could not start. Reload the page.";
    };
    const { port1, port2 } = new MessageChannel();
    made.postMessage({ kind: "asks", port: port2 } satisfies ProofOrder, [port2]);
    asks = wrap<ProofAsks>(port1);
    return made;
  }

  function receive(r: ProofReport): void {
    if (r.kind === "failed") {
      state.value = "failed";
      message.value = r.message;
      return;
    }
    denoising.value = r.kind === "denoising" ? r.share : null;
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

  function render(whole: Shot): void {
    if (!on.value || held.value || !whole.solved) return;
    const shot = ball.value === "off" ? whole : withMirrorBall(whole, ball.value === "hidden");
    const key = `${staleKey(shot, "develop")}${JSON.stringify(region.value)}${target.value}${solo.value ?? ""}`;
    if (key === sent) return;
    sent = key;
    laid.value = false;
    state.value = "working";
    message.value = "";
    asked = performance.now();
    firstMs.value = null;
    worker ??= start();
    shown = shot;
    const order = { kind: "render", shot, samples: target.value, region: region.value, solo: solo.value } as const;
    worker.postMessage(order satisfies ProofOrder);
  }

  /** Takes the parts of the picture by source anew, one reading at a time. */
  async function readParts(): Promise<void> {
    if (!asks || !shown || !on.value || laid.value || reading) return;
    reading = true;
    try {
      const made = await asks.parts(shown);
      if (!made) return;
      for (const address of Object.values(parts.value)) URL.revokeObjectURL(address);
      parts.value = Object.fromEntries(Object.entries(made).map(([id, blob]) => [id, URL.createObjectURL(blob)]));
    } finally {
      reading = false;
    }
  }

  /** Shows a mirror ball in the proof in place of the props, or ends that; the proof that was there goes on. */
  function showBall(next: Ball, shot: Shot): void {
    if (ball.value === "off") before = on.value && !laid.value;
    ball.value = next;
    const wanted = next !== "off" || before;
    if (wanted !== on.value || laid.value) toggle(shot);
    else render(shot);
  }

  /** Begins a proof of the shot, also in place of a final that is shown, or puts the proof away. */
  function toggle(shot: Shot): void {
    held.value = false;
    const away = on.value && !laid.value;
    clear();
    if (away || !shot.solved) return;
    on.value = true;
    render(shot);
  }

  function stop(): void {
    on.value = false;
    sent = "";
    state.value = "idle";
    worker?.postMessage({ kind: "stop", keep: false } satisfies ProofOrder);
  }

  /** Ends the render but keeps what it has shown. */
  function hold(): void {
    state.value = "done";
    worker?.postMessage({ kind: "stop", keep: true } satisfies ProofOrder);
  }

  function clear(): void {
    stop();
    picture.value?.bitmap.close();
    picture.value = null;
    laid.value = false;
  }

  /** Lays a finished picture over the plate in place of the proof. */
  function lay(bitmap: ImageBitmap, samples: number, noise: number | null): void {
    clear();
    on.value = true;
    laid.value = true;
    state.value = "done";
    const { width, height } = bitmap;
    const part = { x0: 0, y0: 0, x1: width, y1: height };
    const none = { secondsLeft: null, rays: 0, rate: 0, denoised: false, notice: null };
    picture.value = { bitmap, width, height, part, samples, target: samples, noise, ...none };
  }

  /** Lays another picture in the place of what is laid already; the proof, if it is that, gives way. */
  function swap(bitmap: ImageBitmap, samples: number, noise: number | null): void {
    if (!on.value || !laid.value || !picture.value) {
      lay(bitmap, samples, noise);
      return;
    }
    const before = picture.value.bitmap;
    const { width, height } = bitmap;
    picture.value = { ...picture.value, bitmap, width, height, part: { x0: 0, y0: 0, x1: width, y1: height } };
    if (before !== bitmap) before.close();
  }

  /** The passes of the samples that are there, at the size of a screen; null without a whole picture. */
  const passes = (shot: Shot): Promise<ArrayBuffer | null> => (asks ? asks.passes(plain(shot)) : Promise.resolve(null));

  /** What the proof shows at a pixel of the plate: the prop's place among those that are shown, and its distance. */
  const pick = (pixel: [number, number]): Promise<{ prop: number; distance: number | null }> =>
    asks ? asks.pick([...pixel]) : Promise.resolve({ prop: -1, distance: null });

  /** The sources' colours from the shot's probes. Interrupts the render, which begins again. */
  function probe(shot: Shot): Promise<ProbedLight | string> {
    worker ??= start();
    sent = "";
    return asks!.probe(shot);
  }

  /** Reflectance of the surface under a patch of the plate, by the light that reaches it. Interrupts the render. */
  async function albedo(shot: Shot, pixel: [number, number], radius: number): Promise<PlateAlbedo | string> {
    worker ??= start();
    sent = "";
    const found = await asks!.albedo(shot, [...pixel], radius);
    render(shot);
    return found;
  }

  return {
    on,
    albedo,
    ball,
    showBall,
    solo,
    parts,
    readParts,
    laid,
    toggle,
    state,
    message,
    picture,
    firstMs,
    denoising,
    target,
    region,
    held,
    lay,
    swap,
    passes,
    pick,
    render,
    stop,
    hold,
    clear,
    probe,
  };
});
