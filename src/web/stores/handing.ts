import { defineStore } from "pinia";
import { ref, shallowRef, watch } from "vue";
import type { HandOverChoice } from "#core/handover/choice";
import { newHandOver } from "#core/handover/choice";
import type { WorkState } from "#core/shot/api";
import { api } from "../api.ts";
import { useNotices } from "./notices.ts";
import { useShot } from "./shot.ts";

const KEPT = "harbor.handover";

/** What is handed over, and how far it has come. The choice is remembered from shot to shot. */
export const useHanding = defineStore("handing", () => {
  const store = useShot();
  const notices = useNotices();
  const choice = ref<HandOverChoice>(remembered());
  const final = ref<string | null>(null);
  const work = shallowRef<WorkState | null>(null);

  function remembered(): HandOverChoice {
    try {
      return { ...newHandOver(), ...(JSON.parse(localStorage.getItem(KEPT) ?? "{}") as Partial<HandOverChoice>) };
    } catch {
      return newHandOver();
    }
  }
  watch(choice, (now) => localStorage.setItem(KEPT, JSON.stringify({ ...now, region: null })), { deep: true });
  watch(
    () => store.id,
    () => {
      work.value = null;
      final.value = null;
    },
  );

  async function start(): Promise<void> {
    const { id } = store;
    if (!id) return;
    try {
      let state = await api.handOver(id, final.value, choice.value);
      // What is handed over of a shot that was left ends on the server, unseen.
      while (store.id === id) {
        work.value = state;
        if (state.state !== "running") break;
        await new Promise((resolve) => setTimeout(resolve, 300));
        // Left in the meantime, or while the answer was on its way.
        if (!work.value) return;
        state = await api.work(state.id);
        if (!work.value) return;
      }
      if (store.id !== id) return;
      if (work.value?.state === "failed") {
        notices.say("bad", work.value.message ?? "It failed.", "Leave that out, or mend it, and hand over again.");
        work.value = null;
      }
    } catch (error) {
      notices.fail(error);
      work.value = null;
    }
  }

  async function cancel(): Promise<void> {
    if (work.value) work.value = await api.cancelWork(work.value.id);
    work.value = null;
  }

  return { choice, final, work, start, cancel };
});
