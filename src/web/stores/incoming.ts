import { defineStore } from "pinia";
import { computed, ref } from "vue";
import type { Follow, OnWay } from "../followed.ts";
import { followed, onWayWords } from "../followed.ts";

/** A file on its way into the shot from wherever on the page it came: one at a time. */
export const useIncoming = defineStore("incoming", () => {
  const name = ref<string | null>(null);
  const at = ref<OnWay>({ sent: 0, read: null });
  const words = computed(() => onWayWords(at.value));
  const share = computed(() => (at.value.sent < 1 ? 0.3 * at.value.sent : 0.3 + 0.7 * (at.value.read?.share ?? 0)));
  let stop: AbortController | null = null;

  /** Sends a file; null where it was left, or where another is on its way. */
  async function send<T>(file: File, call: (follow: Follow) => Promise<T>): Promise<T | null> {
    if (stop) return null;
    stop = new AbortController();
    const { signal } = stop;
    name.value = file.name;
    try {
      return await followed(call, signal, (now) => (at.value = { ...now }));
    } catch (error) {
      if (signal.aborted) return null;
      throw error;
    } finally {
      stop = null;
      name.value = null;
    }
  }

  return { name, words, share, send, cancel: () => stop?.abort() };
});
