import type { Remote } from "comlink";
import { wrap } from "comlink";
import { defineStore } from "pinia";
import { computed, shallowRef } from "vue";
import type { Details } from "#core/match/details";
import type { SolveAnswer } from "#core/match/request";
import type { Camera } from "#core/optics/camera";
import { requestKey, requestOfShot } from "#core/match/requestOfShot";
import type { Shot } from "#core/shot/schema";
import type { Solving } from "../workers/solve.worker.ts";
import { useNotices } from "./notices.ts";

/** The camera of the marks as they stand, solved in a worker; newer marks overtake older ones that still wait. */
export const useSolver = defineStore("solver", () => {
  const notices = useNotices();
  const answer = shallowRef<SolveAnswer | null>(null);
  const answered = shallowRef("");
  /** What is told about the answer; null until it has come. */
  const details = shallowRef<Details | null>(null);
  let worker: Remote<Solving> | null = null;
  /** Number of the request whose answer is shown. */
  let shown = 0;
  let queued: Shot | null = null;
  let busy = false;

  function solving(): Remote<Solving> {
    worker ??= wrap<Solving>(new Worker(new URL("../workers/solve.worker.ts", import.meta.url), { type: "module" }));
    return worker;
  }

  /** Solves and shows a shot's marks; what is told about the answer follows. */
  async function show(shot: Shot): Promise<SolveAnswer> {
    const ticket = ++shown;
    const result = await solving().answer(ticket, requestOfShot(shot));
    answer.value = result;
    answered.value = requestKey(shot);
    if (!result.camera) details.value = null;
    solving()
      .details(ticket)
      .then(
        (told) => {
          if (told && ticket === shown) details.value = told;
        },
        (error: unknown) => notices.fail(error),
      );
    return result;
  }

  function follow(shot: Shot): void {
    if (requestKey(shot) === answered.value) return;
    queued = shot;
    if (!busy) void drain();
  }

  async function drain(): Promise<void> {
    busy = true;
    try {
      while (queued) {
        const shot: Shot = queued;
        queued = null;
        try {
          await show(shot);
        } catch (error) {
          // These marks cannot be solved; the next ones may be.
          answered.value = requestKey(shot);
          answer.value = null;
          details.value = null;
          notices.fail(error);
        }
      }
    } finally {
      busy = false;
    }
  }

  async function answerFor(shot: Shot): Promise<SolveAnswer> {
    if (answered.value === requestKey(shot) && answer.value) return answer.value;
    return show(shot);
  }

  /** The answer for a shot beside the open one; what is shown stays. */
  const answerBeside = (shot: Shot): Promise<SolveAnswer> => solving().beside(requestOfShot(shot));

  const camera = computed<Camera | null>(() => answer.value?.camera ?? null);
  return { answer, answered, details, camera, follow, answerFor, answerBeside };
});
