import type { Remote } from "comlink";
import { transfer, wrap } from "comlink";
import { defineStore } from "pinia";
import { computed, ref, shallowRef, watch } from "vue";
import type { ColourPair } from "#core/comp/grade";
import type { Comp } from "#core/comp/schema";
import type { StageName } from "#core/comp/stages/index";
import { readScreen } from "#core/comp/screen";
import type { Scopes, ViewName } from "#core/comp/view";
import type { FinalListing, WorkState } from "#core/shot/api";
import type { Shot } from "#core/shot/schema";
import { api } from "../api.ts";
import { plain } from "../plain.ts";
import type { CompAsk, CompAsks, CompPicture, PixelValues } from "../workers/comp.worker.ts";
import { useDesk } from "./desk.ts";
import { useFinals } from "./finals.ts";
import { useNotices } from "./notices.ts";
import { useProof } from "./proof.ts";
import { useShot } from "./shot.ts";

/** What the comp works on: a final's passes, or those of the proof as far as it has come. */
export type CompSource = { kind: "final"; id: string } | { kind: "proof" };

/** How a matte lies over the picture. */
export const MATTE_LOOKS = ["overlay", "alone", "edge"] as const;

/** A finished picture that was kept to be looked at again, this session. */
export interface Snapshot {
  bitmap: ImageBitmap;
  small: string;
  at: string;
}

/** Rest after which what was dragged is finished at the screen's size, milliseconds. */
const REST = 140;
/** Workers that share a picture while something is dragged: as many as there are cores, and no more than are worth their memory. */
const MOST_WORKERS = 4;

