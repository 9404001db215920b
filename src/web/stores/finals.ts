import { defineStore } from "pinia";
import { computed, ref } from "vue";
import type { FinalListing, FinalRequest } from "#core/shot/api";
import { api } from "../api.ts";
import { useNotices } from "./notices.ts";

/** Final renders of the open shot, looked at again every second while one is under way. */
export const useFinals = defineStore("finals", () => {
  const list = ref<FinalListing[]>([]);
  const notices = useNotices();
  let shotId: string | null = null;
  let timer: ReturnType<typeof setTimeout> | null = null;

  const running = computed(() => list.value.find((f) => f.status === "running" || f.status === "waiting") ?? null);
  const newest = computed(() => list.value.find((f) => f.status === "done") ?? null);

  async function follow(id: string | null): Promise<void> {
    if (timer) clearTimeout(timer);
    timer = null;
    if (shotId !== id) list.value = [];
    shotId = id;
    if (!id) return;
    const before = running.value?.id;
    try {
      const known = await api.finals(id);
      // Another shot may have been opened meanwhile.
      if (shotId !== id) return;
      list.value = known;
    } catch (error) {
      notices.fail(error);
    }
    const ended = before && list.value.find((f) => f.id === before);
    if (ended && ended.status === "done")
      notices.say(
        "good",
        `Final ready: ${ended.width} × ${ended.height}, ${ended.seconds?.toFixed(0)} s.`,
        "Look at it under Comp; save it under Hand over.",
      );
    if (ended && ended.status === "failed")
      notices.say("bad", `The final failed: ${ended.message}`, "Mend that and render again.");
    if (running.value && shotId === id) timer = setTimeout(() => void follow(id), 700);
  }

  /** Queues a final with the shot's own settings, changed where something is given. */
  async function start(request: FinalRequest = {}): Promise<void> {
    try {
      await api.addFinal(shotId!, request);
    } catch (error) {
      notices.fail(error);
    }
    await follow(shotId);
  }

  async function cancel(id: string): Promise<void> {
    try {
      await api.cancelFinal(id);
    } catch (error) {
      notices.fail(error);
    }
    await follow(shotId);
  }

  return { list, running, newest, follow, start, cancel };
});
