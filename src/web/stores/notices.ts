import { defineStore } from "pinia";
import { ref } from "vue";
import { ApiFailure } from "../api.ts";

export interface Notice {
  id: number;
  tone: "good" | "warn" | "bad";
  text: string;
  hint: string;
}

/** Sentences for the user, newest last; bad ones stay until they are closed. */
export const useNotices = defineStore("notices", () => {
  const list = ref<Notice[]>([]);
  let next = 1;

  function close(id: number): void {
    list.value = list.value.filter((n) => n.id !== id);
  }

  function say(tone: Notice["tone"], text: string, hint = ""): void {
    const id = next++;
    list.value = [...list.value.filter((n) => n.text !== text), { id, tone, text, hint }].slice(-4);
    if (tone === "good") setTimeout(() => close(id), 5000);
    if (tone === "warn") setTimeout(() => close(id), 12000);
  }

  function fail(error: unknown): void {
    if (error instanceof ApiFailure) say("bad", error.message, error.hint);
    else say("bad", error instanceof Error ? error.message : String(error));
  }

  return { list, say, fail, close };
});