/** The comp: passes at the size of the screen, finished in a worker while settings change. */
export const useComp = defineStore("comp", () => {
  const store = useShot();
  const proof = useProof();
  const notices = useNotices();
  const finals = useFinals();
  const desk = useDesk();
  const source = shallowRef<CompSource | null>(null);
  const loading = ref(false);
  /** Whether what was taken knows how open surfaces are, which contact darkens by. */
  const knowsOpen = ref(false);
  /** What the last picture took, milliseconds. */
  const took = ref<number | null>(null);
  const without = ref<StageName | null>(null);
  const view = ref<ViewName>("picture");
  const gain = ref(4);
  const matte = ref<string | null>(null);
  const matteLook = ref<(typeof MATTE_LOOKS)[number]>("overlay");
  /** It lies over the picture where mattes are made, and nowhere else. */
  const laidMatte = computed(() => {
    const at = desk.step === "comp" && desk.compDrawer === "mattes" ? matte.value : null;
    return at && store.shot?.comp.mattes[at] ? { id: at, how: matteLook.value } : null;
  });
  const scopes = shallowRef<Scopes | null>(null);
  const values = shallowRef<PixelValues | null>(null);
  const pairs = shallowRef<ColourPair[]>([]);
  const snapshots = shallowRef<Snapshot[]>([]);
  /** Finishing of the full size, while it runs. */
  const work = shallowRef<WorkState | null>(null);
  /** Settings while they are dragged, before they are kept. */
  const draft = shallowRef<Comp | null>(null);

  /** The first finishes whole pictures and answers what is asked of them. */
  let workers: Remote<CompAsks>[] = [];
  let busy = false;
  let wanted: "quick" | "whole" | null = null;
  let rest: ReturnType<typeof setTimeout> | null = null;

  function all(): Remote<CompAsks>[] {
    if (workers.length === 0)
      workers = Array.from({ length: Math.min(MOST_WORKERS, navigator.hardwareConcurrency) }, () =>
        wrap<CompAsks>(new Worker(new URL("../workers/comp.worker.ts", import.meta.url), { type: "module" })),
      );
    return workers;
  }
  const asks = () => all()[0];

  /** Takes a final's passes, or the proof's, and shows them finished in its place. */
  async function take(from: CompSource): Promise<void> {
    const shot = store.shot;
    if (!shot) return;
    const final = from.kind === "final" ? finals.list.find(({ id }) => id === from.id) : undefined;
    if (final && final.plate !== shot.plates.main.codes) {
      notices.say(
        "warn",
        "That final is of another version of the plate.",
        "Render it anew, or take the version back.",
      );
      return;
    }
    loading.value = true;
    try {
      const buffer = from.kind === "final" ? await screenOf(from.id) : await proof.passes(shot);
      if (!buffer) {
        notices.say("warn", "The proof has no whole picture yet.", "Wait for its first samples, or take a final.");
        return;
      }
      const encoding = plain(shot.plates.main.encoding);
      knowsOpen.value = readScreen(buffer).layers.occlusion !== null;
      const half = await asks().load(transfer(buffer, [buffer]), encoding, all().length);
      const others = all().slice(1);
      await Promise.all(
        others.map((other, i) => {
          const copy = half.slice(0);
          return other.loadHalf(transfer(copy, [copy]), encoding, i + 1, all().length);
        }),
      );
      source.value = from;
      proof.held = true;
      await refresh("whole");
    } catch (error) {
      notices.fail(error);
    } finally {
      loading.value = false;
    }
  }

  async function screenOf(id: string): Promise<ArrayBuffer> {
    const response = await fetch(`/api/finals/${id}/screen.bin`);
    if (!response.ok) throw new Error("The final's passes cannot be had. Render it again.");
    return response.arrayBuffer();
  }

  function leave(): void {
    source.value = null;
    proof.held = false;
    scopes.value = null;
    values.value = null;
  }

  /** Finishes again: at half the size while something is dragged. What is wanted meanwhile waits, the newest of it. */
  async function refresh(size: "quick" | "whole"): Promise<void> {
    wanted = size === "whole" ? "whole" : (wanted ?? "quick");
    if (busy || !source.value) return;
    busy = true;
    try {
      while (wanted && source.value && store.shot) {
        const quick = wanted === "quick";
        wanted = null;
        const ask = plain(askOf(store.shot));
        const made = quick ? await quickPicture(ask) : await asks().finish(ask);
        if (made && source.value) show(made);
        if (!quick) scopes.value = await asks().scopes(96);
      }
    } catch (error) {
      notices.fail(error);
    } finally {
      busy = false;
    }
  }

  /** All workers' rows together: of a low picture some have none. */
  async function quickPicture(ask: CompAsk): Promise<CompPicture | null> {
    const begun = performance.now();
    const parts = (await Promise.all(all().map((each) => each.finishRows(ask)))).filter((part) => part !== null);
    if (parts.length <= 1) return parts[0] ?? null;
    const canvas = new OffscreenCanvas(parts[0].bitmap.width, parts[0].height);
    const context = canvas.getContext("2d")!;
    for (const { bitmap, y0 } of parts) {
      context.drawImage(bitmap, 0, y0);
      bitmap.close();
    }
    return { bitmap: canvas.transferToImageBitmap(), ms: performance.now() - begun };
  }

  function askOf(shot: Shot): CompAsk {
    const { set, solved } = shot;
    return {
      shot: { comp: draft.value ?? shot.comp, set, solved },
      without: without.value,
      view: { view: view.value, gain: gain.value },
      matte: laidMatte.value,
    };
  }

  function show(made: CompPicture): void {
    took.value = made.ms;
    const final = source.value?.kind === "final" ? listed(source.value.id) : null;
    proof.swap(made.bitmap, final?.samples ?? proof.picture?.samples ?? 0, final?.noise ?? null);
  }
  const listed = (id: string): FinalListing | null => finals.list.find((f) => f.id === id) ?? null;

  /** Changes settings while they are dragged; nothing is kept yet. */
  function adjust(change: (comp: Comp) => void): void {
    const comp = plain(draft.value ?? store.shot!.comp);
    change(comp);
    draft.value = comp;
    void refresh("quick");
    if (rest) clearTimeout(rest);
    rest = setTimeout(() => void refresh("whole"), REST);
  }

  /** Keeps a change as one edit. */
  async function keep(name: string, change: (comp: Comp) => void): Promise<void> {
    if (rest) clearTimeout(rest);
    draft.value = null;
    await store.commit(name, (d) => change(d.comp));
  }

  async function lookAt(u: number, v: number): Promise<void> {
    values.value = source.value ? await asks().values(u, v) : null;
  }

  /** Mean colour around a pixel of the plate, of the props or of the plate; null where there is none. */
  const patch = (u: number, v: number, radius: number, of: "cg" | "plate") => asks().patch(u, v, radius, of);

  function keepSnapshot(): void {
    const bitmap = proof.picture?.bitmap;
    if (!bitmap) return;
    const canvas = document.createElement("canvas");
    canvas.width = bitmap.width;
    canvas.height = bitmap.height;
    canvas.getContext("2d")!.drawImage(bitmap, 0, 0);
    const small = document.createElement("canvas");
    small.width = 96;
    small.height = Math.round((96 * bitmap.height) / bitmap.width);
    small.getContext("2d")!.drawImage(bitmap, 0, 0, small.width, small.height);
    const at = new Date().toLocaleTimeString("en-GB", { timeStyle: "short" });
    void createImageBitmap(canvas).then((kept) => {
      snapshots.value = [{ bitmap: kept, small: small.toDataURL("image/jpeg", 0.8), at }, ...snapshots.value].slice(
        0,
        8,
      );
    });
  }

  /** Shows a snapshot in the picture's place until the comp is finished again. */
  async function showSnapshot(snapshot: Snapshot): Promise<void> {
    proof.swap(await createImageBitmap(snapshot.bitmap), proof.picture?.samples ?? 0, null);
  }

  /** Finishes the taken final at its full size, on the server. */
  async function finishWhole(): Promise<void> {
    if (source.value?.kind !== "final" || !store.shot) return;
    const { id } = source.value;
    const shot = store.id;
    try {
      work.value = await api.finishFinal(id, store.shot.comp);
      while (work.value.state === "running") {
        await new Promise((resolve) => setTimeout(resolve, 250));
        // It goes on for a shot that was left, unseen.
        if (store.id !== shot) return;
        work.value = await api.work(work.value.id);
      }
      if (work.value.state === "done") notices.say("good", "Finished at full size.", "Save it under Hand over.");
      else if (work.value.state === "failed") notices.say("bad", work.value.message ?? "It failed.", "Try it again.");
    } catch (error) {
      notices.fail(error);
    } finally {
      work.value = null;
    }
  }
  const cancelWork = async () => {
    if (work.value) await api.cancelWork(work.value.id).catch(notices.fail);
  };

  watch(
    () => [store.shot?.comp, store.shot?.set, without.value, view.value, gain.value, laidMatte.value],
    () => void refresh("whole"),
  );
  watch(
    () => [store.id, store.shot?.plates.main.codes].join(),
    () => {
      leave();
      pairs.value = [];
      snapshots.value = [];
      matte.value = null;
    },
  );
  // A proof that begins anew, or is put away, takes the picture's place.
  watch(
    () => proof.on && proof.laid,
    (own) => {
      if (!own) leave();
    },
  );

  return {
    source,
    loading,
    knowsOpen,
    took,
    without,
    view,
    gain,
    matte,
    matteLook,
    scopes,
    values,
    pairs,
    snapshots,
    work,
    draft,
    take,
    leave,
    refresh,
    adjust,
    keep,
    lookAt,
    patch,
    keepSnapshot,
    showSnapshot,
    finishWhole,
    cancelWork,
  };
});
