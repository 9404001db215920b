import { defineStore } from "pinia";
import { ref, shallowRef, watch } from "vue";
import type { WorkState } from "#core/shot/api";
import type { SitLine } from "#core/sit/scene";
import { api } from "../api.ts";
import { useNotices } from "./notices.ts";
import { useShot } from "./shot.ts";

/** A line of the sit report as the page has it. */
export interface ShownLine extends SitLine {
  check: string;
  label: string;
  state: "good" | "warn" | "bad" | "unknown";
  picture: string | null;
}

/** The sit report of a final: reckoned on the server, kept until the shot is another. */
export const useSit = defineStore("sit", () => {
  const store = useShot();
  const notices = useNotices();
  const lines = shallowRef<ShownLine[] | null>(null);
  /** The final that it is of, and the size of its picture over the plate's. */
  const of = shallowRef<{ id: string; scale: number } | null>(null);
  const busy = ref(false);
  /** Something was changed since. */
  const stale = ref(false);
  /** How far it has come. */
  const work = shallowRef<WorkState | null>(null);

  async function look(id: string, scale: number): Promise<void> {
    if (busy.value) return;
    busy.value = true;
    const shot = store.id;
    try {
      let state = await api.sitReport(id);
      work.value = state;
      while (state.state === "running") {
        await new Promise((resolve) => setTimeout(resolve, 250));
        // One who has gone on to another shot does not wait for it.
        if (store.id !== shot) {
          await api.cancelWork(state.id);
          return;
        }
        state = await api.work(state.id);
        work.value = state;
      }
      if (state.state === "failed") throw new Error(state.message ?? "The report failed.");
      if (state.state !== "done") return;
      const answer = await api.workAnswer<{ lines: ShownLine[] }>(state.id);
      if (store.id !== shot) return;
      lines.value = answer.lines;
      of.value = { id, scale };
      stale.value = false;
    } catch (error) {
      notices.fail(error);
    } finally {
      busy.value = false;
      work.value = null;
    }
  }
  const cancel = async () => {
    if (work.value) await api.cancelWork(work.value.id).catch(notices.fail);
  };

  watch(
    () => store.id,
    () => {
      lines.value = null;
      of.value = null;
    },
  );
  watch(
    () => store.shot,
    () => (stale.value = lines.value !== null),
  );

  return { lines, of, busy, work, stale, look, cancel };
});
